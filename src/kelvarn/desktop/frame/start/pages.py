"""The window's two faces: a project, or what there is to begin with."""

from PySide6.QtWidgets import QStackedWidget, QWidget

from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.session import Session
from kelvarn.files.journal import Unsaved, left_behind

from .screen import StartScreen


class StartPages(QStackedWidget):
    """The stations, and the start screen behind them.

    Args:
        stations, start: the two.
    """

    def __init__(self, stations: QWidget, start: StartScreen) -> None:
        super().__init__()
        self._start = start
        self._unsaved: Unsaved | None = None
        self.addWidget(stations)
        self.addWidget(start)

    @property
    def nothing_open(self) -> bool:
        """Whether the start screen is shown."""
        return self.currentIndex() == 1

    def show_start(self, document: Document, session: Session) -> None:
        """Show what there is to begin with, and what a crash left."""
        self._unsaved = self._unsaved or left_behind()

        def recover() -> None:
            if self._unsaved is not None:
                unsaved, self._unsaved = self._unsaved, None
                document.recover(unsaved)

        def away() -> None:
            if self._unsaved is not None:
                self._unsaved.journal.clear()
                self._unsaved = None
                self.show_start(document, session)

        self._start.refresh([(path, *session.noted(path)) for path in session.listed], self._unsaved, recover, away)
        self.setCurrentIndex(1)

    def leave(self) -> None:
        """Show the stations."""
        if self.nothing_open:
            self._start.leave()
            self.setCurrentIndex(0)
            self.let_go()

    def let_go(self) -> None:
        """Leave what a crash left for the next start, unless it was taken or thrown away."""
        if self._unsaved is not None:
            self._unsaved.journal.let_go()
            self._unsaved = None
