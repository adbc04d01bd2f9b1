"""What is said of runs afterwards, in one form: of one run, of many, or of logs on their way in."""

from collections.abc import Iterable, Sequence

from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from pinch.bench.book import Book
from pinch.bench.records import Device, Run, Setting, Workload, live
from pinch.bench.variants import own_name
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.completing import FROM_DATA, Completion, read_completion
from pinch.language import numeral, tr
from pinch.ui.dialogs import FormDialog
from pinch.ui.shell.words import label

CAPTIONS = {
    "ambient": tr("Room, °C"),
    "day": tr("Day"),
    "score": tr("Score"),
    "protocol": tr("Protocol"),
    "builds": tr("Builds"),
    "meters": tr("Read with"),
    "device": tr("Device"),
    "setting": tr("Setting"),
    "workload": tr("Workload"),
    "variant": tr("Variant"),
    "note": tr("Add to the notes"),
    "void": tr("Does not count, because"),
}
OF_NEW = ("ambient", "day", "protocol", "builds", "meters", "variant", "note")
"""What can be said of logs on their way in beside where they belong."""


class CompleteDialog(FormDialog):
    """What stays empty is left as it is. `said` is what was typed; `runs` empty: it is of logs on their way in."""

    def __init__(self, book: Book, runs: Sequence[Run], parent: QWidget | None) -> None:
        title = tr("Complete {runs}", runs=counted(len(runs), "run")) if runs else tr("Said of all of these logs")
        super().__init__(title, parent)
        self.setMinimumWidth(520)
        self._book, self._runs = book, runs
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        self.measured = QCheckBox(tr("as a reading or a channel of each run tells it"))
        self.counts = QCheckBox(tr("They count again"))
        self.said = Completion()
        if runs:
            self.form.addRow(label(tr("What stays empty is left as it is."), "quiet"))
        for key in CAPTIONS if runs else OF_NEW:
            widget = self._field(key)
            self.fields[key] = widget
            self.form.addRow(CAPTIONS[key], widget)
            if key == "ambient" and runs:
                self.form.addRow("", self.measured)
        if any(run.void for run in runs):
            self.form.addRow("", self.counts)
        self.measured.toggled.connect(lambda on: self.fields["ambient"].setEnabled(not on))

    def read(self) -> None:
        typed = {key: text for key, widget in self.fields.items() if (text := _text(widget).strip())}
        if self.measured.isChecked():
            typed["ambient"] = FROM_DATA
        if self.counts.isChecked():
            typed["void"] = ""
        self.said = read_completion(typed)
        if self.said.is_empty and self._runs:
            raise PinchError(tr("Nothing was typed."))

    def _field(self, key: str) -> QLineEdit | QComboBox:
        offered = self._offered(key)
        widget: QLineEdit | QComboBox = QLineEdit()
        hint = _one_of(self._present(key)) if self._runs else _HINTS.get(key, "")
        if offered is not None:
            widget = QComboBox()
            widget.setEditable(True)
            widget.addItems(["", *offered])
            edit = widget.lineEdit()
            assert edit is not None
            edit.setPlaceholderText(hint)
        elif isinstance(widget, QLineEdit):
            widget.setPlaceholderText(hint or _HINTS.get(key, ""))
            widget.setToolTip(_HINTS.get(key, ""))
        widget.setAccessibleName(CAPTIONS[key])
        return widget

    def _offered(self, key: str) -> list[str] | None:
        book = self._book
        works = live(book.workloads())
        if key == "protocol":
            return [p.name for p in live(book.protocols())]
        if key == "meters":
            return [i.name for i in live(book.instruments())]
        if key == "device":
            return [d.name for d in live(book.devices())]
        if key == "setting":
            ids = dict.fromkeys(run.device_id for run in self._runs)
            return list(dict.fromkeys(s.name for d in ids for s in live(book.settings(d))))
        if key == "workload":
            return [w.name for w in works if w.variant_of is None]
        if key == "variant":
            roots = {book.get(Workload, r.workload_id).root_id for r in self._runs} or {w.root_id for w in works}
            return list(dict.fromkeys(own_name(w) for w in works if w.root_id in roots and w.variant_of is not None))
        return None

    def _present(self, key: str) -> Iterable[str]:
        """What the runs have of a field now."""
        book = self._book
        protocols = {p.id: p.name for p in book.protocols()}
        for run in self._runs:
            work = book.get(Workload, run.workload_id)
            yield {
                "ambient": "" if run.ambient_c is None else tr("{ambient_c:g} °C", ambient_c=run.ambient_c),
                "day": f"{run.day or ''}",
                "score": ", ".join(numeral(p.score, "g") for p in run.passes if p.score is not None),
                "protocol": protocols.get(run.protocol_id or 0, ""),
                "builds": "; ".join(f"{b.what} {b.version}" for b in run.builds),
                "meters": "; ".join(m.name for m in run.meters),
                "device": book.get(Device, run.device_id).name,
                "setting": book.get(Setting, run.setting_id).name,
                "workload": book.get(Workload, work.root_id).name,
                "variant": own_name(work) if work.variant_of is not None else "",
                "note": "",
                "void": run.void,
            }[key]


_HINTS = {
    "ambient": tr("such as 22"),
    "day": tr("such as 2026-09-14"),
    "builds": tr("graphics driver 31.4; OS 6.12"),
}


def _one_of(present: Iterable[str]) -> str:
    values = list(dict.fromkeys(present))
    if len(values) == 1:
        return tr("now {values}", values=values[0]) if values[0] else tr("not noted")
    return tr("{values} different ones", values=len(values))


def _text(widget: QLineEdit | QComboBox) -> str:
    return widget.currentText() if isinstance(widget, QComboBox) else widget.text()
