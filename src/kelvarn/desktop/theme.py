"""Every colour, size and font of the window. No other file holds a colour."""

from dataclasses import dataclass, fields
from functools import cache

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QWidget


@dataclass(frozen=True)
class Theme:
    """One look. Colours are QColor-readable text; `candidates` follow the Okabe–Ito order."""

    name: str
    ground: str
    panel: str
    ink: str
    muted: str
    hairline: str
    ember: str
    glacier: str
    moss: str
    gold: str
    selected: str
    candidates: tuple[str, ...]

    def color(self, name: str, alpha: float = 1.0) -> QColor:
        """A colour of the theme by its field name, with opacity 0…1."""
        return _color(getattr(self, name), alpha)

    def candidate(self, index: int, alpha: float = 1.0) -> QColor:
        """Colour of the candidate at a place in the list."""
        return _color(self.candidates[index % len(self.candidates)], alpha)


@cache
def _color(text: str, alpha: float) -> QColor:
    """Kept, since a frame asks for hundreds."""
    color = QColor(text)
    color.setAlphaF(alpha)
    return color


PAPER = Theme(
    name="paper",
    ground="#F3EFE6",
    panel="#FBF9F4",
    ink="#22303A",
    muted="#5F6970",  # a little darker than the design's, which has 4.2:1 on the ground
    hairline="#DAD4C7",
    ember="#B8441F",  # darkened from the design's to keep 4.5:1 as text on the ground
    glacier="#2B6F9E",
    moss="#39714E",  # darkened likewise
    gold="#8F5F12",  # darkened likewise
    selected="#EBE6DA",
    candidates=("#0072B2", "#D55E00", "#009E73", "#B0578D", "#B97900", "#2E8FC4"),
)
NIGHT = Theme(
    name="night",
    ground="#15191C",
    panel="#1D2327",
    ink="#E8E2D5",
    muted="#98A1A6",
    hairline="#343C41",
    ember="#F0784F",
    glacier="#6DB3E4",
    moss="#79C394",
    gold="#DDA645",
    selected="#2A3237",
    candidates=("#56B4E9", "#F08A4B", "#2CC79B", "#DE96C1", "#E6B23C", "#9CCBEA"),
)
_DASHES: tuple[tuple[float, ...], ...] = ((), (9, 4), (2, 3), (9, 3, 2, 3), (14, 4), (5, 3))


def dash(index: int) -> tuple[float, ...]:
    """Dash pattern of a curve, in pixels; empty is solid. The seventh has the first one's colour but not its dash."""
    return _DASHES[(index + index // len(_DASHES)) % len(_DASHES)]


def ramp(look: Theme, count: int = 256) -> npt.NDArray[np.uint8]:
    """Colours from little to much, shape (count, 3): even to the eye, and told apart by lightness more than by hue.

    Straight through OKLab (B. Ottosson, "A perceptual color space for image processing", 2020).
    """
    ends = np.array([_oklab(QColor(text)) for text in _RAMPS[look.name]])
    share = np.linspace(0.0, len(ends) - 1.0, count)
    lab = np.column_stack([np.interp(share, np.arange(len(ends)), ends[:, k]) for k in range(3)])
    cone = (lab @ np.linalg.inv(_TO_LAB).T) ** 3
    linear = np.clip(cone @ np.linalg.inv(_TO_CONE).T, 0.0, 1.0)
    shown = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    made: npt.NDArray[np.uint8] = np.round(255 * shown).astype(np.uint8)
    return made


_RAMPS = {"paper": ("#F6F1DC", "#7FA58F", "#1F4A66"), "night": ("#20303A", "#4F8A7F", "#F2E7B8")}
_TO_CONE = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
_TO_LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]]
)  # fmt: skip


def _oklab(color: QColor) -> npt.NDArray[np.float64]:
    shown = np.array([color.redF(), color.greenF(), color.blueF()])
    linear = np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4)
    found: npt.NDArray[np.float64] = _TO_LAB @ np.cbrt(_TO_CONE @ linear)
    return found


LINE_HEIGHT = 58
LEFT_WIDTH, RIGHT_WIDTH = 232, 306
GAP = 10
RADIUS = 4

_BODY_PX, _SMALL_PX, _TITLE_PX, _BIG_PX, _HUGE_PX = 13, 11, 13, 15, 38


