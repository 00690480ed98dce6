"""A practice rig on Modbus: its program speaks in frames (RTU), which TCP puts into the envelopes of Modbus TCP."""

import contextlib
import socket
import struct
import time
from collections import deque
from collections.abc import Callable, Sequence
from typing import NamedTuple

from pymodbus.framer import FramerRTU

_MOST_MASTERS, _READ, _LONGEST = 4, 4096, 260
_ANSWERS_WITHIN_S = 1.0
_ENVELOPE = struct.Struct(">HHH")


class _Asked(NamedTuple):
    """A request of a master: who, by which number, the frame for the program."""

    master: socket.socket
    number: int
    frame: bytes


class BusTcpOutlet:
    """A port for masters of Modbus TCP. The program answers one request after another; an `Outlet`.

    Args:
        port: 0 takes a free one.
        clock: seconds that only go on.

    Raises:
        OSError: it is taken.
    """

    is_bus = True

    def __init__(self, port: int, clock: Callable[[], float] = time.monotonic) -> None:
        self._listens = socket.create_server(("127.0.0.1", port))
        self._listens.setblocking(False)
        self._clock = clock
        self._masters: dict[socket.socket, bytes] = {}
        self._waiting: deque[_Asked] = deque()
        self._asked: tuple[_Asked, float] | None = None
        self._answer = b""
        self.where = f"modbus-tcp://127.0.0.1:{self._listens.getsockname()[1]}#1"

    def hear(self) -> bytes:
        """As `Outlet.hear`: the next frame for the program, where it has answered the one before or does not."""
        with contextlib.suppress(BlockingIOError):
            master, _ = self._listens.accept()
            master.setblocking(False)
            master.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            if len(self._masters) < _MOST_MASTERS:
                self._masters[master] = b""
            else:
                master.close()
        for master in tuple(self._masters):
            self._take(master)
        if self._asked is not None and self._clock() - self._asked[1] < _ANSWERS_WITHIN_S:
            return b""
        self._asked, self._answer = None, b""
        if not self._waiting:
            return b""
        asked = self._waiting.popleft()
        self._asked = asked, self._clock()
        return asked.frame

    def _take(self, master: socket.socket) -> None:
        try:
            data = master.recv(_READ)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        if not data:
            self._let_go(master)
            return
        heard = self._masters[master] + data
        while len(heard) >= _ENVELOPE.size:
            number, protocol, length = _ENVELOPE.unpack_from(heard)
            if protocol != 0 or not 2 <= length <= _LONGEST:
                self._let_go(master)  # out of step: nothing that follows can be told
                return
            if len(heard) < _ENVELOPE.size + length:
                break
            body, heard = heard[_ENVELOPE.size : _ENVELOPE.size + length], heard[_ENVELOPE.size + length :]
            self._waiting.append(_Asked(master, number, body + struct.pack(">H", FramerRTU.compute_CRC(body))))
        self._masters[master] = heard

    def say(self, data: bytes) -> None:
        """As `Outlet.say`: what the program answers goes to who asked; lines of text are for nobody here."""
        if self._asked is None:
            return
        self._answer += data
        asked, _ = self._asked
        begins = self._answer.find(asked.frame[:1])
        answer = self._answer[begins:] if begins >= 0 else b""
        if len(answer) < 4 or struct.unpack(">H", answer[-2:])[0] != FramerRTU.compute_CRC(answer[:-2]):
            return
        self._asked = None
        try:
            asked.master.sendall(_ENVELOPE.pack(asked.number, 0, len(answer) - 2) + answer[:-2])
        except OSError:  # it has gone
            self._let_go(asked.master)

    def _let_go(self, master: socket.socket) -> None:
        if self._masters.pop(master, None) is not None:
            master.close()

    def files(self) -> Sequence[int]:
        """As `Outlet.files`."""
        return [self._listens.fileno(), *(master.fileno() for master in self._masters)]

    def close(self) -> None:
        """As `Outlet.close`."""
        for master in tuple(self._masters):
            self._let_go(master)
        self._listens.close()
