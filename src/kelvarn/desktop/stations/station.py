"""What every station gives: its name, commands, phrase for the line, and how it shows the present state."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from kelvarn.desktop.parts.boxes import Guarded
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.view import View
from kelvarn.desktop.stations.remarks import Remarks
from kelvarn.desktop.strip.strip import Strip

Place = tuple[str, Callable[[], object]]
"""Something to be found: what it is called, and what shows it."""


@dataclass(frozen=True)
class Context:
    """What all stations work on: the project, what is looked at, what computes, and how faults are said."""

    document: Document
    view: View
    runner: Runner
    guarded: Guarded
    remarks: Remarks


@dataclass(frozen=True)
class Phrase:
    """Where a station stands in a few words, and how it is."""

    text: str
    state: Literal["fine", "begin", "look"]


class Station(QWidget):
    """Base of the stations.

    Args:
        context: what it works on.

    Attributes:
        title: its name on the line.
        keys: shortcut that goes to it.

    Signals:
        wanted: it is to be shown.
        stands_elsewhere: its phrase is another one.
    """

    wanted = Signal()
    stands_elsewhere = Signal()

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context = context

    title = ""
    keys = ""

    @property
    def chart(self) -> Strip | None:
        """Its strip, if it has one."""
        return None

    def commands(self) -> list[Command]:
        """Its commands for the menus; one that needs the station to be in sight shows it first."""
        return []

    def places(self) -> list[Place]:
        """What can be found of it: parts, trials, events; each with what shows it."""
        return []

    def phrase(self) -> Phrase:
        """Where it stands."""
        raise NotImplementedError  # not an ABC: Qt's classes have a metaclass of their own

    def request(self) -> None:
        """Ask for what it shows and is not known yet; called when project or view changed and it is in sight."""

    def refresh(self) -> None:
        """Show the present state of document, view and runner. Asks for nothing to be computed."""
        raise NotImplementedError  # not an ABC: Qt's classes have a metaclass of their own

    def show_cursor(self) -> None:
        """Show what depends on the cursor."""

    def new_look(self) -> None:
        """The theme is another one; it is refreshed as it comes into sight, or after this where it is."""

    def finish(self) -> None:
        """Stop what is under way; for closing."""

    def shown(self, work: Callable[[], object]) -> Callable[[], bool]:
        """Work that is seen: the station is shown first. Its faults are said."""

        def run() -> object:
            self.wanted.emit()
            return work()

        return self.context.guarded(run)

    def in_sight(self, work: Callable[[], object]) -> Callable[[], bool]:
        """Work that takes something away: where what is selected here is out of sight it is only shown."""

        def run() -> None:
            if self.isVisible():
                work()
            else:
                self.wanted.emit()

        return self.context.guarded(run)
