"""Settings or equipment: what of a rig is no longer as it was, told from a log of it.

Each way in which equipment changes is tried alone through the engine: heat loss, heat capacity, power, dead time,
offset of the probe. The one that explains the log best is named where Akaike's criterion, on as many rows as are
independent, prefers it clearly to no change; then another one beside it, where that is worth it again.
"""

import dataclasses
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.prepare import RunError
from kelvarn.model.drives import Relay
from kelvarn.model.log_data import Floats
from kelvarn.model.rig import Rig
from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity, Scale, show

from .least_squares import Z95, Estimate, covariance, following
from .observed import FitError, Observed
from .replay import RecordedDrive, away_K, could_be, drawn, is_share, nonlinear, replay, unsettled
from .response import LogFit
from .same_settings import SameSettings
from .ways import WAYS, ways_of

_CLEAR = 10.0  # by how much AIC must fall before a change is named
_MOST = 2
_PLAINLY = 4.0  # times the scatter, by which a rig misses a log plainly
_BEGINS = 0.03  # share of the rows
_SCATTERS = 4
_NOISE = 1.5
_OPEN = 20.0  # logarithm beyond which a factor is simply not known


@dataclass(frozen=True)
class EquipmentChange:
    """Something that changed.

    Attributes:
        what: key of `WAYS`.
        size: with its interval: a factor on what it was, or s or K more.
        gain: by how much it lowers AIC.
    """

    what: str
    size: Estimate
    gain: float

    def text(self, scale: Scale = Scale.CELSIUS) -> str:
        """It in words: "heat loss is 31 % higher than it was (27…35 %)"."""
        way = WAYS[self.what]
        if way.share:
            shares = [100 * (value - 1) for value in (self.size.value, self.size.low, self.size.high)]
            low, high = sorted(abs(share) if share * shares[0] > 0 else 0.0 for share in shares[1:])
            digits = 0 if high - low > 2 else 1
            words = {
                "way": way.name, "size": figures(f"{abs(shares[0]):.0f}", ""),
                "low": figures(f"{low:.{digits}f}", ""), "high": figures(f"{high:.{digits}f}", ""),
            }  # fmt: skip
            if shares[0] > 0:
                return say("{way} is {size} % higher than it was ({low}…{high} %)", **words)
            return say("{way} is {size} % lower than it was ({low}…{high} %)", **words)
        more = [self.size.value, self.size.low, self.size.high]
        texts = [show(abs(value), way.quantity, scale) for value in more]
        words = {"way": way.name, "size": texts[0], "low": texts[1], "high": texts[2]}
        if self.what == "dead_time":
            if more[0] > 0:
                return say("{way} is {size} longer than it was ({low} … {high})", **words)
            return say("{way} is {size} shorter than it was ({low} … {high})", **words)
        if more[0] > 0:
            return say("{way} is {size} more than it was ({low} … {high})", **words)
        return say("{way} is {size} less than it was ({low} … {high})", **words)