_PX = {"body": _BODY_PX, "small": _SMALL_PX, "title": _TITLE_PX, "big": _BIG_PX, "huge": _HUGE_PX}


@cache
def font(kind: str = "body", *, bold: bool = False) -> QFont:
    """The system's sans-serif in one of the sizes body, small, title, big, huge; figures all of one width.

    Kept, since it is asked for with each text that is painted.
    """
    made = QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)
    made.setPixelSize(_PX[kind])
    made.setWeight(QFont.Weight.DemiBold if bold or kind in ("title", "big", "huge") else QFont.Weight.Normal)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def fixed_font() -> QFont:
    """For settings as text."""
    made = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
    made.setPixelSize(_BODY_PX - 1)
    return made


class _Current:
    theme = PAPER


def current() -> Theme:
    """The theme in use."""
    return _Current.theme


def use(theme: Theme) -> None:
    """Make a theme the one in use: the application has its palette and font, a window is dressed in its `sheet`."""
    _Current.theme = theme
    app = QGuiApplication.instance()
    palette = QPalette()
    role = QPalette.ColorRole
    for which, name in {
        role.Window: "ground",
        role.Base: "panel",
        role.AlternateBase: "ground",
        role.Button: "panel",
        role.WindowText: "ink",
        role.Text: "ink",
        role.ButtonText: "ink",
        role.ToolTipBase: "panel",
        role.ToolTipText: "ink",
        role.PlaceholderText: "muted",
        role.Highlight: "glacier",
        role.HighlightedText: "panel",
        role.Link: "glacier",
    }.items():
        palette.setColor(which, theme.color(name))
    for which in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, theme.color("muted", 0.7))
    app.setPalette(palette)  # type: ignore[union-attr]
    app.setFont(font())  # type: ignore[union-attr]


def by_name(name: str) -> Theme:
    """Paper or night."""
    return NIGHT if name == NIGHT.name else PAPER


def system_theme() -> Theme:
    """The theme that goes with the desktop's colour scheme."""
    dark = QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
    return NIGHT if dark else PAPER


