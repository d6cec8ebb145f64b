"""How the window looks: neutral greys, one accent for what is lit, one slate for what is chosen."""

from importlib.resources import files

from PySide6.QtCore import QByteArray, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

SURROUND = "#161616"
PANEL = "#1e1e1e"
WELL = "#292929"
EDGE = "#363636"
DIM = "#949494"
TEXT = "#dbd9d3"
LIT = "#ead9a2"
CHOSEN = "#7d93aa"
MOON = "#b9c4d6"
WARN = "#d99a7a"

#: Marks of groups: even in lightness, none of them the colour of what is lit or chosen.
MARKS = {"rust": "#b0695a", "moss": "#7f9360", "teal": "#5c9a94", "plum": "#9a7399", "sand": "#ab936a"}

SMALL, BODY, TITLE = 11, 12, 14

_STYLE = f"""
* {{ font-family: Karla; font-size: {BODY}px; color: {TEXT}; }}
QWidget {{ background: {PANEL}; }}
QToolTip {{ background: #101010; color: {TEXT}; border: 1px solid {EDGE}; padding: 4px; }}
QLineEdit, QComboBox, QPlainTextEdit {{
    background: {WELL}; border: 1px solid {EDGE}; padding: 2px 6px; min-height: 20px;
    selection-background-color: {CHOSEN}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: none; }}
QComboBox QAbstractItemView {{ background: {WELL}; border: 1px solid {EDGE}; selection-background-color: {CHOSEN}; }}
QComboBox:focus, QLineEdit:focus, QToolButton:focus, QPushButton:focus {{ border: 1px solid {CHOSEN}; }}
QToolButton, QPushButton {{ background: transparent; border: 1px solid transparent; padding: 3px 8px; }}
QToolButton:hover, QPushButton:hover {{ background: {WELL}; }}
QToolButton:pressed, QPushButton:pressed {{ background: {EDGE}; }}
QPushButton {{ border: 1px solid {EDGE}; background: #242424; }}
QToolButton:checked {{ color: {LIT}; }}
QToolButton[heading="true"] {{ border: none; padding: 2px 0; color: {TEXT}; font-weight: bold; }}
QToolButton[heading="true"]:focus {{ color: {CHOSEN}; }}
QToolButton:disabled, QPushButton:disabled {{ color: #5a5a5a; }}
QMenu {{ background: #232323; border: 1px solid {EDGE}; padding: 4px; }}
QMenu::item {{ padding: 4px 18px; background: transparent; }}
QMenu::item:selected {{ background: {CHOSEN}; color: #101010; }}
QMenu::separator {{ height: 1px; background: {EDGE}; margin: 4px 8px; }}
QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {DIM}; background: {PANEL}; }}
QCheckBox::indicator:checked {{ background: {LIT}; border-color: {LIT}; }}
QCheckBox::indicator:focus {{ border-color: {CHOSEN}; }}
QCheckBox::indicator:disabled {{ border-color: {EDGE}; }}
QListWidget {{ background: {PANEL}; border: 1px solid {EDGE}; }}
QListWidget::item:selected {{ background: {CHOSEN}; color: #101010; }}
QScrollArea {{ border: none; }}
QScrollBar:vertical {{ background: {PANEL}; width: 8px; }}
QScrollBar:horizontal {{ background: {PANEL}; height: 6px; }}
QScrollBar::handle {{ background: {EDGE}; min-height: 24px; min-width: 24px; }}
QSlider::groove:horizontal {{ background: {WELL}; height: 4px; border: 1px solid {EDGE}; }}
QSlider::sub-page:horizontal {{ background: {LIT}; }}
QSlider::handle:horizontal {{ background: {TEXT}; width: 8px; margin: -6px 0; }}
QSlider:focus {{ border: 1px solid {CHOSEN}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QLabel[quiet="true"] {{ color: {DIM}; font-size: {SMALL}px; }}
QLabel[title="true"] {{ font-size: {TITLE}px; font-weight: bold; }}
"""


def resource(name: str) -> bytes:
    """Bytes of a file that ships in ``resources``."""
    return (files("lunar_haze") / "resources" / name).read_bytes()


def apply(app: QApplication) -> None:
    """Give the application its typeface and style."""
    for name in ("Karla-Regular.otf", "Karla-Bold.otf"):
        QFontDatabase.addApplicationFontFromData(QByteArray(resource(f"fonts/{name}")))
    app.setStyle("Fusion")
    app.setFont(font())
    app.setStyleSheet(_STYLE)


