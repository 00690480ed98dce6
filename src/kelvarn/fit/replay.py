"""A rig under a drive that was recorded: the engine itself computes what its control probe would have shown."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

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

from .observed import Observed

_MOST_SAMPLES = {False: 20_000, True: 3_000}  # of linear and other rigs
_FEWEST_SAMPLES = 400
_HAND = Fixed(drive=0.0)


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
    """

    h: float
    samples: int
    drive: Floats
    stairs: tuple[tuple[float, float], ...]
    outside_degC: float | None
    since: Floats
    breaks: tuple[tuple[float, float], ...] = ()


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
def plain(rig: Rig, interval_s: float) -> Rig:
    """A rig as it is replayed: no guards, probes read exactly, drives that give what was recorded."""
    probes = tuple(
        with_fields(probe, noise_K=0.0, resolution_K=0.0, converter=None, correction=None, interval_s=interval_s)
        for probe in rig.probes
    )
    return with_fields(rig, probes=probes, drives=tuple(map(_given, rig.drives)), guards=(), permits=())


def _given(drive: object) -> object:
    """Relays and slow windows give the mean that was recorded."""
    if isinstance(drive, Relay | SlowWindow):
        kept = {
            name: getattr(drive, name)
            for name in ("name", "acts", "dead_time_s", "tolerances", "body", "power_W", "dial_degC", "dial_band_K")
        }
        return Pwm(**kept, steps=65535)
    return drive


def begun_at(rig: Rig, probe_degC: float) -> Rig:
    """A rig whose bodies start as far from the surroundings as those of one that is heated to what its probe showed."""
    outside = rig.surroundings.temperature_degC
    away = probe_degC - rig.probe.offset_K - outside
    ends = None if rig.response is not None else rest_degC(rig, 1.0)
    shares = np.ones(len(rig.all_bodies))
    if ends is not None:
        rise = np.asarray(ends) - outside
        probed = rise[rig.body_index(rig.probe.body)]
        if abs(away) > 1.5 and abs(probed) > 1e-6 and abs(away) < 2 * abs(probed):
            shares = rise[: shares.size] / probed
    if rig.response is not None:
        return with_fields(rig, response=with_fields(rig.response, start_degC=outside + away))
    bodies = tuple(
        body.model_copy(update={"start_degC": float(outside + away * share)})
        for body, share in zip(rig.bodies, shares, strict=True)
    )
    return rig.model_copy(update={"bodies": bodies})


def replay(
    rig: Rig, course: RecordedDrive, start_degC: float, outside_degC: float | None = None,
    brought_W: Sequence[float] = (),
) -> Floats:  # fmt: skip
    """What the control probe of a rig shows at the rows of a log.

    Args:
        rig: made plain for it here.
        course: the log's drive.
        start_degC: what the probe shows at the beginning.
        outside_degC: surroundings, where nobody recorded them; None: as the rig has them.

        brought_W: heat that came to the judged body in each stretch left out; empty: none.

    Raises:
        RunError: the rig cannot be computed.
    """
    made = plain(rig, course.h)
    outside = course.outside_degC if course.outside_degC is not None else outside_degC
    if outside is not None:
        # Not validated anew: what a fit tries may lie outside what a field takes.
        made = made.model_copy(
            update={"surroundings": made.surroundings.model_copy(update={"temperature_degC": outside})}
        )
    made = begun_at(made, start_degC)
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
