"""What the operator can set for all books. Nothing here changes a figure."""

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui.preferences import LANGUAGE, LAST_BOOK, NOTIFY, SIZE, SIZES, THEME, Key, Preferences, ThemeChoice
from pinch.ui.shell.words import label
from pinch.ui.speaking import offered

THEMES = {ThemeChoice.DESKTOP: tr("as the desktop"), ThemeChoice.LIGHT: tr("light"), ThemeChoice.DARK: tr("dark")}
SIZE_WORDS = {SIZE.usual: tr("as the desktop")}
SWITCHES = (
    (NOTIFY, tr("say on the desktop when a run settles or ends and the window is not in front")),
    (LAST_BOOK, tr("open the book that was open last")),
)


class SettingsDialog(QDialog):
    """Kept when it is accepted."""

    def __init__(self, preferences: Preferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self.setMinimumWidth(460)
        self._preferences = preferences
        self.theme = QComboBox()
        self.theme.setAccessibleName(tr("Light or dark"))
        for choice, words in THEMES.items():
            self.theme.addItem(words, choice)
        self.theme.setCurrentIndex(self.theme.findData(preferences.theme))
        self.scale = QComboBox()
        self.scale.setAccessibleName(tr("Size of letters and all else"))
        for percent in SIZES:
            self.scale.addItem(SIZE_WORDS.get(percent, f"{percent} %"), percent)
        self.scale.setCurrentIndex(self.scale.findData(preferences.size))
        self.language = QComboBox()
        self.language.setAccessibleName(tr("Language"))
        for name, words in {LANGUAGE.usual: tr("as the desktop"), **offered()}.items():
            self.language.addItem(words, name)
        self.language.setCurrentIndex(max(0, self.language.findData(preferences.get(LANGUAGE))))
        self.switches: dict[Key, QCheckBox] = {}
        form = QFormLayout()
        form.addRow(tr("Light or dark"), self.theme)
        form.addRow(tr("Size, from the next start on"), self.scale)
        form.addRow(tr("Language, from the next start on"), self.language)
        for key, words in SWITCHES:
            self.switches[key] = QCheckBox(words)
            self.switches[key].setChecked(preferences.says_yes(key))
            form.addRow(self.switches[key])
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        whole = QVBoxLayout(self)
        whole.addLayout(form)
        whole.addWidget(label(tr("Nothing here changes a figure."), "quiet"))
        whole.addWidget(buttons)

    def accept(self) -> None:
        """Keep what is set."""
        self._preferences.set(THEME, str(self.theme.currentData()))
        self._preferences.set(LANGUAGE, str(self.language.currentData()))
        self._preferences.set(SIZE, str(self.scale.currentData()))
        for key, box in self.switches.items():
            self._preferences.set(key, "yes" if box.isChecked() else "no")
        super().accept()
