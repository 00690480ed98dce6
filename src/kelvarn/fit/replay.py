"""A rig under a drive that was recorded: the engine itself computes what its control probe would have shown."""

import dataclasses
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

import numpy as np

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.prepare import Played
from kelvarn.engine.run import PreparedRun
from kelvarn.engine.steady import rest_degC
from kelvarn.model.drives import Pwm, Relay, SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.events import Load
from kelvarn.model.fixed import Fixed
from kelvarn.model.log_data import Floats
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.units import KELVIN_AT_0_DEGC

from .observed import Observed, noise_K

_MOST_SAMPLES = {False: 20_000, True: 3_000}  # of linear and other rigs
_FEWEST_SAMPLES = 400
_SEEN = 20  # rows that stand still
_AS_WARM_K = 1.5
_HAND = Fixed(drive=0.0)
NOWHERE: Mapping[int, float] = MappingProxyType({})
_AWAY_K = 20.0
"""Standard deviation of how far a body starts from where it would be after long heating, K, or as far as the
probe is from the surroundings, where that is more."""


@dataclass(frozen=True, eq=False)
class RecordedDrive:
    """A recorded drive on the even grid that the engine goes by.

    Attributes:
        h, samples: its interval in s, and how many there are.
        drive: mean over each interval.
        stairs: changes of the surroundings: instants in s and K.
        outside_degC: surroundings at the beginning, where they were recorded.
        since: instants of the log's rows from the beginning, s.
        breaks: stretches left out, from the beginning, s.
        demand: it is what was asked of the drives, which make of it what they can, in place of what they gave.
    """

    h: float
    samples: int
    drive: Floats
    stairs: tuple[tuple[float, float], ...]
    outside_degC: float | None
    since: Floats
    breaks: tuple[tuple[float, float], ...] = ()
    demand: bool = False


def recorded_drive(log: Observed, *, nonlinear: bool) -> RecordedDrive:
    """A log's drive and surroundings, laid on a grid at least as fine as its rows where that is not too long."""
    span = log.span_s
    most = _MOST_SAMPLES[nonlinear]
    samples = int(min(max(2 * span / log.interval_s, _FEWEST_SAMPLES), most, span / 0.0101)) + 1
    samples = max(samples, math.ceil(span / 3600.0) + 1)
    h = span / (samples - 1)
    edges = log.t[0] + h * np.arange(samples + 1)
    at = np.append(np.maximum(log.at_s, log.t[0]), max(edges[-1], log.at_s[-1]) + h)
    sums = np.append(0.0, np.cumsum(np.diff(at) * log.drive))
    drive = np.diff(np.interp(edges, at, sums)) / h
    stairs: tuple[tuple[float, float], ...] = ()
    outside = None
    if log.outside_s is not None and log.outside_degC is not None:
        outside = float(log.outside_degC[0])
        middles = (log.outside_s[1:] + log.outside_s[:-1]) / 2 - log.t[0]
        stairs = tuple(zip(middles.tolist(), np.diff(log.outside_degC).tolist(), strict=True))
    breaks = tuple((max(at - float(log.t[0]), 0.0), to - float(log.t[0])) for at, to in log.breaks)
    return RecordedDrive(h, samples, np.clip(drive, -1.0, 1.0), stairs, outside, np.asarray(log.t - log.t[0]), breaks)


@lru_cache(maxsize=64)
def plain(rig: Rig, interval_s: float, demand: bool = False) -> Rig:
    """A rig as it is replayed: no guards, probes read exactly, drives that give what was recorded, or make it so.

    Args:
        rig: the rig.
        interval_s: from one reading to the next.
        demand: what was recorded is a demand that the drives make output of.
    """
    probes = tuple(
        with_fields(probe, noise_K=0.0, resolution_K=0.0, converter=None, correction=None, interval_s=interval_s)
        for probe in rig.probes
    )
    drives = rig.drives if demand else tuple(map(_given, rig.drives))
    return with_fields(rig, probes=probes, drives=drives, guards=(), permits=())


def _given(drive: object) -> object:
    """Relays and slow windows give the mean that was recorded."""
    if isinstance(drive, Relay | SlowWindow):
        kept = {
            name: getattr(drive, name)
            for name in ("name", "acts", "dead_time_s", "tolerances", "body", "power_W", "dial_degC", "dial_band_K")
        }
        return Pwm(**kept, steps=65535)
    return drive


def unsettled(rig: Rig, log: Observed) -> tuple[int, ...]:
    """Bodies whose start is to be found with a fit: all, unless the log is seen to stand still to begin with.

    The probe's too: a few rows tell it only as well as their noise and its lag let them.
    """
    return () if rig.response is not None or _seen_still(log) else tuple(range(len(rig.bodies)))


def away_K(rig: Rig, log: Observed) -> float:
    """Standard deviation of how far a body starts from where it would be after long heating, K."""
    outside = rig.surroundings.temperature_degC if log.outside_degC is None else float(log.outside_degC[0])
    return max(_AWAY_K, abs(log.first_degC - outside))


