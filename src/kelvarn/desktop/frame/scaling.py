"""How large everything is: by Qt's own scale, which it reads once, as an application begins.

So a new size is a new application with the same document; all that is laid out in pixels goes along.
"""

import os
from bisect import bisect_left, bisect_right

from PySide6.QtGui import QFontDatabase, QGuiApplication

from kelvarn.desktop import theme
from kelvarn.desktop.parts import texts

STEPS = (0.8, 0.9, 1.0, 1.1, 1.25, 1.5, 1.75, 2.0)
_OWN = "QT_SCALE_FACTOR"
_given = float(os.environ.get(_OWN) or 1.0)  # what the user's surroundings ask for counts too
_USUAL_PT, _USUAL_DPI = 11.0, 96.0


def stepped(zoom: float, by: int) -> float:
    """The next larger zoom, or smaller one; the same at the ends."""
    place = bisect_right(STEPS, zoom + 1e-9) if by > 0 else bisect_left(STEPS, zoom - 1e-9) - 1
    return STEPS[min(max(place, 0), len(STEPS) - 1)]


def begin(zoom: float) -> None:
    """Let the application that begins next be so large, 1 being as the desktop has it."""
    os.environ[_OWN] = f"{_given * zoom:g}"
    theme.font.cache_clear()
    texts.forget()


def of_system() -> float:
    """How much larger than usual the desktop has its texts, at least 1; asked of an application without a zoom."""
    font = QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)
    dpi = QGuiApplication.primaryScreen().logicalDotsPerInch()
    return max(font.pointSizeF() / _USUAL_PT, 1.0) * max(dpi / _USUAL_DPI, 1.0)
