"""Tests that a device is put through: what is held when, and when it is over. Each ends by itself.

A task is told each sample and answers what the drive is to be held at; None ends it. It knows nothing of lines: the
session holds the lease, and the device ends the test at its heat, at its limit, or when nobody holds it any more.
"""

from collections import deque
from dataclasses import dataclass
from typing import Protocol

from kelvarn.fit.planning import plan_step_test, rough_of
from kelvarn.link.lines import Sample
from kelvarn.model.guards import Trip
from kelvarn.model.rig import Rig
from kelvarn.sentence import say

STEADY_K_PER_MIN = 0.05
"""Slope below which a reading counts as steady, if its noise allows no less."""
BELOW_TRIP_K = 1.0
"""So far below a trip a test ends."""
_STEADY_SHARE = 0.02  # of the change so far, in a fifth of the time since the step
_SHORTEST_S = 60.0
_GAIN_SHARE, _LAG_SHARE = 0.03, 0.05


def limit_degC_of_test(rig: Rig, near_degC: float) -> float:
    """Where a test ends on the device: at what is given, and below each trip."""
    trips = (guard.at_degC for guard in rig.guards if isinstance(guard, Trip) and guard.side == "above")
    return min([near_degC, *(at_degC - BELOW_TRIP_K for at_degC in trips)])


class Task(Protocol):
    """A test under way.

    Attributes:
        name: what it is called.
        holds: what it holds: all, or the point of one output.
        ended: why it is over; empty while it is not.
    """

    name: str
    holds: str
    ended: str

    @property
    def most_heat_s(self) -> float:
        """The most that it may give, in seconds at full drive: the device ends it there."""

    def drive(self, sample: Sample, time_s: float) -> float | None:
        """What the drive is to be held at from this sample on, so long after the test began; None ends it."""


class Steady:
    """Tells when a reading has come to rest after a change: its change over the last fifth of the time is small.

    Args:
        noise_K: what it scatters by.
    """

    def __init__(self, noise_K: float) -> None:
        self._noise_K = noise_K
        self._rows: deque[tuple[float, float]] = deque(maxlen=20_000)

    def at(self, time_s: float, degC: float) -> bool:
        """Take a reading; whether it is at rest."""
        self._rows.append((time_s, degC))
        begun_s, first = self._rows[0]
        window_s = max((time_s - begun_s) / 5.0, _SHORTEST_S)
        if time_s - begun_s < 2 * window_s:
            return False
        late = [y for t, y in self._rows if t >= time_s - window_s / 2]
        early = [y for t, y in self._rows if time_s - window_s <= t < time_s - window_s / 2]
        if not late or not early:
            return False
        moved = abs(sum(late) / len(late) - sum(early) / len(early))
        least = max(STEADY_K_PER_MIN * window_s / 120.0, self._noise_K)
        return moved <= max(_STEADY_SHARE * abs(degC - first), least)


@dataclass
class HoldDuty:
    """Holds a duty for a while; without a time until the reading is at rest.

    Attributes:
        duty: 0…1.
        lasts_s: at most.
        until_steady: whether it ends earlier where the reading comes to rest.
        noise_K: of the reading.
        name, holds, ended: as of `Task`.
    """

    duty: float
    lasts_s: float
    until_steady: bool = False
    noise_K: float = 0.0
    name: str = say("hold a duty")
    holds: str = "all"
    ended: str = ""

    def __post_init__(self) -> None:
        self._steady = Steady(self.noise_K)

    @property
    def most_heat_s(self) -> float:
        """As `Task.most_heat_s`."""
        return abs(self.duty) * self.lasts_s * 1.05 + 10.0

    def drive(self, sample: Sample, time_s: float) -> float | None:
        """As `Task.drive`."""
        if time_s >= self.lasts_s:
            self.ended = "its time is over"
        elif sample.reading_degC is not None and self._steady.at(time_s, sample.reading_degC) and self.until_steady:
            self.ended = "the reading is steady"
        return None if self.ended else self.duty


def step_test(duty: float, lasts_s: float, noise_K: float) -> HoldDuty:
    """A step: a duty held until the reading is at rest."""
    return HoldDuty(duty, lasts_s, until_steady=True, noise_K=noise_K, name=say("step test"))


def cool_down(lasts_s: float, noise_K: float) -> HoldDuty:
    """Nothing is given until the reading is at rest."""
    return HoldDuty(0.0, lasts_s, until_steady=True, noise_K=noise_K, name=say("cool-down"))


@dataclass
class Profile:
    """Duties one after another, as a recording was planned at Fit.

    Attributes:
        steps: instants in s, rising from 0, with the duty from each on.
        lasts_s: in all.
        name, holds, ended: as of `Task`.
    """

    steps: tuple[tuple[float, float], ...]
    lasts_s: float
    name: str = say("planned recording")
    holds: str = "all"
    ended: str = ""

    @property
    def most_heat_s(self) -> float:
        """As `Task.most_heat_s`."""
        ends = [at_s for at_s, _ in self.steps[1:]] + [self.lasts_s]
        return sum(abs(duty) * (end - at_s) for (at_s, duty), end in zip(self.steps, ends, strict=True)) * 1.05 + 10.0

    def drive(self, sample: Sample, time_s: float) -> float | None:
        """As `Task.drive`."""
        if time_s >= self.lasts_s:
            self.ended = "its time is over"
            return None
        return [duty for at_s, duty in self.steps if at_s <= time_s][-1]


def planned_recording(rig: Rig, setpoint_degC: float) -> tuple[Profile, float]:
    """The shortest recording that tells gain and lag to 3 and 5 %, and where it will end, degC. Raises FitError."""
    plan = plan_step_test(rough_of(rig, setpoint_degC), _GAIN_SHARE, _LAG_SHARE)
    test = plan.test
    return Profile(((0.0, test.start), (test.before_s, test.drive)), test.whole_s), plan.end_degC


@dataclass
class RelayTest:
    """Full on below a temperature and off above it, until it has swung so often: ultimate gain and period come of it.

    Attributes:
        at_degC: where it switches.
        high, low: duties.
        way: 1 where more drive heats, −1 where it cools.
        hysteresis_K: half the band in which it does not switch: more than the noise.
        swings: whole periods wanted.
        lasts_s: at most.
        name, holds, ended: as of `Task`.
    """

    at_degC: float
    high: float
    low: float = 0.0
    way: int = 1
    hysteresis_K: float = 0.1
    swings: int = 4
    lasts_s: float = 4 * 3600.0
    name: str = say("relay test")
    holds: str = "all"
    ended: str = ""

    def __post_init__(self) -> None:
        self._is_high = True
        self._switched = 0

    @property
    def most_heat_s(self) -> float:
        """As `Task.most_heat_s`."""
        return max(abs(self.high), abs(self.low)) * self.lasts_s

    def drive(self, sample: Sample, time_s: float) -> float | None:
        """As `Task.drive`."""
        if time_s >= self.lasts_s:
            self.ended = "its time is over"
            return None
        if sample.reading_degC is not None:
            away = self.way * (self.at_degC - sample.reading_degC)
            if self._is_high and away < -self.hysteresis_K:
                self._is_high = False
                self._switched += 1
            elif not self._is_high and away > self.hysteresis_K:
                self._is_high = True
                self._switched += 1
        if self._switched > 2 * self.swings:
            self.ended = f"it has swung {self.swings} times"
            return None
        return self.high if self._is_high else self.low