@dataclass(frozen=True, eq=False)
class Comparison:
    """A log against what the rig would have done.

    Attributes:
        expected: the rig as it was, laid over the log.
        explained: the rig with the changes.
        changes: what changed, the clearest first; empty: nothing to speak of.
        instead: what else would explain it nearly as well.
        energy_J: what the drive put in by its power; of the meter, where there is one.
        expected_energy_J: what the rig as it was would have needed for the same temperatures; None where unknown.
        fixed: the surroundings were taken from the start of the log, since nobody recorded them.
        scatter_K: what the replay may be off by since the drive changed somewhere between two rows, K rms.
        shares: the log gives shares of a drive that is a relay: what was asked of it, or what it gave on average.
    """

    expected: LogFit
    explained: LogFit
    changes: tuple[EquipmentChange, ...]
    instead: tuple[str, ...]
    energy_J: float
    expected_energy_J: float | None
    fixed: bool
    scatter_K: float
    shares: bool

    def verdict(self, settings: SameSettings | None = None, scale: Scale = Scale.CELSIUS) -> str:
        """In one line; with what the log says of the settings."""
        others = settings is not None and not settings.same
        untold = (
            say("; nobody recorded the surroundings, so an offset of the probe cannot be told") if self.fixed else ""
        )
        missed = self.expected.rms_K > self._plainly_K
        if self.shares and (self.changes or missed):
            return say("the log gives the drive as shares, which a relay has not: it may be what was asked "
                       "of it, so nothing is told of the equipment; record when the relay is on and off")  # fmt: skip
        if not self.changes and missed:
            also = say("the settings changed; ") if others else ""
            miss = show(self.expected.rms_K, Quantity.DIFFERENCE, scale)
            parts = self._parts_s
            since = "" if parts is None else say(" (they part from {parts} on)", parts=show(parts, Quantity.DURATION))
            return say("{also}the rig misses this log by {miss} rms{since}, but no one change explains it: "
                       "leave out what happened then, or fit the rig itself", also=also, miss=miss,
                       since=since)  # fmt: skip
        if not self.changes:
            also = (
                say("the settings changed, not the equipment: ") if others else say("nothing has changed to speak of: ")
            )
            return say("{also}the rig is as it was{untold}", also=also, untold=untold)
        named = joined(" and ", (change.text(scale) for change in self.changes))
        doubt = (
            say("; it could also be {others}", others=joined(" or ", (WAYS[k].name for k in self.instead)))
            if self.instead
            else ""
        )
        told = say("; the log does not tell the settings") if settings is None else say(", not the settings")
        return say("the equipment changed{settings}: {named}{doubt}{untold}",
                   settings=say(", and the settings too") if others else told, named=named, doubt=doubt,
                   untold=untold)  # fmt: skip

    @property
    def _plainly_K(self) -> float:
        """By how much a rig misses its log plainly, K."""
        return _PLAINLY * max(self.expected.log.floor_K, self.scatter_K)

    @property
    def _parts_s(self) -> float | None:
        """From when on the rig as it was misses the log plainly; None where it does so from the beginning."""
        log, away = self.expected.log, np.abs(self.expected.residual_K)
        plainly = away > max(self._plainly_K, 0.1 * float(away.max()))
        first = int(np.argmax(plainly))
        return float(log.t[first] - log.t[0]) if plainly.any() and first > _BEGINS * log.y.size else None


_Laid = tuple[RecordedDrive, list[float], Floats]
"""What the drive is taken for, what was found of starts and stretches left out, and what is left, K."""


def _squares(laid: _Laid) -> float:
    return float(laid[2] @ laid[2])


