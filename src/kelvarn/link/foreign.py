"""A device that is not Kelvarn's: what it tells, bound to reading, setpoint and drive; it is only watched.

What it tells may be JSON at a broker, of whatever shape, or registers by a map that was typed. Its values are told
apart by name and unit, with the reason, as the columns of a log are; whoever knows better says so.
"""

import json
import math
import re
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from kelvarn.sentence import figures, say

from .lines import LineError
from .spoken import About, Told

Role = Literal["reading", "setpoint", "drive", "extra"]
ROLES: tuple[Role, ...] = ("reading", "setpoint", "drive")
_DEEPEST, _MOST_VALUES, _LONGEST_NAME = 8, 200, 24
_WORDS: dict[Role, str] = {
    "setpoint": r"set ?point set ?temp\w* target\w* desired wanted goal soll\w* sp setting consigne",
    "drive": r"duty pwm output out heater heating relay power level valve fan speed drive on actuator stell\w* cv load",
    "reading": r"temp\w* celsius fahrenheit degc degf measured actual ist\w* pv value reading probe sensor t\d? ntc",
}
"""Words by which each is known, as people and their devices name it."""
_NEVER_WORDS = (
    r"time\w* ts date seq id uptime rssi heap battery vbat volt\w* humidity rh pressure lux count version min max lower"
    r" upper limit\w* alarm error kp ki kd interval hyst\w* offset outdoor outside ambient energy kwh amp\w*"
)
"""Words of what is none of them."""


def _pattern(words: str) -> re.Pattern[str]:
    alternatives = "|".join(re.split(r" (?!\?)", words)).replace(" ?", "[ ]?")
    return re.compile(rf"(?<![a-z])(?:{alternatives})(?![a-z])")


_WORD = {role: _pattern(words) for role, words in _WORDS.items()}
_NEVER = _pattern(_NEVER_WORDS)
_ON, _OFF = {"on", "true", "open", "yes", "heating", "heat", "1"}, {"off", "false", "closed", "no", "idle", "0"}
_WITH_UNIT = re.compile(r"\s*([-+]?\d+(?:[.,]\d+)?)\s*(°?\s*[CF]|K|%|)\s*")


@dataclass(frozen=True)
class Bound:
    """A value of a device, and what it is taken for.

    Attributes:
        where: it stands: the path in what it tells, or the name of a register.
        role: what it is taken for.
        why: by what it was known.
        scale, offset: what makes degC, or a share of full drive, of it: scale times it, plus offset.
    """

    where: str
    role: Role
    why: str
    scale: float = 1.0
    offset: float = 0.0

    def value(self, raw: float) -> float:
        """What it is in degC, or as a share."""
        return self.scale * raw + self.offset


def flattened(topic: str, payload: bytes) -> dict[str, float]:
    """Numbers in a message by their path, `topic/a/b`; words for on and off are 1 and 0.

    Args:
        topic: below the base; may be empty.
        payload: JSON, or a number alone.
    """
    try:
        told: Any = json.loads(payload)
    except (ValueError, RecursionError):
        told = payload.decode("utf-8", "replace").strip()
    found: dict[str, float] = {}
    _flatten(told, topic.strip("/"), found, 0)
    return found


def _flatten(told: Any, path: str, found: dict[str, float], depth: int) -> None:
    if depth > _DEEPEST or len(found) >= _MOST_VALUES:
        return
    if isinstance(told, dict):
        name = told.get("name", told.get("sensor", told.get("id")))
        for key, value in told.items():
            # {"name": "oven", "value": 21.5}: a value is called by the name beside it.
            called = f"{name}/{key}" if isinstance(name, str) and key in ("value", "state", "val", "v") else key
            _flatten(value, f"{path}/{called}".strip("/"), found, depth + 1)
    elif isinstance(told, list):
        for k, value in enumerate(told):
            _flatten(value, f"{path}/{k}".strip("/"), found, depth + 1)
    elif (number := _number(told)) is not None:
        found[path or "value"] = number


def _number(told: Any) -> float | None:
    if isinstance(told, bool):
        return float(told)
    if isinstance(told, int | float):
        return float(told) if math.isfinite(told) else None
    if isinstance(told, str):
        if (word := told.strip().lower()) in _ON | _OFF:
            return float(word in _ON)
        if found := _WITH_UNIT.fullmatch(told):
            number = float(found[1].replace(",", "."))
            return (number - 32.0) / 1.8 if "F" in found[2] else number
    return None


