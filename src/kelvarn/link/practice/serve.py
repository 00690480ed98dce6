"""Lets a practice rig go on in time, and its line be reached: by TCP, or as a serial line that is a pseudo-terminal."""

import contextlib
import os
import select
import socket
import time
import tty
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol

from .rig import PracticeRig

_OWN = b"practice"
_LONGEST = 200
_MOST_TICKS = 5000
_MOST_CALLERS = 4
_LATE_S = 0.2
_READ = 4096


class Outlet(Protocol):
    """Where a practice rig is reached.

    Attributes:
        where: as a link is written.
        is_bus: whether what arrives are frames, else lines.
    """

    where: str
    is_bus: bool

    def hear(self) -> bytes:
        """What has arrived."""

    def say(self, data: bytes) -> None:
        """Send; what nobody takes is gone."""

    def files(self) -> Sequence[int]:
        """What becomes readable when something arrives."""

    def close(self) -> None:
        """Close it."""


class TcpOutlet:
    """A port. All who come hear all that is said.

    Args:
        port: 0 takes a free one.

    Raises:
        OSError: it is taken.
    """

    is_bus = False

    def __init__(self, port: int) -> None:
        self._listens = socket.create_server(("127.0.0.1", port))
        self._listens.setblocking(False)
        self._callers: list[socket.socket] = []
        self.port = int(self._listens.getsockname()[1])
        self.pulled = False  # the cable: nobody gets in, and who is in is let go of
        self.where = f"tcp://127.0.0.1:{self.port}"

    def hear(self) -> bytes:
        """As `Outlet.hear`."""
        try:
            caller, _ = self._listens.accept()
            caller.setblocking(False)
            caller.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            if len(self._callers) < _MOST_CALLERS and not self.pulled:
                self._callers.append(caller)
            else:
                caller.close()
        except BlockingIOError:
            pass  # nobody comes
        if self.pulled:
            self._let_go_of_all()
        found = b""
        for caller in tuple(self._callers):
            try:
                data = caller.recv(_READ)
                found += data
                if not data:
                    self._let_go(caller)
            except BlockingIOError:
                pass
            except OSError:
                self._let_go(caller)
        return found

    def say(self, data: bytes) -> None:
        """As `Outlet.say`."""
        for caller in tuple(self._callers):
            try:
                caller.sendall(data)
            except OSError:  # it does not read, or is gone
                self._let_go(caller)

    def _let_go(self, caller: socket.socket) -> None:
        self._callers.remove(caller)
        caller.close()

    def files(self) -> Sequence[int]:
        """As `Outlet.files`."""
        return [self._listens.fileno(), *(caller.fileno() for caller in self._callers)]

    def drop_callers(self) -> None:
        """Hang up on all who came; of any thread: the one that hears then lets go of them."""
        for caller in tuple(self._callers):
            with contextlib.suppress(OSError):  # it has gone by itself
                caller.shutdown(socket.SHUT_RDWR)

    def _let_go_of_all(self) -> None:
        for caller in tuple(self._callers):
            self._let_go(caller)

    def close(self) -> None:
        """As `Outlet.close`."""
        self._let_go_of_all()
        self._listens.close()


class SerialOutlet:
    """A pseudo-terminal, which others open as a serial line.

    Args:
        link: a name for it in the file system; None: only its own.
        is_bus: whether frames of Modbus arrive, else lines.

    Raises:
        OSError: there is none to be had, or the name is taken.
    """

    def __init__(self, link: Path | None = None, *, is_bus: bool = False) -> None:
        self._ours, self._theirs = os.openpty()  # theirs stays open: else ours fails while nobody has it open
        tty.setraw(self._theirs)
        os.set_blocking(self._ours, False)
        self.path, self._link = os.ttyname(self._theirs), link
        if link is not None:
            try:
                link.symlink_to(self.path)
            except OSError:
                os.close(self._ours)
                os.close(self._theirs)
                raise
        self.is_bus = is_bus
        self.where = f"modbus-rtu:{link or self.path}" if is_bus else f"serial:{link or self.path}"

    def hear(self) -> bytes:
        """As `Outlet.hear`."""
        try:
            return os.read(self._ours, _READ)
        except BlockingIOError:
            return b""

    def say(self, data: bytes) -> None:
        """As `Outlet.say`."""
        with contextlib.suppress(BlockingIOError):  # nobody reads
            os.write(self._ours, data)

    def files(self) -> Sequence[int]:
        """As `Outlet.files`."""
        return [self._ours]

    def close(self) -> None:
        """As `Outlet.close`."""
        os.close(self._ours)
        os.close(self._theirs)
        if self._link is not None:
            self._link.unlink(missing_ok=True)


