"""A device on the other side of a wire: asked, watched, stopped.

A thread of its own reads; whoever asks waits for the answer. A line that is not answered is said again with the same
number, which a device acts on once. What arrives garbled is counted and left out.
"""

import random
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

from kelvarn.sentence import figures, say

from .faults import LinkError
from .lines import (
    Answer,
    LineError,
    Sample,
    TalkPoint,
    Value,
    add_to,
    answer_of,
    point_of,
    sample_of,
    value_of,
    whole,
    with_sum,
    without_sum,
)
from .wire import Wire

ANSWERS_WITHIN_S = 1.0
_TRIES = 3
_READS_S = 0.05
_LONGEST = 200
_LISTS_WITHIN_S = 3.0
_LATENCIES = 50
_A_LINE = 5  # outputs that a line of a sample has at most
_LISTED = ("point", "value", "event", "probe", "program", "unit")


class Refusal(RuntimeError):
    """The device does not take an order; its own words."""


class Identity(NamedTuple):
    """What a device says of itself.

    Attributes:
        protocol: its version of the line protocol.
        program, rig: short names.
        state: fingerprint of what it was made from.
        board: kind of board.
        reset: why it started last.
        up_s: since then.
        interval_s: between samples.
    """

    protocol: int
    program: str
    rig: str
    state: str
    board: str
    reset: str
    up_s: int
    interval_s: float


class ProbeLine(NamedTuple):
    """A probe as the device reads it: raw figure, corrected reading (None: none), channel of the board."""

    name: str
    raw: float
    degC: float | None
    channel: int