def bound(seen: dict[str, list[float]]) -> list[Bound]:
    """What each value of a device is taken for, in the order in which they came.

    Args:
        seen: by path what each was so far.
    """
    taken: set[Role] = set()
    ranked = sorted(seen, key=lambda path: -max(_score(path, role, seen[path]) for role in ROLES))
    chosen: dict[str, Bound] = {}
    for path in ranked:
        scores = {role: _score(path, role, seen[path]) for role in ROLES if role not in taken}
        role = max(scores, key=lambda each: scores[each], default=None)
        if role is None or scores[role] <= 0.0:
            continue
        taken.add(role)
        chosen[path] = _scaled(Bound(path, role, f"“{_words_of(path)}” is a word for it"), seen[path])
    return [chosen.get(path) or Bound(path, "extra", "neither name nor range says more") for path in seen]


def _words_of(path: str) -> str:
    """The last parts of a path as words."""
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", "/".join(path.split("/")[-3:]))
    return re.sub(r"[^a-z0-9]+", " ", spaced.lower()).strip()


def _score(path: str, role: Role, values: list[float]) -> float:
    """How much speaks for a role."""
    parts = [_words_of(part) for part in path.split("/")[-3:]]
    words = parts[-1]
    if _NEVER.search(words) or not values:
        return 0.0
    score = 0.0
    for far, part in enumerate(reversed(parts)):
        if _WORD[role].search(part):
            score = max(score, 3.0 - far)
    if role == "reading" and _WORD["setpoint"].search(" ".join(parts)):
        return 0.0
    if role == "drive" and (_WORD["setpoint"].search(words) or re.search(r"(?<![a-z])temp", words)):
        return 0.0
    if role == "drive" and not all(0.0 <= value <= 100.0 for value in values) and "255" not in words:
        score *= 0.3 if max(values) <= 1023.0 else 0.0
    if (
        role == "setpoint"
        and score
        and not _WORD["reading"].search(words)
        and len(set(values)) > max(3, len(values) // 2)
    ):
        score *= 0.5  # what changes with every message is no setpoint
    if role == "reading" and score and re.search(r"temp|celsius|deg|fahrenheit", " ".join(parts)):
        score += 0.5
    return score


def _scaled(one: Bound, values: list[float]) -> Bound:
    """With what makes degC, or a share, of it."""
    words, largest = _words_of(one.where), max(abs(value) for value in values)
    if one.role == "drive":
        if largest <= 1.0 and not re.search(r"percent|pct", words):
            return replace(one, why=say("{why}; 0 to 1", why=one.why))
        full = 100.0 if largest <= 100.0 else 255.0 if largest <= 255.0 else 1023.0
        return replace(
            one, scale=1.0 / full, why=say("{why}; {full} is full", why=one.why, full=figures(f"{full:g}", ""))
        )
    if re.search(r"(?<![a-z])(?:f|fahrenheit|deg ?f|tempf)(?![a-z])", words):
        return replace(one, scale=1.0 / 1.8, offset=-32.0 / 1.8, why=say("{why}; in °F", why=one.why))
    if re.search(r"(?<![a-z])(?:kelvin|k)(?![a-z])", words) and largest > 200.0:
        return replace(one, offset=-273.15, why=say("{why}; in kelvin", why=one.why))
    if re.search(r"milli|mdeg|x1000", words) or (largest >= 5000.0 and all(value == int(value) for value in values)):
        return replace(one, scale=0.001, why=say("{why}; thousandths", why=one.why))
    if re.search(r"x10(?![0-9])|deci|tenths", words):
        return replace(one, scale=0.1, why=say("{why}; tenths", why=one.why))
    if re.search(r"x100|centi|hundredths", words):
        return replace(one, scale=0.01, why=say("{why}; hundredths", why=one.why))
    return one


def chosen_as(those: list[Bound], chosen: Sequence[tuple[str, str]], seen: dict[str, list[float]]) -> list[Bound]:
    """The same where somebody knows better.

    Args:
        those: what they were taken for.
        chosen: roles, and the path that has each; an empty one is had by none.
        seen: by path what each was so far.

    Raises:
        LineError: such a value is not told.
    """
    paths = {path for _, path in chosen if path}
    if missing := sorted(paths - set(seen)):
        raise LineError(say("it does not tell “{missing}”", missing=missing[0]))
    roles = {role for role, _ in chosen}
    by_path = {path: role for role, path in chosen}
    found = []
    for each in those:
        if each.where in by_path:
            role: Role = next(one for one in ROLES if one == by_path[each.where])
            found.append(_scaled(Bound(each.where, role, "chosen"), seen[each.where]))
        elif each.role in roles:
            found.append(Bound(each.where, "extra", "another one was chosen"))
        else:
            found.append(each)
    return found


class Foreign:
    """What a foreign device told last, and as a `Source` of lines; it takes no order.

    Args:
        where: it is, for sentences.
        clock: seconds that only go on.
    """

    def __init__(self, where: str, clock: Callable[[], float] = time.monotonic) -> None:
        self._where, self._clock = where, clock
        self._began = clock()
        self._values: dict[str, tuple[float, float]] = {}
        self._bound: dict[Role, Bound] = {}
        self._extras: list[str] = []
        self._seq = 0
        self._samples: list[Told] = []

    def bind(self, those: Iterable[Bound]) -> None:
        """Say what its values are."""
        listed = list(those)
        self._bound = {each.role: each for each in listed if each.role != "extra"}
        self._extras = [each.where for each in listed if each.role == "extra"]

    def take(self, values: dict[str, float]) -> None:
        """Take what it told; a sample is made of each reading."""
        now = self._clock()
        self._values |= {path: (value, now) for path, value in values.items()}
        reading = self._bound.get("reading")
        if reading is not None and reading.where in values:
            self._seq = self._seq % 65_535 + 1
            self._samples.append(self._told(now))

    def _of(self, role: Role) -> float | None:
        one = self._bound.get(role)
        found = None if one is None else self._values.get(one.where)
        return None if one is None or found is None else one.value(found[0])

    def _told(self, now: float) -> Told:
        degC, setpoint, drive = (self._of(role) for role in ROLES)
        share = min(max(drive or 0.0, -1.0), 1.0)
        shown = "-" if degC is None else f"{degC:.3f}"
        wanted = shown if setpoint is None else f"{setpoint:.3f}"
        plain = (
            f"{round(1000 * (now - self._began)) % 2**32} {shown} {wanted if wanted != '-' else '0'} "
            f"{100 * share:.2f} {100 * share:.2f} 0 0 0"
        )
        return Told(self._seq, (plain, "0 0 0 0 0"), (shown,), (f"{100 * abs(share):.1f}",))

    def about(self) -> About:
        """As `Source.about`."""
        return About("foreign", _short(self._where), "foreign", "foreign", int(self._clock() - self._began), 1000)

    def points(self) -> list[str]:
        """As `Source.points`."""
        extras = [f"{_short(path)} - -9999999 9999999 0 r - -" for path in self._extras]
        return ["setpoint degC -273 3000 0 r - -", "given % -100 100 0 r - -", "probe_reading degC -273 3000 0 r - -",
                "out_drive % 0 100 0 r - -", *extras]  # fmt: skip

    def values(self) -> list[str]:
        """As `Source.values`."""
        now = self._clock()
        lines = []
        for path in self._extras:
            if path in self._values:
                value, at = self._values[path]
                lines.append(f"{_short(path)} {value:.6f} - {round(1000 * (now - at))} 1")
        return lines

    def samples(self) -> list[Told]:
        """As `Source.samples`."""
        found, self._samples = self._samples, []
        return found

    def order(self, words: list[str]) -> str:
        """As `Source.order`: nothing is ordered of what is not known."""
        del words
        return "it is no program of Kelvarn: it is only watched"

    def close(self) -> None:
        """As `Source.close`."""


def _short(path: str) -> str:
    """A path as the name of a point."""
    name = re.sub(r"[^a-z0-9]+", "_", path.lower()).strip("_")
    return name[-_LONGEST_NAME:].strip("_") or "value"


def checked(those: list[Bound]) -> list[Bound]:
    """Those; raises LineError where nothing of them is a reading."""
    if not any(each.role == "reading" for each in those):
        raise LineError(say("none of its values is known as a temperature"))
    return those
