"""Lines of the line protocol: check sums, answers, samples. `docs/line-protocol.md` says what they mean."""

import re
from dataclasses import dataclass, field
from typing import NamedTuple

LONGEST = 80
_ANSWER = re.compile(r"(ok|no)(?: (\d{1,5})(?![\d.]))?(?: (.*))?", re.ASCII)
_NUMBER = re.compile(r"-?\d{1,10}(?:\.\d{1,9})?", re.ASCII)
_SUM = re.compile(r"\*([0-9A-Fa-f]{4})$", re.ASCII)


class LineError(ValueError):
    """A line that is none: garbled, half, or of something else."""


def check_of(text: str) -> int:
    """CRC-16 of a line, with the polynomial 0x1021, from 0xFFFF (CRC-16/CCITT-FALSE)."""
    check = 0xFFFF
    for byte in text.encode("ascii"):
        check ^= byte << 8
        for _ in range(8):
            check = (check << 1 ^ 0x1021 if check & 0x8000 else check << 1) & 0xFFFF
    return check


def with_sum(text: str) -> str:
    """A line with its check sum."""
    return f"{text}*{check_of(text):04X}"


def without_sum(line: str) -> str:
    """A line as it was before its check sum.

    Raises:
        LineError: it has none, or another one.
    """
    found = _SUM.search(line)
    if found is None or not line.isascii():
        raise LineError("a line without a check sum")
    body = line[: found.start()]
    if int(found[1], 16) != check_of(body):
        raise LineError("a line with a wrong check sum")
    return body


class Answer(NamedTuple):
    """An answer to a line.

    Attributes:
        good: whether it was taken.
        number: of the line that it answers; None where that had none.
        text: what it says besides: values, or the reason of a refusal.
    """

    good: bool
    number: int | None
    text: str

    def values(self) -> dict[str, str]:
        """What stands in it by name."""
        return dict(part.split("=", 1) for part in self.text.split(" ") if "=" in part)


def answer_of(body: str) -> Answer | None:
    """An answer; None where the line is none."""
    found = _ANSWER.fullmatch(body)
    if found is None:
        return None
    return Answer(found[1] == "ok", int(found[2]) if found[2] else None, found[3] or "")


@dataclass
class Sample:
    """What a device tells of a sample.

    Attributes:
        seq: its number, that wraps at 65535.
        t_ms: by the device's clock, that wraps at 2³² ms.
        reading_degC: of the control probe; None where there is none.
        setpoint_degC: as it is.
        asked, given: 0…1, below 0 where they cool.
        law, guard: codes.
        ready, stopped, drives_cut, loads_cut: as they say.
        mode: who decides, a place in `MODES`.
        held, nudged: whether a lease of the drive, of the setpoint, runs.
        alarm, tripped: a bit for each.
        late: samples that came late so far; heat_s: of a test so far, at full drive; edits: of its settings so far.
        probes_degC: what each probe reads; None where there is no reading.
        outputs: level of each output, 0…1.
        at_s: when it arrived, by the clock of whoever listens.
    """

    seq: int
    t_ms: int
    reading_degC: float | None
    setpoint_degC: float
    asked: float
    given: float
    law: int
    guard: int
    ready: bool
    stopped: bool
    drives_cut: bool
    loads_cut: bool
    mode: int
    held: bool
    nudged: bool
    at_s: float = 0.0
    alarm: int = 0
    tripped: int = 0
    late: int = 0
    heat_s: float = 0.0
    edits: int = 0
    probes_degC: dict[int, float | None] = field(default_factory=dict)
    outputs: dict[int, float] = field(default_factory=dict)


def number(word: str) -> float:
    """A number of a line. Raises LineError."""
    if _NUMBER.fullmatch(word) is None:
        raise LineError(f"“{word}” is no number")
    return float(word)


def whole(word: str) -> int:
    """A whole number, not below 0. Raises LineError."""
    if not (word.isascii() and word.isdigit() and len(word) <= 10):
        raise LineError(f"“{word}” is no whole number")
    return int(word)


def _reading(word: str) -> float | None:
    return None if word == "-" else number(word)


def sample_of(words: list[str]) -> Sample:
    """The first line of a sample, whose first word is w.

    Raises:
        LineError: it is none.
    """
    if len(words) != 10:
        raise LineError("a sample of another length")
    flags = whole(words[9])
    return Sample(
        seq=whole(words[1]), t_ms=whole(words[2]), reading_degC=_reading(words[3]), setpoint_degC=number(words[4]),
        asked=number(words[5]) / 100.0, given=number(words[6]) / 100.0, law=whole(words[7]), guard=whole(words[8]),
        ready=bool(flags & 1), stopped=bool(flags & 2), drives_cut=bool(flags & 4), loads_cut=bool(flags & 8),
        mode=flags >> 4 & 3, held=bool(flags & 64), nudged=bool(flags & 128),
    )  # fmt: skip


def add_to(sample: Sample, words: list[str]) -> None:
    """Add what a further line of a sample says: x, r or o.

    Raises:
        LineError: it is none of these, or of another sample.
    """
    if len(words) < 3 or whole(words[1]) != sample.seq:
        raise LineError("a line of another sample")
    if words[0] == "x" and len(words) == 7:
        sample.alarm, sample.tripped, sample.late = (whole(word) for word in words[2:5])
        sample.heat_s, sample.edits = number(words[5]), whole(words[6])
    elif words[0] in ("r", "o"):
        first = whole(words[2])
        for place, word in enumerate(words[3:], first):
            if words[0] == "r":
                sample.probes_degC[place] = _reading(word)
            else:
                sample.outputs[place] = number(word) / 100.0
    else:
        raise LineError(f"“{words[0]}” is no line of a sample")


class TalkPoint(NamedTuple):
    """A point as a device tells of it; see `handover.points.Point`."""

    name: str
    unit: str
    low: float
    high: float
    step: float
    writes: bool
    who: str
    stored: bool


def point_of(words: list[str]) -> TalkPoint:
    """A point from its line. Raises LineError."""
    if len(words) != 9 or words[6] not in ("r", "rw"):
        raise LineError("a point of another length")
    low, high, step = (number(word) for word in words[3:6])
    return TalkPoint(words[1], words[2], low, high, step, words[6] == "rw", words[7], words[8] == "stored")


class Value(NamedTuple):
    """What a point is now: its value (None where there is none), its unit, how old it is in s."""

    value: float | None
    unit: str
    age_s: float


def value_of(words: list[str]) -> Value:
    """A value from VALUE UNIT AGE VALID. Raises LineError."""
    if len(words) != 4 or words[3] not in ("0", "1"):
        raise LineError("a value of another length")
    return Value(None if words[3] == "0" or words[0] == "-" else number(words[0]), words[1], whole(words[2]) / 1000.0)
