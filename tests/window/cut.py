"""Prints as JSON what is cut for want of room: `python -m tests.window.cut WIDTH HEIGHT`, at any QT_SCALE_FACTOR."""

import json
import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QAbstractButton, QApplication, QLabel, QWidget

from kelvarn.demos import DEMOS
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import CONTROL, MainWindow
from kelvarn.desktop.parts import texts
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner

cut: set[str] = set()


def watch() -> None:
    """Note every painted text that ends in …"""
    elided = texts.elided

    def noting(text: str, *more: object, **named: object) -> str:
        found = elided(text, *more, **named)  # type: ignore[arg-type]
        if found != text:
            cut.add(text)
        return found

    texts.elided = noting


def look(window: QWidget) -> None:
    """Note labels and buttons that are narrower than their text."""
    QCoreApplication.processEvents()
    window.grab()
    for widget in window.findChildren(QWidget):
        if isinstance(widget, QLabel | QAbstractButton) and widget.isVisible() and widget.text():
            wraps = isinstance(widget, QLabel) and widget.wordWrap()
            needed = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().splitlines() or [""])
            if (not wraps and needed > widget.width() + 1) or (
                wraps and widget.heightForWidth(widget.width()) > widget.height() + 2
            ):
                cut.add(widget.text())


def main() -> None:
    """Look at Control with the line of stations, and at the start screen."""
    app = QApplication(["kelvarn"])
    theme.use(theme.PAPER)
    watch()
    runner = Runner(float("inf"))
    runner.prepare()
    window = MainWindow(Document(DEMOS[0].build()), runner)
    window.resize(int(sys.argv[1]), int(sys.argv[2]))
    window.show()
    while runner.preparing:
        app.processEvents()
    window.go_to(CONTROL)  # what others show depends on how far they have computed
    look(window)
    window.show_start()
    look(window)
    print(json.dumps([window.devicePixelRatioF(), sorted(cut)]))
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
