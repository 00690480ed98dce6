"""Contrast of all text, measured on the pixels of the window in both themes: WCAG 2.1, 4.5 to 1."""

import numpy as np
import numpy.typing as npt
import pytest
from PySide6.QtCore import QPoint, QRect
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QAbstractButton, QApplication, QLabel, QLineEdit, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.parts.elided import ElidedLine

Pixels = npt.NDArray[np.uint8]
_TEXTS = QLabel | QAbstractButton | QLineEdit | ElidedLine
_FRAME = 2


def pixels(widget: QWidget) -> Pixels:
    """What is seen of a widget, shape (height, width, 3)."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).copy()


def luminance(colors: Pixels) -> npt.NDArray[np.float64]:
    """Relative luminance."""
    share = colors / 255.0
    linear = np.where(share <= 0.03928, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    return np.asarray(linear @ np.array([0.2126, 0.7152, 0.0722]))


def contrast(seen: Pixels) -> float:
    """Of the colour that is there most with the one that stands out most: ground and text."""
    colors, counts = np.unique(seen.reshape(-1, 3), axis=0, return_counts=True)
    light, ground = luminance(colors), luminance(colors[counts.argmax()])
    return float(((np.maximum(light, ground) + 0.05) / (np.minimum(light, ground) + 0.05)).max())


def measured(window: MainWindow) -> dict[str, float]:
    """Contrast of each text that can be seen and used."""
    seen, found = pixels(window), {}
    for widget in window.findChildren(QWidget):
        region = widget.visibleRegion().boundingRect()
        if isinstance(widget, _TEXTS) and widget.isEnabled() and widget.text().strip() and region.isValid():
            at = QRect(widget.mapTo(window, region.topLeft()), region.size())
            at = at.adjusted(_FRAME, _FRAME, -_FRAME, -_FRAME) & QRect(QPoint(), window.size())
            if at.width() > 8 and at.height() > 8:
                part = seen[at.top() : at.bottom() + 1, at.left() : at.right() + 1]
                found[f"{type(widget).__name__} “{widget.text()}”"] = contrast(part)
    return found


@pytest.mark.parametrize("look", [theme.PAPER, theme.NIGHT], ids=lambda look: look.name)
def test_all_text_stands_out_from_its_ground(window: MainWindow, look: theme.Theme) -> None:
    found: dict[str, float] = {}
    try:
        window.use_theme(look)
        for index in range(len(window.stations) + 1):
            window.go_to(index) if index < len(window.stations) else window.show_start()
            QApplication.processEvents()
            found |= measured(window)
    finally:
        theme.use(theme.PAPER)
    assert len(found) > 100
    assert {name: round(ratio, 2) for name, ratio in found.items() if ratio < 4.5} == {}