@dataclass
class Traffic:
    """How well a link does.

    Attributes:
        asked, lost: lines sent, and of these not answered at the first time.
        garbled: lines that arrived and could not be read.
        latency_s: of the last answers.
    """

    asked: int = 0
    lost: int = 0
    garbled: int = 0
    latency_s: deque[float] = field(default_factory=lambda: deque(maxlen=_LATENCIES))

    @property
    def usual_s(self) -> float | None:
        """What an answer takes; None before the first."""
        those = sorted(self.latency_s)
        return those[len(those) // 2] if those else None


@dataclass
class _Asked:
    """A line that waits for its answer."""

    number: int
    done: threading.Event = field(default_factory=threading.Event)
    answer: Answer | None = None
    listed: list[list[str]] = field(default_factory=list)


class Device:
    """A device that is spoken with.

    Args:
        wire: to it; closed with it.
        on_sample: called with each sample, from a thread of its own.
        on_lost: called once with why the link is lost.
        clock: seconds that only go on.
        draw: where the numbers of lines begin, so that a device does not take one for one of before.
    """

    def __init__(
        self, wire: Wire, on_sample: Callable[[Sample], None] | None = None,
        on_lost: Callable[[str], None] | None = None, clock: Callable[[], float] = time.monotonic,
        draw: random.Random | None = None,
    ) -> None:  # fmt: skip
        self._wire, self._clock = wire, clock
        self.on_sample, self.on_lost = on_sample or (lambda _: None), on_lost or (lambda _: None)
        self.traffic = Traffic()
        self.lost = ""
        self._number = (draw or random.Random()).randrange(1, 60_000)
        self._asking, self._sending = threading.Lock(), threading.Lock()
        self._waits: _Asked | None = None
        self._sample: Sample | None = None
        self._parts = 0
        self._heard = b""
        self.said: deque[str] = deque(maxlen=100)  # what it has said unasked
        self._closed = threading.Event()
        self._reader = threading.Thread(target=self._read, name="device", daemon=True)
        self._reader.start()

    # Asking.

    def ask(
        self, text: str, *, within_s: float = ANSWERS_WITHIN_S, tries: int = _TRIES
    ) -> tuple[Answer, list[list[str]]]:
        """Say a line and wait for its answer.

        Args:
            text: without number and check sum.
            within_s: how long to wait for it.
            tries: how often it is said, with the same number.

        Returns:
            The answer, and words of the lines that came before it.

        Raises:
            LinkError: there is no answer.
        """
        with self._asking:
            self._number = self._number % 65_000 + 1
            waits = _Asked(self._number)
            self._waits = waits
            self.traffic.asked += 1
            try:
                for turn in range(tries):
                    began = self._clock()
                    self._send(with_sum(f"{waits.number} {text}"))
                    if waits.done.wait(within_s) and waits.answer is not None:
                        if turn == 0:
                            self.traffic.latency_s.append(self._clock() - began)
                        return waits.answer, waits.listed
                    if self.lost:
                        raise LinkError(self.lost)
                    self.traffic.lost += 1
                    waits.listed.clear()
            finally:
                self._waits = None
        raise LinkError(
            say("The device does not answer “{line}”: said {tries} times, {within} s each.", line=text, tries=tries,
                within=figures(f"{within_s:g}", ""))
        )  # fmt: skip

    def order(self, text: str) -> Answer:
        """Say a line that acts.

        Raises:
            Refusal: it is not taken; says why, in the device's words.
            LinkError: there is no answer.
        """
        answer, _ = self.ask(text)
        if not answer.good:
            raise Refusal(answer.text or say("it says no"))
        return answer

    def stop(self) -> None:
        """Say stop, at once and without waiting; `Sample.stopped` then says that it is done. Raises LinkError."""
        self._send("stop")

    def _send(self, line: str) -> None:
        with self._sending:
            self._wire.write(line.encode("ascii") + b"\n")

    # What is asked often.

    def hello(self) -> Identity:
        """Who it is.

        Raises:
            LinkError: it does not answer, or is something else.
        """
        answer, listed = self.ask("hello")
        values = answer.values()
        try:
            program = next(words for words in listed if words[0] == "program")
            found = Identity(
                protocol=whole(values["v"]), program=program[1], rig=program[2], state=values["state"],
                board=values["board"], reset=values["reset"], up_s=whole(values["up"]),
                interval_s=whole(program[3]) / 1000.0,
            )  # fmt: skip
        except (KeyError, IndexError, StopIteration, LineError):
            raise LinkError(say("Something answers there, but it is no program of Kelvarn.")) from None
        if found.protocol != 1:
            raise LinkError(
                say("The device speaks version {protocol} of the line protocol, this is version 1: load "
                    "its program anew.", protocol=found.protocol)
            )  # fmt: skip
        return found

    def points(self) -> list[TalkPoint]:
        """What can be read of it and written. Raises LinkError."""
        return [point_of(words) for words in self._list("points", "point")]

    def values(self) -> dict[str, Value]:
        """What all points are. Raises LinkError."""
        return {words[1]: value_of(words[2:]) for words in self._list("get all", "value")}

    def probes(self) -> list[ProbeLine]:
        """Its probes. Raises LinkError."""
        return [
            ProbeLine(words[1], float(words[2]), float(words[3]) if words[4] == "1" else None, whole(words[5]))
            for words in self._list("probes", "probe")
            if len(words) == 6
        ]

    def log(self) -> list[tuple[int, str]]:
        """What happened last: for how many seconds it has been so, and what. Raises LinkError."""
        return [(whole(words[1]), " ".join(words[2:])) for words in self._list("log", "event") if len(words) > 2]

    def _list(self, text: str, kind: str) -> list[list[str]]:
        for _ in range(_TRIES):
            answer, listed = self.ask(text, within_s=_LISTS_WITHIN_S)
            found = [words for words in listed if words[0] == kind]
            if answer.good and answer.values().get("lines") == str(len(found)):
                return found
        raise LinkError(say("The device does not tell all of “{line}”: lines are lost on the way.", line=text))

    # Reading.

    def _read(self) -> None:
        while not self._closed.is_set():
            try:
                self._heard += self._wire.read(_READS_S)
            except LinkError as error:
                if not self._closed.is_set():
                    self._end(error.said)
                return
            *lines, self._heard = self._heard.split(b"\n")
            if len(self._heard) > _LONGEST:
                self._heard = b""
                self.traffic.garbled += 1
            for line in lines:
                self._take(line.rstrip(b"\r"))

    def _end(self, why: str) -> None:
        self.lost = why
        waits = self._waits
        if waits is not None:
            waits.done.set()
        self.on_lost(why)

    def _take(self, line: bytes) -> None:
        """Take a line that arrived."""
        if not line:
            return
        if line.startswith(b"# "):
            self.said.append(line[2:].decode("ascii", "replace"))
            return
        try:
            self._take_body(without_sum(line.decode("ascii")))
        except (LineError, UnicodeDecodeError):
            if line != b"ok":  # stop is answered without a check sum
                self.traffic.garbled += 1

    def _take_body(self, body: str) -> None:
        words = body.split(" ")
        waits = self._waits
        if words[0] == "w":
            self._finish_sample()
            self._sample = sample_of(words)
            self._sample.at_s = self._clock()
        elif words[0] in ("x", "r", "o"):
            if self._sample is not None:
                add_to(self._sample, words)
                if words[0] == "o" and len(words) < 3 + _A_LINE:
                    self._finish_sample()
        elif words[0] in _LISTED:
            if waits is not None:
                waits.listed.append(words)
        else:
            answer = answer_of(body)
            if answer is None:
                raise LineError(say("no line of a device"))
            if waits is not None and answer.number == waits.number and not waits.done.is_set():
                waits.answer = answer
                waits.done.set()

    def _finish_sample(self) -> None:
        """Give a sample on, once its last line is there or the next one begins; one that lacks readings is left out."""
        sample, self._sample = self._sample, None
        if sample is not None and sample.probes_degC:
            self.on_sample(sample)

    def close(self) -> None:
        """Let go of it. What it does goes on, but for leases, which end by themselves."""
        self._closed.set()
        self._wire.close()
        if threading.current_thread() is not self._reader:
            self._reader.join(2.0)