def _seen_still(log: Observed) -> bool:
    """Whether all bodies were at rest: long enough still for a probe to tell, or undriven at the surroundings."""
    cold = log.outside_degC is not None and log.drive[0] == 0 and abs(log.first_degC - log.outside_degC[0]) < _AS_WARM_K
    return log.still and (cold or int(np.searchsorted(log.t, log.at_s[1])) >= _SEEN)


def begun_at(rig: Rig, probe_degC: float, further_K: Mapping[int, float] = NOWHERE) -> Rig:
    """A rig whose bodies start as far from the surroundings as those of one that is heated to what its probe showed.

    Args:
        rig: of any start.
        probe_degC: what its control probe shows at the beginning.
        further_K: how much warmer some bodies start than that, K, by their number.
    """
    outside = rig.surroundings.temperature_degC
    away = probe_degC - rig.probe.offset_K - outside
    ends = None if rig.response is not None else rest_degC(rig, 1.0)
    shares = np.ones(len(rig.all_bodies))
    if ends is not None:
        rise = np.asarray(ends) - outside
        probed = rise[rig.body_index(rig.probe.body)]
        if abs(away) > _AS_WARM_K and abs(probed) > 1e-6 and abs(away) < 2 * abs(probed):
            shares = rise[: shares.size] / probed
    if rig.response is not None:
        return with_fields(rig, response=with_fields(rig.response, start_degC=outside + away))
    bodies = tuple(
        with_fields(body, start_degC=max(float(outside + away * share + further_K.get(k, 0.0)), -KELVIN_AT_0_DEGC))
        for k, (body, share) in enumerate(zip(rig.bodies, shares, strict=True))
    )
    return rig.model_copy(update={"bodies": bodies})


def replay(
    rig: Rig, course: RecordedDrive, start_degC: float, outside_degC: float | None = None,
    brought_W: Sequence[float] = (), further_K: Mapping[int, float] = NOWHERE,
) -> Floats:  # fmt: skip
    """What the control probe of a rig shows at the rows of a log.

    Args:
        rig: made plain for it here.
        course: the log's drive.
        start_degC: what the probe shows at the beginning.
        outside_degC: surroundings, where nobody recorded them; None: as the rig has them.
        brought_W: heat that came to the judged body in each stretch left out; empty: none.
        further_K: of `begun_at`.

    Raises:
        RunError: the rig cannot be computed.
    """
    made = plain(rig, course.h, course.demand)
    outside = course.outside_degC if course.outside_degC is not None else outside_degC
    if outside is not None:
        # Not validated anew: what a fit tries may lie outside what a field takes.
        made = made.model_copy(
            update={"surroundings": made.surroundings.model_copy(update={"temperature_degC": outside})}
        )
    made = begun_at(made, start_degC, further_K)
    trial = Trial(
        name="Log",
        duration_s=course.h * (course.samples - 0.5),
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=20.0),)),
        events=tuple(
            Load(name=f"Left out {k + 1}", at_s=at, lasts_s=to - at, body=rig.judged_body, power_W=watts)
            for k, ((at, to), watts) in enumerate(zip(course.breaks, brought_W, strict=False))
        ),
    )
    run = PreparedRun(made, _HAND, trial, played=Played(course.drive[: course.samples], course.stairs))
    run.advance()
    found = run.run()
    return np.asarray(np.interp(course.since, found.time_s, found.measured_degC))


def nonlinear(rig: Rig) -> bool:
    """Whether a rig needs the adaptive integration."""
    return is_nonlinear(rig)


def could_be(rig: Rig, log: Observed) -> list[list[RecordedDrive]]:
    """What a log's drive can mean: given or asked, as its rows say; then, a half or a whole row earlier.

    A row tells what holds from it on, what held until it, or something between; a share of a relay or a slow window is
    what it gave on average, or what was asked of it.
    """
    made = [recorded_drive(_earlier(log, part), nonlinear=nonlinear(rig)) for part in (0.0, 0.5, 1.0)]
    as_said = made[:1]
    if any(isinstance(drive, Relay | SlowWindow) for drive in rig.drives) and np.any(np.abs(log.drive) % 1.0):
        as_said.append(dataclasses.replace(as_said[0], demand=True))
    return [as_said, made[1:]]


def drawn(rig: Rig, log: Observed, random: np.random.Generator) -> RecordedDrive:
    """A drive that would have left the same rows: it changed anywhere between two, and went on scattering there.

    Args:
        rig, log: what is replayed.
        random: generator.
    """
    moved = _earlier(log, random.uniform(0, 1, log.at_s.size))
    if is_share(log):
        scatter = noise_K(log.drive) * random.standard_normal(log.drive.size)
        moved = dataclasses.replace(moved, drive=np.clip(log.drive + scatter, -1.0, 1.0))
    return recorded_drive(moved, nonlinear=nonlinear(rig))


def is_share(log: Observed) -> bool:
    """Whether a log's drive is a duty, not that of a switch."""
    return bool(np.mean(np.abs(log.drive) % 1.0 > 0) > 0.5)


def _earlier(log: Observed, rows: Floats | float) -> Observed:
    """The log with each change of its drive earlier by so many rows, 0…1, but for what it was at the beginning."""
    before = np.minimum(np.diff(log.at_s, prepend=log.at_s[0]), log.interval_s)
    return dataclasses.replace(log, at_s=log.at_s - rows * before)
