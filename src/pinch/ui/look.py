"""Fonts, palette and style sheet by role: the same roles as the charts have."""

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QFontDatabase, QImageReader, QPalette, QPixmap, QTransform
from PyQt6.QtWidgets import QApplication

from pinch.charts.theme import DARK, FIGURE_FACE, FONTS, LIGHT, TEXT_FACE, Theme

ART = Path(__file__).parent / "art"


class _Look:
    theme: Theme = LIGHT


def theme() -> Theme:
    """The theme in force."""
    return _Look.theme


def load_fonts() -> list[str]:
    """Load the shipped fonts; returns the families."""
    families: list[str] = []
    for path in sorted(FONTS.glob("*.otf")):
        families += QFontDatabase.applicationFontFamilies(QFontDatabase.addApplicationFont(str(path)))
    return families


def apply(app: QApplication, name: str) -> None:
    """Dress the application in the theme of that name, `light` or `dark`."""
    chosen = DARK if name == "dark" else LIGHT
    _Look.theme = chosen
    app.setFont(text_font(10))
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, chosen.paper),
        (QPalette.ColorRole.WindowText, chosen.ink),
        (QPalette.ColorRole.Base, chosen.margin),
        (QPalette.ColorRole.AlternateBase, chosen.paper),
        (QPalette.ColorRole.Text, chosen.ink),
        (QPalette.ColorRole.PlaceholderText, chosen.quiet),
        (QPalette.ColorRole.Button, chosen.spine),
        (QPalette.ColorRole.ButtonText, chosen.ink),
        (QPalette.ColorRole.ToolTipBase, chosen.margin),
        (QPalette.ColorRole.ToolTipText, chosen.ink),
        (QPalette.ColorRole.Highlight, chosen.accent),
        (QPalette.ColorRole.HighlightedText, chosen.paper),
        (QPalette.ColorRole.Link, chosen.accent),
    ):
        palette.setColor(role, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet(_sheet(chosen))


def text_font(points: float, bold: bool = False) -> QFont:
    """The text face."""
    return _font(TEXT_FACE, points, bold)


def figure_font(points: float, bold: bool = False) -> QFont:
    """The face for figures, all of one width."""
    return _font(FIGURE_FACE, points, bold)


def screen_scale() -> float:
    """Device pixels to a point of the screen."""
    screen = QApplication.primaryScreen()
    return screen.devicePixelRatio() if screen is not None else 1.0


def hatched(colour: str | QColor, pattern: Qt.BrushStyle) -> QBrush:
    """A pattern whose strokes are as wide and as far apart on a fine screen as on any: Qt draws them in its pixels."""
    brush = QBrush(QColor(colour), pattern)
    brush.setTransform(QTransform.fromScale(screen_scale(), screen_scale()))
    return brush


def icon(name: str, colour: str, size: int) -> QPixmap:
    """A shipped line drawing in a colour, size × size points, as sharp as the screen is."""
    scale = screen_scale()
    drawing = QByteArray((ART / f"{name}.svg").read_bytes().replace(b"#000000", colour.encode()))
    buffer = QBuffer(drawing)  # the reader keeps neither of them alive
    reader = QImageReader(buffer, QByteArray(b"svg"))
    reader.setScaledSize(QSize(round(size * scale), round(size * scale)))
    picture = QPixmap.fromImage(reader.read())
    picture.setDevicePixelRatio(scale)
    return picture


def _font(family: str, points: float, bold: bool) -> QFont:
    font = QFont(family)
    font.setPointSizeF(points)
    font.setBold(bold)
    return font


def _sheet(t: Theme) -> str:
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog {{ background: {t.paper}; }}
    QMenuBar, QMenuBar::item {{ background: {t.spine}; color: {t.ink}; padding: 3px 9px; }}
    QMenuBar::item:selected {{ background: {t.window}; }}
    QMenu {{ background: {t.margin}; border: 1px solid {t.hairline}; padding: 4px; }}
    QMenu::item {{ padding: 5px 26px 5px 14px; }}
    QMenu::item:selected {{ background: {t.window}; color: {t.ink}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 8px; }}
    #spine, #footer {{ background: {t.spine}; }}
    #spine {{ border-right: 1px solid {t.hairline}; }}
    #footer {{ border-top: 1px solid {t.hairline}; }}
    #strip {{ background: {t.paper}; border-bottom: 1px solid {t.hairline}; }}
    #margin {{ background: {t.margin}; border-left: 1px solid {t.hairline}; }}
    #margin QWidget {{ background: {t.margin}; }}
    #desk {{ background: {t.paper}; }}
    #formula {{ background: {t.paper}; border-left: 3px solid {t.accent}; padding: 8px 10px; }}
    *[role="quiet"] {{ color: {t.quiet}; }}
    *[role="headline"] {{ font-size: 13.5pt; font-weight: bold; }}
    *[role="heading"] {{ font-weight: bold; }}
    *[role="rule"] {{ background: {t.hairline}; }}
    QPushButton {{ background: {t.margin}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 5px 13px; }}
    QPushButton:hover {{ border-color: {t.ink}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; padding: 4px 12px; }}
    QPushButton:disabled {{ color: {t.quiet}; border-color: {t.hairline}; }}
    QPushButton[role="main"] {{ background: {t.accent}; color: {t.paper}; border-color: {t.accent}; }}
    QPushButton[role="main"] {{ font-weight: bold; }}
    QPushButton[role="main"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[role="main"]:disabled {{ background: {t.hairline}; color: {t.quiet}; border-color: {t.hairline}; }}
    QToolButton {{ background: {t.margin}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 6px; }}
    QToolButton:hover {{ border-color: {t.ink}; }}
    QToolButton:focus {{ border-color: {t.accent}; }}
    QToolButton::menu-indicator {{ image: url({ART.as_posix()}/down-{t.name}.svg); width: 10px;
        subcontrol-position: right center; right: 4px; }}
    QComboBox, QLineEdit, QDoubleSpinBox, QSpinBox, QPlainTextEdit {{
        background: {t.margin}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 6px;
        selection-background-color: {t.accent}; selection-color: {t.paper}; }}
    QComboBox:focus, QLineEdit:focus, QDoubleSpinBox:focus, QPlainTextEdit:focus {{ border-color: {t.accent}; }}
    QComboBox QAbstractItemView {{ background: {t.margin}; border: 1px solid {t.hairline};
        selection-background-color: {t.window}; selection-color: {t.ink}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: url({ART.as_posix()}/down-{t.name}.svg); width: 12px; height: 12px; }}
    #strip QComboBox {{ background: transparent; border: 1px solid transparent; font-weight: bold; padding: 0 2px; }}
    #strip QComboBox:hover, #strip QComboBox:focus {{ border-color: {t.quiet}; }}
    *[role="problem"] {{ color: {t.accent}; font-weight: bold; }}
    *[role="question"] {{ color: {t.ink}; font-style: italic; }}
    QLineEdit[state="problem"] {{ border: 1px solid {t.accent}; }}
    QPushButton[role="small"] {{ padding: 5px 6px; }}
    QPushButton[role="slight"] {{ padding: 4px 6px; border-color: {t.quiet}; color: {t.quiet}; }}
    QTabBar::tab {{ background: transparent; border: none; border-bottom: 2px solid transparent; color: {t.quiet};
        padding: 4px 2px; margin-right: 18px; }}
    QTabBar::tab:selected {{ color: {t.ink}; border-bottom: 2px solid {t.accent}; font-weight: bold; }}
    QTabBar::tab:hover {{ color: {t.ink}; }}
    QTabBar::tab:focus {{ color: {t.accent}; }}
    QListWidget {{ background: transparent; border: none; outline: none; }}
    QCheckBox::indicator, QListWidget::indicator {{ width: 13px; height: 13px; border: 1px solid {t.quiet};
        border-radius: 2px; background: {t.margin}; }}
    QCheckBox::indicator:checked, QListWidget::indicator:checked {{ background: {t.accent}; border-color: {t.accent};
        image: url({ART.as_posix()}/check-{t.name}.svg); }}
    QCheckBox::indicator:focus {{ border: 2px solid {t.accent}; }}
    QTableCornerButton::section {{ background: {t.paper}; border: none; }}
    QTableView {{ background: {t.paper}; border: none; gridline-color: {t.hairline};
        selection-background-color: {t.window}; selection-color: {t.ink}; }}
    QTableView {{ outline: none; }}
    QTableView::item:selected {{ background: {t.window}; color: {t.ink}; border-top: 1px solid {t.quiet};
        border-bottom: 1px solid {t.quiet}; }}
    QTableView::item:focus {{ background: {t.window}; color: {t.ink}; border: none; }}
    #matrix::item:focus {{ border: 2px solid {t.accent}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.quiet}; border: none;
        border-bottom: 1px solid {t.hairline}; padding: 4px 6px; }}
    QProgressBar {{ background: {t.spine}; border: none; max-height: 4px; }}
    QProgressBar::chunk {{ background: {t.accent}; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; }}
    QScrollBar::handle:vertical {{ background: {t.hairline}; border-radius: 4px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; }}
    QScrollBar::handle:horizontal {{ background: {t.hairline}; border-radius: 4px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QToolTip {{ background: {t.margin}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 4px; }}
    """
