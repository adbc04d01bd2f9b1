"""What a machine tells: each channel with its file and who may read it, and the ways to what is lacking."""

from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QDialog, QDialogButtonBox, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from pinch.core.printing import counted
from pinch.language import tr
from pinch.runs.machine_sensors import MachineSensors, ToldChannel, lacking_lines, read_sensors
from pinch.ui import look
from pinch.ui.background import Job
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label
from pinch.ui.table_rows import TableRow

COLUMNS = (tr("Channel"), tr("Now"), tr("Read by"), tr("From"), tr("Label, or why not"))


class SensorsDialog(QDialog):
    """Looks at once, in the background, and again when asked. `who` is the machine; an empty reach is this computer."""

    def __init__(self, who: str, reach: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What {who} tells", who=who))
        self.setModal(False)
        self.resize(980, 640)
        self._who, self._reach = who, reach
        self.job: Job | None = None
        self.head = label("", "heading", wrap=True)
        self.table = RowTable(tr("Channels"), COLUMNS, words=(0, 2, 3, 4), hides_empty=True)
        self.lacking = QPlainTextEdit()
        self.lacking.setReadOnly(True)
        self.lacking.setTabChangesFocus(True)
        self.lacking.setAccessibleName(tr("What is lacking, and the ways to it"))
        self.lacking.setFont(look.figure_font(9))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        for words, act in ((tr("Look again"), self.look), (tr("Copy the ways"), self._copy)):
            button = QPushButton(words)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _, act=act: act())
            buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
        whole = QVBoxLayout(self)
        whole.addWidget(self.head)
        whole.addWidget(self.table, 3)
        self.caption = label(tr("What is lacking, and the ways to it. Pinch takes none of them by itself."), "quiet")
        whole.addWidget(self.caption)
        whole.addWidget(self.lacking, 2)
        whole.addWidget(buttons)
        self.look()

    def look(self) -> None:
        """Ask the probe."""
        self._let_go()
        self.head.setText(tr("Asking {who} …", who=self._who))
        reach = self._reach
        self.job = Job(tr("Asking what this machine tells"), lambda _: read_sensors(reach=reach), self)
        self.job.finished.connect(self.show_told)
        self.job.failed.connect(self.head.setText)
        self.job.start()

    def show_told(self, told: MachineSensors) -> None:
        """Show an answer."""
        lacking = tr("; it lacks {what}", what=", ".join(lack.what for lack in told.lacking)) if told.lacking else ""
        refused = tr("; {refused} may not be read", refused=counted(len(told.refused), "file")) if told.refused else ""
        self.head.setText(
            tr(
                "{channels} are told{lacking}{refused}.",
                channels=counted(len(told.channels), "channel"),
                lacking=lacking,
                refused=refused,
            )
        )
        states = [TableRow((s.what, s.value, s.readable_by, s.file, "")) for s in told.states]
        refusals = [TableRow((tr("not read"), "", f.readable_by, f.file, f.why), aside=True) for f in told.refused]
        self.table.show_rows([*map(_row, told.channels), *states, *refusals])
        for part in (self.caption, self.lacking):
            part.setVisible(bool(told.lacking))
        self.lacking.setPlainText("\n".join(lacking_lines(told)))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._let_go()
        super().closeEvent(event)

    def _let_go(self) -> None:
        if self.job is not None:
            self.job.cancel()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.lacking.toPlainText())


def _row(told: ToldChannel) -> TableRow:
    return TableRow((told.channel, told.value_words, told.readable_by, told.place_words, told.label))
