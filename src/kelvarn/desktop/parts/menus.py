"""The menus: every command with its shortcut, for discovery and for the find-a-command box."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu

from kelvarn.desktop.language import tell


@dataclass(frozen=True)
class Command:
    """A command: menu, name, shortcuts, what it does or what fills a menu of its own; without a name a separator."""

    menu: str
    name: str = ""
    keys: str = ""
    run: Callable[[], object] | None = None
    also: str = ""
    fill: Callable[[QMenu], None] | None = None


class Menus:
    """Builds the menu bar of a window from commands.

    Attributes:
        actions: by command name.
    """

    def __init__(self, window: QMainWindow, commands: list[Command]) -> None:
        self.actions: dict[str, QAction] = {}
        menus: dict[str, QMenu] = {}
        for command in commands:
            menu = menus.get(command.menu)
            if menu is None:
                menu = menus[command.menu] = window.menuBar().addMenu(tell(command.menu))
            if command.fill is not None:
                inner = menu.addMenu(tell(command.name))
                inner.aboutToShow.connect(partial(command.fill, inner))
                continue
            if not command.name or command.run is None:
                menu.addSeparator()
                continue
            action = QAction(tell(command.name), window)
            if command.keys:
                action.setShortcuts([QKeySequence(keys) for keys in (command.keys, command.also) if keys])
            action.triggered.connect(lambda _=False, run=command.run: run())
            menu.addAction(action)
            self.actions[command.name] = action
        self.menus = menus

    def title(self, name: str, text: str, *, enabled: bool) -> None:
        """Change what a command is called, such as undo with the name of the edit."""
        self.actions[name].setText(text)
        self.actions[name].setEnabled(enabled)
