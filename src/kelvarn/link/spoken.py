"""A wire on which lines are spoken with something that speaks otherwise: what it tells becomes lines, lines its orders.

Whoever speaks with a device knows lines alone (`device.py`). What stands behind a wire of this kind gives its points,
its values and its samples, and does what the words of an order say; nothing else is known of it here.
"""

import threading
import time
from collections.abc import Callable, Iterator
from typing import NamedTuple, Protocol

from .lines import LineError, with_sum, without_sum

_LINES_OF_SAMPLES = 5  # values that a line of a sample has at most


class About(NamedTuple):
    """What something says of itself; as of `device.Identity`."""

    program: str
    rig: str
    state: str
    board: str
    up_s: int
    interval_ms: int


class Told(NamedTuple):
    """A sample: its number, and what its lines say after it.

    Attributes:
        seq: its number.
        plain: what the line w says after the number, then what x says.
        probes, outputs: values as text; `-` where there is none.
    """

    seq: int
    plain: tuple[str, str]
    probes: tuple[str, ...]
    outputs: tuple[str, ...]


class Source(Protocol):
    """What stands behind the wire. Each raises LinkError where it is lost."""

    def about(self) -> About:
        """Who it is."""

    def points(self) -> list[str]:
        """Its points, as lines tell of them, without their first word."""

    def values(self) -> list[str]:
        """What they are: name, value, unit, age in ms, whether it is valid."""

    def samples(self) -> list[Told]:
        """Those that came since it was asked last, or the last one where it keeps no more."""

    def order(self, words: list[str]) -> str:
        """Do what the words say. Returns why not, in words; empty where it is done."""

    def close(self) -> None:
        """Let go of it."""


class SpokenWire:
    """Lines to and from a source; a `Wire`.

    Args:
        source: it; closed with the wire.
        looks_s: how often it is asked for a sample while it is watched.
        clock: seconds that only go on.
    """

    def __init__(self, source: Source, looks_s: float, clock: Callable[[], float] = time.monotonic) -> None:
        self._source, self._looks_s, self._clock = source, looks_s, clock
        self._using = threading.Lock()
        self._out = bytearray()
        self._said = threading.Event()
        self._heard = b""
        self._watches = False
        self._looked_at = clock()
        self._last: int | None = None

    def read(self, timeout_s: float) -> bytes:
        """As `Wire.read`."""
        if not self._out:
            self._said.wait(timeout_s)
        with self._using:
            if self._watches and self._clock() - self._looked_at >= self._looks_s:
                self._looked_at = self._clock()
                self._tell_samples()
            data = bytes(self._out)
            self._out.clear()
            self._said.clear()
        return data

    def write(self, data: bytes) -> None:
        """As `Wire.write`."""
        with self._using:
            *lines, self._heard = (self._heard + data).split(b"\n")
            for line in lines:
                self._answer(line.decode("ascii", "replace"))

    def _answer(self, line: str) -> None:
        try:
            words = (without_sum(line) if "*" in line else line).split()
        except LineError:
            return
        number = f" {words.pop(0)}" if words and words[0].isdigit() else ""
        verb = words[0] if words else ""
        if verb == "hello":
            about = self._source.about()
            self._put(f"program {about.program} {about.rig} {about.interval_ms}")
            self._put(f"ok{number} v=1 state={about.state} board={about.board} reset=- up={about.up_s}")
        elif verb == "points":
            self._list(number, "point", self._source.points())
        elif verb == "get" and words[1:] == ["all"]:
            self._list(number, "value", self._source.values())
        elif verb == "watch":
            self._watches = words[1:] != ["off"]
            self._put(f"ok{number}")
        elif verb in ("probes", "log"):
            self._put(f"no{number} this is not told over this kind of link")
        else:
            why = self._source.order(words)
            self._put(f"no{number} {why}" if why else f"ok{number}")

    def _list(self, number: str, kind: str, lines: list[str]) -> None:
        for line in lines:
            self._put(f"{kind} {line}")
        self._put(f"ok{number} lines={len(lines)}")

    def _tell_samples(self) -> None:
        for told in self._source.samples():
            if told.seq != self._last:
                self._last = told.seq
                self._tell(told)

    def _tell(self, told: Told) -> None:
        self._put(f"w {told.seq} {told.plain[0]}")
        self._put(f"x {told.seq} {told.plain[1]}")
        for kind, values in (("r", told.probes), ("o", told.outputs)):
            for first, some in _in_parts(values):
                self._put(f"{kind} {told.seq} {first} {' '.join(some)}")

    def _put(self, body: str) -> None:
        self._out += f"{with_sum(body)}\n".encode()
        self._said.set()

    def close(self) -> None:
        """As `Wire.close`."""
        self._said.set()
        with self._using:
            self._source.close()


def _in_parts(values: tuple[str, ...]) -> Iterator[tuple[int, tuple[str, ...]]]:
    for first in range(0, len(values), _LINES_OF_SAMPLES):
        yield first, values[first : first + _LINES_OF_SAMPLES]
