"""Takes one picture of each station from the demo, 1280×800, in both themes for Control."""

import sys
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEventLoop
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS
from kelvarn.desktop import theme
from kelvarn.desktop.document import Document
from kelvarn.desktop.runner import Runner
from kelvarn.desktop.window import CONTROL, HANDOVER, RIG, Window

PICTURES = (
    ("rig", RIG, theme.PAPER),
    ("control", CONTROL, theme.PAPER),
    ("control-night", CONTROL, theme.NIGHT),
    ("handover", HANDOVER, theme.PAPER),
)


def open_window(size: tuple[int, int] = (1280, 800)) -> Window:
    """A window on the main demo, computed and shown, with the cursor a little after the door."""
    runner = Runner()
    runner.prepare()
    window = Window(Document(DEMOS[0].build()), runner)
    window.resize(*size)
    window.show()
    while runner.preparing:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    window.view.move_cursor(2 * 3600 + 180)
    window.view.pinned = True
    window.refresh()
    return window


def main() -> None:
    """Take all pictures into a folder: the first argument, else where this script lies."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent
    app = QApplication(["kelvarn"])
    theme.use(theme.PAPER)
    window = open_window()
    for name, station, look in PICTURES:
        window.use_theme(look)
        window.go_to(station)
        app.processEvents()
        window.grab().save(str(folder / f"{name}.png"))
        print(folder / f"{name}.png")
    window.close()


if __name__ == "__main__":
    main()