class _Problem:
    def __init__(self, rig: Rig, log: Observed) -> None:
        self.rig, self.log = rig, log
        self.start = log.first_degC
        still = log.still and log.drive[0] == 0
        self.fixed = log.outside_degC is None
        self.outside = self.start - rig.probe.offset_K if self.fixed and still else None
        self.unsettled = unsettled(rig, log)
        self.away_K = away_K(rig, log)
        self.course: RecordedDrive
        self.scatter_K = self._scatter_K()
        self.course, self.x, self.before = self._as_it_was()

    def _as_it_was(self) -> _Laid:
        """What the drive means, and how the rig as it was then lies on the log.

        Another meaning than what the rows say is taken only where the log shows nothing but its noise under it: else
        what changed would be sought under a drive that was chosen to hide it.
        """
        as_said, earlier = could_be(self.rig, self.log)
        said = [self._under(course) for course in as_said]
        nearest = min(said, key=_squares)
        if not self.is_noise(nearest[2]):
            nearest = min(map(self._under, earlier), key=_squares)
        return nearest if self.is_noise(nearest[2]) else said[0]

    def _under(self, course: RecordedDrive) -> _Laid:
        self.course = course
        x, left = self.fit((), [0.0] * self.loose)
        return course, x, left

    def is_noise(self, left: Floats) -> bool:
        """Whether what is left is no more than the noise and steps of the log, and what it leaves open of the drive."""
        return float(np.sqrt(np.mean(left**2))) < _NOISE * max(self.log.floor_K, self.scatter_K)

    def _scatter_K(self) -> float:
        """What the replay may be off by since a log does not tell the drive between two rows, K rms."""
        random = np.random.default_rng(0)
        courses = [drawn(self.rig, self.log, random) for _ in range(_SCATTERS)]
        off = [replay(self.rig, course, self.start, self.outside) for course in courses]
        return float(np.sqrt(np.mean(np.var(off, axis=0, ddof=1))))

    def least(self, way: str) -> float:
        """How little of a way is not worth naming; a dead time shorter than from row to row is not seen."""
        return max(WAYS[way].least, self.log.interval_s if way == "dead_time" else 0.0)

    @property
    def loose(self) -> int:
        """What is found beside the ways: starts, then heat that came in stretches left out."""
        return len(self.unsettled) + len(self.log.breaks)

    def left(self, ways: Sequence[str], x: Sequence[float]) -> Floats:
        """Measured less replayed.

        After the ways stand how far bodies start from where they are thought to, K, and what came in each
        stretch left out, in full drives.
        """
        rig = self.rig
        for way, value in zip(ways, x, strict=False):
            rig = WAYS[way].apply(rig, float(value))
        strength = max(drive.power_W for drive in rig.drives)
        away = dict(zip(self.unsettled, map(float, x[len(ways) :]), strict=False))
        brought = [float(share) * strength for share in x[len(ways) + len(away) :]]
        return np.asarray(self.log.y - replay(rig, self.course, self.start, self.outside, brought, away))

    def fit(self, ways: tuple[str, ...], start: Sequence[float]) -> tuple[list[float], Floats]:
        from scipy.optimize import least_squares

        many, breaks = len(self.unsettled), len(self.log.breaks)
        if not start:
            return [], self.left((), ())
        scale = [WAYS[way].step * 5 for way in ways] + [2.0] * many + [0.3] * breaks
        wide = [1.6 if WAYS[way].share else (600.0 if way == "dead_time" else 20.0) for way in ways]
        wide += [4 * self.away_K] * many + [100.0] * breaks
        made = least_squares(
            lambda x: self.left(ways, x), np.array(start), bounds=([-w for w in wide], wide), x_scale=scale,
            jac=lambda x: self.slopes(ways, x), ftol=1e-7, xtol=1e-6, max_nfev=20,
        )  # fmt: skip
        return made.x.tolist(), np.asarray(made.fun)

    def slopes(self, ways: tuple[str, ...], x: Sequence[float]) -> Floats:
        """How what is left changes with each figure, by differences; shape (rows, figures)."""
        here = self.left(ways, x)
        steps = [WAYS[way].step / 5 for way in ways] + [0.5] * len(self.unsettled) + [0.05] * len(self.log.breaks)
        found = []
        for k, step in enumerate(steps):
            there = list(x)
            there[k] += step
            found.append((self.left(ways, there) - here) / step)
        return np.column_stack(found)

    def changes(self, ways: tuple[str, ...], x: Sequence[float], gain: float) -> list[EquipmentChange]:
        cov, _, _ = covariance(-self.slopes(ways, x), self.left(ways, x), [self.log.t.size])
        found = []
        for k, way in enumerate(ways):
            half = min(Z95 * math.sqrt(max(cov[k, k], 0.0)), _OPEN if WAYS[way].share else math.inf)
            ends = [x[k], x[k] - half, x[k] + half]
            found.append(EquipmentChange(way, Estimate(*(map(math.exp, ends) if WAYS[way].share else ends)), gain))
        return found