def font(size: int = BODY, bold: bool = False) -> QFont:
    """The typeface with tabular figures, ``size`` in pixels."""
    made = QFont("Karla")
    made.setPixelSize(size)
    made.setBold(bold)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


#: Our icons: strokes on a 20 x 20 grid, one weight.
_STROKES = {
    "undo": "M7 5 L3 9 L7 13 M3 9 H12 A4 4 0 0 1 12 17 H9",
    "redo": "M13 5 L17 9 L13 13 M17 9 H8 A4 4 0 0 0 8 17 H11",
    "pin": "M6 3 H14 M10 3 V11 M5 11 H15 M10 11 V18",
    "black": "M3 10 A7 7 0 1 0 17 10 A7 7 0 1 0 3 10 M5.5 5.5 L14.5 14.5",
    "hand-off": "M4 9 V16 H16 V9 M10 12 V3 M6.5 6 L10 2.5 L13.5 6",
    "more": "M4 6 H16 M4 10 H16 M4 14 H16",
    "mute": "M4 8 H7 L11 5 V15 L7 12 H4 Z M14 8 L18 12 M18 8 L14 12",
    "alone": "M10 3 V6 M10 14 V17 M3 10 H6 M14 10 H17 M7.5 10 A2.5 2.5 0 1 0 12.5 10 A2.5 2.5 0 1 0 7.5 10",
    "lock": "M5 9 H15 V17 H5 Z M7 9 V6 A3 3 0 0 1 13 6 V9",
    "plus": "M10 4 V16 M4 10 H16",
    # Kinds of source, by their tags.
    "ball": "M6 10 A4 4 0 1 0 14 10 A4 4 0 1 0 6 10 M10 2 V4 M10 16 V18 M2 10 H4 M16 10 H18",
    "beam": "M8 3 H12 V6 H8 Z M8 6 L4 17 M12 6 L16 17 M4 17 H16",
    "ovalbeam": "M8 3 H12 V6 H8 Z M8 6 L2 14 M12 6 L18 14 M2 14 A8 3 0 0 0 18 14 A8 3 0 0 0 2 14",
    "disc": "M3 7 A7 3 0 1 0 17 7 A7 3 0 1 0 3 7 M6 13 V16 M10 14 V17 M14 13 V16",
    "rectangle": "M3 4 H17 V10 H3 Z M6 13 V16 M10 13 V17 M14 13 V16",
    "ieslamp": "M10 3 V5 M10 5 C3 8 5 17 10 17 C15 17 17 8 10 5 Z",
    "tube": "M2 8 H18 V11 H2 Z M5 14 V16 M10 14 V17 M15 14 V16",
    "array": "M3 7 A2 2 0 1 0 7 7 A2 2 0 1 0 3 7 M13 7 A2 2 0 1 0 17 7 A2 2 0 1 0 13 7 "
    "M8 14 A2 2 0 1 0 12 14 A2 2 0 1 0 8 14",
}


def window_icon() -> QIcon:
    """The program's own mark: a thin moon over bands of haze."""
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64"><rect width="64" height="64" rx="12" '
        f'fill="#1c1c1c"/><path d="M38 10 A17 17 0 1 0 51 31 A14 14 0 1 1 38 10 Z" fill="{LIT}"/>'
        f'<path d="M8 46 H56 M14 54 H50" stroke="{TEXT}" stroke-width="3" stroke-linecap="round"/></svg>'
    )
    pixmap = QPixmap(64, 64)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(svg.encode())).render(painter)
    painter.end()
    return QIcon(pixmap)


def icon(name: str, colour: str = TEXT) -> QIcon:
    """One of our icons, drawn in ``colour``; a lamp for a kind that has none of its own."""
    strokes = _STROKES.get(name, _STROKES["ball"])
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 20"><path d="{strokes}" fill="none" '
        f'stroke="{colour}" stroke-width="1.4" stroke-linecap="round" stroke-linejoin="round"/></svg>'
    )
    pixmap = QPixmap(40, 40)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(svg.encode())).render(painter)
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    return QIcon(pixmap)


def qcolor(text: str, alpha: float = 1.0) -> QColor:
    """A colour with an opacity."""
    colour = QColor(text)
    colour.setAlphaF(alpha)
    return colour