_STYLE = """
QMainWindow, QStackedWidget, QScrollArea, QScrollArea > QWidget > QWidget { background: $ground; }
QMenuBar { background: $panel; color: $ink; padding: 1px 8px; }
QMenuBar::item { padding: 3px 8px; background: transparent; }
QMenuBar::item:selected { background: $selected; }
QMenu { background: $panel; color: $ink; border: 1px solid $hairline; padding: 4px; }
QMenu::item { padding: 4px 26px 4px 14px; }
QMenu::item:selected { background: $selected; color: $ink; }
QMenu::item:disabled { color: $muted; }
QMenu::separator { height: 1px; background: $hairline; margin: 4px 8px; }
QToolTip { background: $panel; color: $ink; border: 1px solid $hairline; padding: 3px; }
QScrollArea { border: none; }
QDialogButtonBox, QMessageBox { dialogbuttonbox-buttons-have-icons: 0; }
QScrollArea[inFoot="true"], QScrollArea[inFoot="true"] > QWidget > QWidget { background: $panel; }
QSplitter::handle { background: transparent; }
QLineEdit, QComboBox, QPlainTextEdit, QTextBrowser, QListWidget {
    background: $panel; color: $ink; border: 1px solid $hairline; border-radius: 4px; padding: 2px 6px;
    selection-background-color: $glacier; selection-color: $panel; }
QLineEdit:focus, QComboBox:focus, QListWidget:focus, QTextBrowser:focus { border: 1px solid $glacier; }
QLineEdit[wrong="true"] { border: 1px solid $ember; }
QLineEdit[plain="true"] { background: transparent; border: 1px solid transparent; padding: 0 3px; font-weight: 600; }
QLineEdit[plain="true"]:hover { border: 1px solid $hairline; background: $panel; }
QLineEdit[plain="true"]:focus { border: 1px solid $glacier; background: $panel; }
QLineEdit[plain="true"][wrong="true"] { border: 1px solid $ember; }
QComboBox::drop-down { border: none; width: 16px; }
QComboBox QAbstractItemView { background: $panel; color: $ink; selection-background-color: $selected;
    selection-color: $ink; border: 1px solid $hairline; }
QLabel { background: transparent; }
QLabel[role="muted"] { color: $muted; }
QLabel[role="wrong"] { color: $ember; }
QLabel[role="gold"] { color: $gold; }
QLabel[role="met"] { color: $moss; }
QPushButton { background: $panel; color: $ink; border: 1px solid $ink; border-radius: 4px; padding: 6px 14px;
    font-weight: 600; }
QPushButton:hover { background: $selected; }
QPushButton:focus { border: 1px solid $glacier; }
QPushButton:disabled { color: $muted; border-color: $hairline; }
QPushButton[main="true"] { background: $ink; color: $panel; }
QPushButton[main="true"]:hover { background: $muted; }
QPushButton[main="true"]:focus { border: 2px solid $glacier; padding: 5px 13px; }
QPushButton[main="true"]:disabled { background: $hairline; color: $muted; border-color: $hairline; }
QPushButton[stop="true"] { background: $ember; color: $panel; border: 1px solid $ember; font-weight: 600; }
QPushButton[stop="true"]:hover { background: $ink; }
QPushButton[stop="true"]:focus { border: 2px solid $ink; }
QTableCornerButton::section { background: $panel; border: none; border-bottom: 1px solid $hairline; }
QPushButton[link="true"] { border: 1px solid transparent; background: transparent; color: $glacier; padding: 1px 4px;
    text-align: left; }
QPushButton[link="true"]:hover { background: $selected; }
QPushButton[tab="true"] { border: 0; border-bottom: 2px solid transparent; background: transparent; color: $glacier;
    padding: 2px 5px; }
QPushButton[tab="true"]:hover { background: $selected; }
QPushButton[tab="true"]:checked { color: $ink; border-bottom: 2px solid $ink; }
QPushButton[tab="true"]:focus { background: $selected; }
QPushButton[link="true"]:focus { border: 1px solid $glacier; }
QPushButton[chip="true"] { border: 1px solid $hairline; border-radius: 4px; padding: 4px 0; font-weight: 400; }
QPushButton[chip="true"]:checked { background: $ink; color: $panel; border-color: $ink; font-weight: 600; }
QPushButton[chip="true"]:focus { border-color: $glacier; }
QPushButton[target="true"] { text-align: left; border: 1px solid $hairline; background: $ground; padding: 9px 10px;
    font-weight: 400; }
QPushButton[target="true"]:checked { border: 2px solid $ink; background: $panel; font-weight: 600; padding: 8px 9px; }
QPushButton[target="true"]:focus { border-color: $glacier; }
QCheckBox { color: $ink; }
QCheckBox:focus { color: $glacier; }
QCheckBox::indicator { width: 11px; height: 11px; border: 1px solid $muted; border-radius: 2px; background: $panel; }
QCheckBox::indicator:checked { background: $ink; border: 1px solid $ink; }
QMenu::indicator { width: 9px; height: 9px; margin-left: 4px; border: 1px solid $muted; border-radius: 2px; }
QMenu::indicator:checked { background: $ink; }
QTableWidget { background: $panel; color: $ink; border: 1px solid $hairline; border-radius: 4px;
    selection-background-color: $selected; selection-color: $ink; }
QHeaderView::section { background: $panel; color: $muted; border: none; border-bottom: 1px solid $hairline;
    padding: 3px; text-align: left; }
QFrame[card="true"] { background: $panel; border: 1px solid $hairline; border-radius: 4px; }
QFrame[foot="true"] { background: $panel; border: none; border-top: 1px solid $hairline; }
QFrame[rule="true"] { background: $hairline; }
QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
QScrollBar::handle:vertical { background: $hairline; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 9px; margin: 0; }
QScrollBar::handle:horizontal { background: $hairline; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
"""


def dress(window: QWidget) -> None:
    """Dress a window, and all that is or comes into it, in the theme in use.

    The sheet is the window's and not the application's: with that, Qt would dress a widget anew with each one that it
    is put into on its way up (measured: twice to three times as long until a window is built).
    """
    text = _STYLE
    for field in fields(current()):
        value = getattr(current(), field.name)
        if isinstance(value, str):
            text = text.replace(f"${field.name}", value)
    window.setStyleSheet("")  # from one sheet to another takes four times as long
    window.setStyleSheet(text)