def compare(rig: Rig, log: Observed, energy_J: float | None = None) -> Comparison:
    """What has changed of a rig.

    Args:
        rig: as it was.
        log: of it now.
        energy_J: what a meter says of the log, if there is one.

    Raises:
        FitError: the rig cannot be replayed.
        Stopped: it was stopped.
    """
    try:
        problem = _Problem(rig, log)
        x, before = problem.x, problem.before
        off = max(before.size * problem.scatter_K**2, 1e-300)
        chosen: tuple[str, ...] = ()
        left, gains = before, []
        able = ways_of(rig)
        instead: tuple[str, ...] = ()
        while len(chosen) < _MOST and not problem.is_noise(left):
            tried = {
                way: problem.fit((*chosen, way), [*x[: len(chosen)], 0.0, *x[len(chosen) :]])
                for way in able
                if way not in chosen
            }
            nearest = min((t[1] for t in tried.values()), key=lambda r: float(r @ r))
            rows = nearest.size / following(nearest, [nearest.size])[0]  # as many as are independent
            drops = {way: rows * math.log((float(left @ left) + off) / (float(t[1] @ t[1]) + off)) - 2
                     for way, t in tried.items()}  # fmt: skip
            best = max(drops, key=lambda way: drops[way])
            if drops[best] < _CLEAR or abs(tried[best][0][len(chosen)]) < problem.least(best):
                break
            near = [way for way, drop in drops.items() if way != best and drops[best] - drop < _CLEAR / 2]
            instead = instead or tuple(near)
            chosen, (x, left) = (*chosen, best), tried[best]
            gains.append(drops[best])
        changes = problem.changes(chosen, x, sum(gains)) if chosen else []
    except RunError as error:
        raise FitError(say("The rig cannot be replayed: {error}", error=error)) from error
    power = sum(drive.power_W for drive in rig.drives if drive.heated_body is not None) or rig.drive.power_W
    span = np.diff(np.append(log.at_s, log.t[-1]))
    by_drive = float(np.abs(log.drive) @ np.maximum(span, 0.0)) * power
    return Comparison(
        expected=LogFit(log, np.asarray(log.y - before)),
        explained=LogFit(log, np.asarray(log.y - left)),
        changes=tuple(changes),
        instead=instead,
        energy_J=by_drive if energy_J is None else energy_J,
        expected_energy_J=_needed_J(rig, log, problem, by_drive),
        fixed=problem.fixed,
        scatter_K=problem.scatter_K,
        shares=isinstance(rig.drive, Relay) and is_share(log),
    )


def _needed_J(rig: Rig, log: Observed, problem: _Problem, by_drive: float) -> float | None:
    """Energy that the rig as it was needs for the temperatures of the log: the drive scaled until their mean agrees."""
    if nonlinear(rig) or by_drive <= 0:
        return None
    course = problem.course
    mean = float(np.mean(log.y))
    idle = dataclasses.replace(course, drive=0.0 * course.drive)
    base = float(np.mean(replay(rig, idle, problem.start, problem.outside)))
    full = float(np.mean(replay(rig, course, problem.start, problem.outside)))
    if abs(full - base) < 1e-6:
        return None
    return by_drive * max((mean - base) / (full - base), 0.0)


@dataclass(frozen=True)
class Drift:
    """How one figure went over several logs."""

    what: str
    logs: tuple[str, ...]
    sizes: tuple[Estimate, ...]


def drift_over(rig: Rig, logs: Sequence[Observed], what: str = "loss") -> Drift:
    """One figure of each of several logs, such as the heat loss week by week, as factors on what it was.

    Args:
        rig: as it was.
        logs: one after another.
        what: the way in which it changes.
    """
    sizes = []
    try:
        for log in logs:
            problem = _Problem(rig, log)
            x, _ = problem.fit((what,), [0.0] * (1 + problem.loose))
            sizes.append(problem.changes((what,), x, 0.0)[0].size)
    except RunError as error:
        raise FitError(say("The rig cannot be replayed: {error}", error=error)) from error
    return Drift(what, tuple(log.name for log in logs), tuple(sizes))