class PracticeServer:
    """A practice rig on its line.

    Args:
        rig: it.
        outlet: where it is reached.
        speed: how much faster than real time it goes.
        clock, wait: seconds that only go on, and what waits until something arrives or so many are over.
    """

    def __init__(
        self, rig: PracticeRig, outlet: Outlet, speed: float = 1.0, clock: Callable[[], float] = time.monotonic,
        wait: Callable[[Sequence[int], float], None] | None = None,
    ) -> None:  # fmt: skip
        self.rig, self.outlet, self._speed = rig, outlet, speed
        self._clock, self._wait = clock, wait or _wait
        self._heard = b""
        self._began = clock()

    def run(self, goes_on: Callable[[], bool]) -> None:
        """Go on for as long as that says."""
        self._began = self._clock() - self.rig.time_s / self._speed
        tick_s = self.rig.tick_ms / 1000.0
        while goes_on():
            behind_s = (self._clock() - self._began) - self.rig.time_s / self._speed
            if behind_s > _LATE_S:  # the computer slept, or cannot keep up: time is not caught up with
                self._began += behind_s - _LATE_S
                behind_s = _LATE_S
            if behind_s < 0:
                self._wait(self.outlet.files(), -behind_s)
                behind_s = (self._clock() - self._began) - self.rig.time_s / self._speed
            self._listen()
            due = min(int(behind_s * self._speed / tick_s) + 1, _MOST_TICKS) if behind_s >= 0 else 0
            for _ in range(due):  # none where something arrived before the next one is due
                self.rig.tick()
                self._speak()

    def _speak(self) -> None:
        said = self.rig.spoken()
        if said:
            self.outlet.say(said)

    def _listen(self) -> None:
        """Give what arrives to the program, but for lines that are for the rig itself."""
        if self.outlet.is_bus:
            self.rig.hear(self.outlet.hear())
            return
        self._heard += self.outlet.hear()
        *lines, self._heard = self._heard.split(b"\n")
        for line in lines:
            if line.rstrip(b"\r").split(b" ")[0] == _OWN:
                self.outlet.say("".join(f"{each}\n" for each in self.own(line.decode("ascii", "replace"))).encode())
            else:
                self.rig.hear(line + b"\n")
        if len(self._heard) > _LONGEST:
            self.rig.hear(self._heard)
            self._heard = b""

    def own(self, line: str) -> list[str]:
        """Answer a line that is for the rig itself: practice, practice NAME [on|off], practice reset."""
        words = line.split()[1:]
        if not words:
            those = self.rig.happenings
            listed = [f"# practice {each.name} {'on' if is_on else 'off'} {each.text}" for each, is_on in those]
            return [_ascii(each) for each in listed] + [f"ok lines={len(listed)}"]
        if words == ["reset"]:
            self.rig.press_reset()
            return ["ok"]
        if len(words) > 2 or (len(words) == 2 and words[1] not in ("on", "off")):
            return ["no say: practice, practice NAME on, practice NAME off, practice reset"]
        is_on = self.rig.switch(words[0], on=None if len(words) == 1 else words[1] == "on")
        return ["no nothing of that name may happen: practice lists what may"] if is_on is None else ["ok"]


def _ascii(text: str) -> str:
    return text.encode("ascii", "replace").decode("ascii")


def _wait(files: Sequence[int], seconds: float) -> None:
    select.select(files, [], [], seconds)
