"""One window per project: whoever opens a file that another window has open is shown that window instead."""

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from kelvarn.desktop.language import tell

_CONNECTS_MS = 1000
_ANSWERS_MS = 5000
"""How long another window may take to answer, with much to do; one that hangs keeps nobody from opening the file."""
_SEEN = b"shown"


def name_of(path: Path) -> str:
    """The name of the local socket that stands for a file, for this user."""
    return f"kelvarn-{os.getuid()}-{hashlib.sha256(os.fsencode(path.resolve())).hexdigest()[:24]}"


def shown_elsewhere(path: Path) -> bool:
    """Whether another window has this file open; it comes to the front then."""
    socket = QLocalSocket()
    socket.connectToServer(name_of(path))
    if not socket.waitForConnected(_CONNECTS_MS):
        return False
    return socket.waitForReadyRead(_ANSWERS_MS) and bytes(socket.readAll().data()) == _SEEN


def said_elsewhere(path: Path) -> str:
    """The sentence on a file that another window has open, which comes to the front; empty where none has."""
    return (
        tell("{path} is open in another window, which was brought to the front.", path=path.name)
        if shown_elsewhere(path)
        else ""
    )


class OnlyHere(QObject):
    """Tells other windows that a file is open in this one.

    Args:
        parent: the window; the claim ends with it.
        show: brings the window to the front.
    """

    def __init__(self, parent: QObject, show: Callable[[], object]) -> None:
        super().__init__(parent)
        self._show = show
        self._path: Path | None = None
        self._server: QLocalServer | None = None

    def has(self, path: Path) -> bool:
        """Whether it is this window that has the file open."""
        return self._path is not None and self._path.resolve() == path.resolve()

    def claim(self, path: Path | None) -> None:
        """This window has another file open now; None: a project without a file."""
        if path == self._path:
            return
        self.release()
        self._path = path
        if path is None or shown_elsewhere(path):  # saved over what another window has open: that one keeps the claim
            return
        QLocalServer.removeServer(name_of(path))  # what a window that did not end properly left behind
        self._server = QLocalServer(self)
        self._server.newConnection.connect(self._answer)
        self._server.listen(name_of(path))

    def release(self) -> None:
        """Nothing is open here any more."""
        self._path = None
        if self._server is not None:
            self._server.close()
            self._server.deleteLater()
            self._server = None

    def _answer(self) -> None:
        assert self._server is not None
        while (asking := self._server.nextPendingConnection()) is not None:
            asking.disconnected.connect(asking.deleteLater)
            asking.write(_SEEN)
            asking.flush()
            self._show()
