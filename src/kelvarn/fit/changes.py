"""Settings or equipment: what of a rig is no longer as it was, told from a log of it.

Each way in which equipment changes is tried alone through the engine: heat loss, heat capacity, power, dead time,
offset of the probe. The one that explains the log best is named where Akaike's criterion, on as many rows as are
independent, prefers it clearly to no change; then another one beside it, where that is worth it again.
"""

import dataclasses
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.prepare import RunError
from kelvarn.model.drives import Valve
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.log_data import Floats
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, show

from .least_squares import Z95, Estimate, covariance, following
from .observed import FitError, Observed, noise_K
from .replay import RecordedDrive, nonlinear, recorded_drive, replay
from .response import LogFit
from .settings import SameSettings

_CLEAR = 10.0  # by how much AIC must fall before a change is named
_MOST = 2
_PLAINLY = 4.0  # times the scatter, by which a rig misses a log plainly
_BEGINS = 0.03  # share of the rows
_OPEN = 20.0  # logarithm beyond which a factor is simply not known


def _response(rig: Rig, **factors: float) -> Rig:
    made = rig.response
    assert made is not None
    found = {name: getattr(made, name) * factor for name, factor in factors.items()}
    return rig.model_copy(update={"response": made.model_copy(update=found)})


def _loss(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, gain_K=1 / factor, lag_s=1 / factor, lag2_s=1.0)
    fields = ("conductance_W_per_K", "full_W_per_K", "radiating_m2")
    links = tuple(
        link.model_copy(update={name: getattr(link, name) * factor for name in fields})
        if SURROUNDINGS in (link.a, link.b)
        else link
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _capacity(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, lag_s=factor, lag2_s=factor, rise_K_per_s=1 / factor)
    bodies = tuple(body.model_copy(update={"capacity_J_per_K": body.capacity_J_per_K * factor}) for body in rig.bodies)
    return rig.model_copy(update={"bodies": bodies})


def _contact(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    links = tuple(
        link
        if SURROUNDINGS in (link.a, link.b) or link.driven_by
        else link.model_copy(update={"conductance_W_per_K": link.conductance_W_per_K * factor})
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _power(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, gain_K=factor, rise_K_per_s=factor)
    if not any(drive.heated_body is not None for drive in rig.drives):
        return _flow(rig, factor)
    drives = tuple(
        drive.model_copy(update={"power_W": drive.power_W * factor}) if drive.heated_body is not None else drive
        for drive in rig.drives
    )
    return rig.model_copy(update={"drives": drives})


def _flow(rig: Rig, factor: float) -> Rig:
    links = tuple(
        link.model_copy(update={"full_W_per_K": link.full_W_per_K * factor}) if link.driven_by else link
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _dead_time(rig: Rig, x: float) -> Rig:
    if rig.response is not None:
        return rig.model_copy(
            update={"response": rig.response.model_copy(update={"dead_time_s": max(rig.response.dead_time_s + x, 0.0)})}
        )
    drives = tuple(drive.model_copy(update={"dead_time_s": max(drive.dead_time_s + x, 0.0)}) for drive in rig.drives)
    return rig.model_copy(update={"drives": drives})


def _offset(rig: Rig, x: float) -> Rig:
    probes = tuple(
        probe.model_copy(update={"offset_K": probe.offset_K + x}) if probe.role == "control" else probe
        for probe in rig.probes
    )
    return rig.model_copy(update={"probes": probes})


@dataclass(frozen=True)
class _Way:
    """A way in which equipment changes.

    Attributes:
        name, apply: its words, and how it is applied.
        share: whether its figure is the logarithm of a factor.
        step: that it is differenced by; least: less of it is not worth naming.
    """

    name: str
    apply: Callable[[Rig, float], Rig]
    share: bool
    step: float
    least: float
    quantity: Quantity = Quantity.NUMBER


WAYS: dict[str, _Way] = {
    "loss": _Way("heat loss", _loss, True, 0.01, 0.02),
    "capacity": _Way("heat capacity", _capacity, True, 0.01, 0.02),
    "power": _Way("power", _power, True, 0.01, 0.02),
    "contact": _Way("contact between the bodies", _contact, True, 0.01, 0.02),
    "dead_time": _Way("dead time", _dead_time, False, 1.0, 1.0, Quantity.DURATION),
    "offset": _Way("offset of the probe", _offset, False, 0.1, 0.1, Quantity.DIFFERENCE),
}


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
            side = "higher" if shares[0] > 0 else "lower"
            low, high = sorted(abs(share) if share * shares[0] > 0 else 0.0 for share in shares[1:])
            figures = 0 if high - low > 2 else 1
            return f"{way.name} is {abs(shares[0]):.0f} % {side} than it was ({low:.{figures}f}…{high:.{figures}f} %)"
        more = [self.size.value, self.size.low, self.size.high]
        texts = [show(abs(value), way.quantity, scale) for value in more]
        sides = ("longer", "shorter") if self.what == "dead_time" else ("more", "less")
        return f"{way.name} is {texts[0]} {sides[0] if more[0] > 0 else sides[1]} than it was ({texts[1]} … {texts[2]})"


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
    """

    expected: LogFit
    explained: LogFit
    changes: tuple[EquipmentChange, ...]
    instead: tuple[str, ...]
    energy_J: float
    expected_energy_J: float | None
    fixed: bool

    def verdict(self, settings: SameSettings | None = None, scale: Scale = Scale.CELSIUS) -> str:
        """In one line; with what the log says of the settings."""
        others = settings is not None and not settings.same
        untold = "; nobody recorded the surroundings, so an offset of the probe cannot be told" if self.fixed else ""
        log = self.expected.log
        if not self.changes and self.expected.rms_K > _PLAINLY * max(noise_K(log.y), log.step_K / 3, 1e-3):
            also = "the settings changed; " if others else ""
            miss = show(self.expected.rms_K, Quantity.DIFFERENCE, scale)
            parts = self._parts_s
            since = "" if parts is None else f" (they part from {show(parts, Quantity.DURATION)} on)"
            return (
                f"{also}the rig misses this log by {miss} rms{since}, but no one change explains it: leave out what "
                "happened then, or fit the rig itself"
            )
        if not self.changes:
            also = "the settings changed, not the equipment: " if others else "nothing has changed to speak of: "
            return f"{also}the rig is as it was{untold}"
        named = " and ".join(change.text(scale) for change in self.changes)
        doubt = f"; it could also be {' or '.join(WAYS[k].name for k in self.instead)}" if self.instead else ""
        told = "; the log does not tell the settings" if settings is None else ", not the settings"
        return f"the equipment changed{', and the settings too' if others else told}: {named}{doubt}{untold}"

    @property
    def _parts_s(self) -> float | None:
        """From when on the rig as it was misses the log plainly; None where it does so from the beginning."""
        log, away = self.expected.log, np.abs(self.expected.residual_K)
        plainly = away > max(_PLAINLY * max(noise_K(log.y), log.step_K / 3, 1e-3), 0.1 * float(away.max()))
        first = int(np.argmax(plainly))
        return float(log.t[first] - log.t[0]) if plainly.any() and first > _BEGINS * log.y.size else None


class _Problem:
    def __init__(self, rig: Rig, log: Observed) -> None:
        self.rig, self.log = rig, log
        self.course: RecordedDrive = recorded_drive(log, nonlinear=nonlinear(rig))
        self.start = log.first_degC
        still = log.still and log.drive[0] == 0
        self.fixed = self.course.outside_degC is None
        self.outside = self.start - rig.probe.offset_K if self.fixed and still else None

    def left(self, ways: Sequence[str], x: Sequence[float]) -> Floats:
        """Measured less replayed; after the ways stands what came in each stretch left out, in full drives."""
        rig = self.rig
        for way, value in zip(ways, x, strict=False):
            rig = WAYS[way].apply(rig, float(value))
        strength = max(drive.power_W for drive in rig.drives)
        brought = [float(share) * strength for share in x[len(ways) :]]
        return np.asarray(self.log.y - replay(rig, self.course, self.start, self.outside, brought))

    def fit(self, ways: tuple[str, ...], start: Sequence[float]) -> tuple[list[float], Floats]:
        from scipy.optimize import least_squares

        breaks = len(start) - len(ways)
        if not start:
            return [], self.left((), ())
        scale = [WAYS[way].step * 5 for way in ways] + [0.3] * breaks
        wide = [1.6 if WAYS[way].share else (600.0 if way == "dead_time" else 20.0) for way in ways] + [100.0] * breaks
        made = least_squares(
            lambda x: self.left(ways, x), np.array(start), bounds=([-w for w in wide], wide), x_scale=scale,
            diff_step=1e-3, ftol=1e-7, xtol=1e-6, max_nfev=20,
        )  # fmt: skip
        return made.x.tolist(), np.asarray(made.fun)

    def changes(self, ways: tuple[str, ...], x: Sequence[float], gain: float) -> list[EquipmentChange]:
        slopes = []
        for k, way in enumerate(ways):
            low, high = list(x), list(x)
            low[k] -= WAYS[way].step / 5
            high[k] += WAYS[way].step / 5
            slopes.append((self.left(ways, low) - self.left(ways, high)) / (0.4 * WAYS[way].step))
        cov, _, _ = covariance(np.column_stack(slopes), self.left(ways, x), [self.log.t.size])
        found = []
        for k, way in enumerate(ways):
            half = min(Z95 * math.sqrt(max(cov[k, k], 0.0)), _OPEN if WAYS[way].share else math.inf)
            ends = [x[k], x[k] - half, x[k] + half]
            found.append(EquipmentChange(way, Estimate(*(map(math.exp, ends) if WAYS[way].share else ends)), gain))
        return found


def _able(rig: Rig) -> list[str]:
    """Ways in which this rig can change."""
    found = list(WAYS)
    if rig.response is not None and rig.response.kind == "integrating":
        found.remove("loss")
        found.remove("power")  # the same thing as the capacity
    if all(SURROUNDINGS in (link.a, link.b) or link.driven_by for link in rig.links):
        found.remove("contact")
    if all(isinstance(drive, Valve) for drive in rig.drives):
        found.remove("power")
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
    problem = _Problem(rig, log)
    try:
        x, before = problem.fit((), [0.0] * len(log.breaks))
        chosen: tuple[str, ...] = ()
        left, gains = before, []
        able = _able(rig)
        instead: tuple[str, ...] = ()
        while len(chosen) < _MOST:
            tried = {
                way: problem.fit((*chosen, way), [*x[: len(chosen)], 0.0, *x[len(chosen) :]])
                for way in able
                if way not in chosen
            }
            nearest = min((t[1] for t in tried.values()), key=lambda r: float(r @ r))
            rows = nearest.size / following(nearest, [nearest.size])[0]  # as many as are independent
            drops = {way: rows * math.log(max(float(left @ left), 1e-300) / max(float(t[1] @ t[1]), 1e-300)) - 2
                     for way, t in tried.items()}  # fmt: skip
            best = max(drops, key=lambda way: drops[way])
            if drops[best] < _CLEAR or abs(tried[best][0][len(chosen)]) < WAYS[best].least:
                break
            near = [way for way, drop in drops.items() if way != best and drops[best] - drop < _CLEAR / 2]
            instead = instead or tuple(near)
            chosen, (x, left) = (*chosen, best), tried[best]
            gains.append(drops[best])
        changes = problem.changes(chosen, x, sum(gains)) if chosen else []
    except RunError as error:
        raise FitError(f"The rig cannot be replayed: {error}") from error
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
    """One figure of each of several logs, such as the heat loss week by week, as factors on what it was."""
    sizes = []
    try:
        for log in logs:
            problem = _Problem(rig, log)
            x, _ = problem.fit((what,), [0.0] * (1 + len(log.breaks)))
            sizes.append(problem.changes((what,), x, 0.0)[0].size)
    except RunError as error:
        raise FitError(f"The rig cannot be replayed: {error}") from error
    return Drift(what, tuple(log.name for log in logs), tuple(sizes))
