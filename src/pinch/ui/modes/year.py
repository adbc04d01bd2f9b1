"""Energy of a year: watts in each mode, published weights that can be changed, and what it costs."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from pinch.core.errors import DataError
from pinch.core.yearly import MODES, PROFILES, typical_year
from pinch.language import numeral, tr
from pinch.ui.number_box import NumberBox
from pinch.ui.shell.words import label

TARIFF = 0.30


class YearPane(QWidget):
    """Watts and weights to type; the year below."""

    def __init__(self) -> None:
        super().__init__()
        self.profile = QComboBox()
        self.profile.setAccessibleName(tr("Weights of the modes"))
        for profile in PROFILES:
            self.profile.addItem(profile.name, profile)
        self.watts = [_number(tr("Watts {mode}", mode=mode), 1000.0, unit="W") for mode in MODES]
        self.weights = [_number(tr("Share {mode}", mode=mode), 100.0, unit="%") for mode in MODES]
        self.tariff, self.currency = _number(tr("Tariff"), 100.0, after=tr(" a kWh")), QLineEdit("EUR")
        self.tariff.setValue(TARIFF)
        self.currency.setMaxLength(3)
        self.currency.setFixedWidth(60)
        self.currency.setAccessibleName(tr("Currency"))
        self.result, self.source = label("", "heading", wrap=True), label("", "quiet", wrap=True)
        grid = QGridLayout()
        grid.addWidget(self.profile, 0, 0)
        for column, mode in enumerate(MODES, 1):
            grid.addWidget(label(mode, "quiet"), 0, column)
            grid.addWidget(self.watts[column - 1], 1, column)
            grid.addWidget(self.weights[column - 1], 2, column)
        grid.addWidget(label(tr("at the wall"), "quiet"), 1, 0)
        grid.addWidget(label(tr("share of the year"), "quiet"), 2, 0)
        grid.addWidget(label(tr("tariff"), "quiet"), 3, 0)
        grid.addWidget(self.tariff, 3, 1)
        grid.addWidget(self.currency, 3, 2)
        grid.setColumnStretch(len(MODES) + 1, 1)
        whole = QVBoxLayout(self)
        whole.addLayout(grid)
        whole.addWidget(self.result)
        whole.addWidget(self.source)
        whole.addStretch(1)
        self.profile.activated.connect(lambda _: self._take_profile())
        for spin in (*self.watts, *self.weights, self.tariff):
            spin.valueChanged.connect(lambda _: self._work())
        self.currency.textChanged.connect(lambda _: self._work())
        self._told: dict[int, float] = {}
        self._take_profile()

    def show_idle(self, watts: float) -> None:
        """What the device draws at rest stands for its idle modes, until somebody types better."""
        for n, spin in enumerate(self.watts[2:]):
            if spin.value() in (0.0, self._told.get(n)):
                spin.setValue(watts)
                self._told[n] = spin.value()

    def _take_profile(self) -> None:
        profile = self.profile.currentData()
        for spin, share in zip(self.weights, profile.weights, strict=True):
            spin.setValue(100.0 * share)
        self.source.setText(tr("Weights: {source}; they can be changed. TEC = 8.76 Σ P·w.", source=profile.source))
        self._work()

    def _work(self) -> None:
        watts = tuple(s.value() for s in self.watts)
        weights = tuple(s.value() / 100.0 for s in self.weights)
        try:
            year = typical_year(watts, weights, self.tariff.value())
        except DataError as error:
            self.result.setText(str(error))
            return
        cost = f", {numeral(year.cost, '.2f')} {self.currency.text()}" if self.tariff.value() else ""
        parts = ", ".join(f"{mode} {numeral(kwh, '.2f')}" for mode, kwh in zip(MODES, year.by_mode_kwh, strict=True))
        self.result.setText(
            tr("{kwh:.2f} kWh a year{cost} (kWh by mode: {parts}).", kwh=year.kwh, cost=cost, parts=parts)
        )


def _number(name: str, high: float, unit: str = "", after: str = "") -> NumberBox:
    box = NumberBox(name, 0.0, high, unit=unit, after=after, decimals=2, width=110)
    box.setAlignment(Qt.AlignmentFlag.AlignRight)
    return box
