"""The one field for a number that can also be stepped: comma and point are both the decimal sign, whatever the country.

Qt's own field reads by the desktop's country: where that writes `12,5`, a typed `12.5` silently becomes 125.
"""

from PyQt6.QtGui import QValidator
from PyQt6.QtWidgets import QDoubleSpinBox, QToolTip

from pinch.bench.entry import read_quantity
from pinch.core.errors import PinchError
from pinch.language import numeral, tr


class NumberBox(QDoubleSpinBox):
    """A number from `low` to `high` in `unit`, which may be typed with it; `before` and `after` are words around it.
    What is no number, out of range or could be meant otherwise is refused when the field is left, and why is said."""

    def __init__(
        self,
        name: str,
        low: float,
        high: float,
        value: float | None = None,
        *,
        unit: str = "",
        before: str = "",
        after: str = "",
        decimals: int = 1,
        step: float = 1.0,
        width: int = 96,
    ) -> None:
        super().__init__()
        self._unit = unit
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setDecimals(decimals)
        self.setRange(low, high)
        self.setSingleStep(step)
        self.setPrefix(before)
        self.setSuffix(f" {unit}{after}" if unit else after)
        self.setKeyboardTracking(False)
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        words = f"{before}{self.textFromValue(low if value is None else value)}{self.suffix()}"
        self.setFixedWidth(max(width, self.fontMetrics().horizontalAdvance(words) + 16))
        if value is not None:
            self.setValue(value)

    def textFromValue(self, value: float) -> str:
        """As everywhere else in Pinch."""
        return numeral(value, f".{self.decimals()}f")

    def valueFromText(self, text: str | None) -> float:
        """What is typed; the value as it was where that cannot be read."""
        typed = self._typed(text)
        if typed == self.specialValueText():
            return self.minimum()
        try:
            return round(read_quantity(typed, self._unit).value, self.decimals())
        except PinchError:
            return self.value()

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        """Only what can be meant in one way is a value; all else may still become one."""
        state = QValidator.State.Intermediate if self._why_not(text) else QValidator.State.Acceptable
        return state, text or "", at

    def fixup(self, text: str | None) -> str:
        """The value as it was, and why what was typed is none."""
        QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), self._why_not(text), self)
        return f"{self.prefix()}{self.textFromValue(self.value())}{self.suffix()}"

    def _typed(self, text: str | None) -> str:
        return (text or "").removeprefix(self.prefix()).removesuffix(self.suffix()).strip()

    def _why_not(self, text: str | None) -> str:
        """Why what is typed is no value; empty where it is one."""
        typed = self._typed(text)
        if self.specialValueText() and typed == self.specialValueText():
            return ""
        try:
            entry = read_quantity(typed, self._unit)
        except PinchError as error:
            return str(error)
        if not self.minimum() <= entry.value <= self.maximum():
            return tr(
                "{typed} is not between {minimum:g} and {maximum:g}.",
                typed=typed,
                minimum=self.minimum(),
                maximum=self.maximum(),
            )
        return entry.question
