"""What each strategy has to be set: its settings, their ranges round the ultimate point of a rig, and its law."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.steady import can_hold
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.drives import Fan
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .first_tries import fan_floor
from .process import FirstOrder, Plant
from .reserve import setpoints_of
from .rules import starting_points
from .starts import ultimate_of_rig
from .swing import scatter_K
from .ultimate import Ultimate

Point = tuple[float, ...]
_USUAL = Ultimate(0.5, 600.0)  # where a rig has no ultimate point
_LEAST_BAND_K, _WIDEST_BAND_K = 0.05, 40.0
_OFF_CENTRE_K = 12.0  # at most, of a band
_LEAST_STEP = 0.02  # of drive, from one step of a curve to the next
_SLOWER = 3  # times fewer points of rigs that take ten times as long for a run


@dataclass(frozen=True)
class SearchAxis:
    """Range of a setting, on a log scale or straight."""

    low: float
    high: float
    log: bool = True

    def at(self, share: float) -> float:
        """The value at a share of the range, 0…1."""
        if not self.log:
            return self.low + share * (self.high - self.low)
        return math.exp(math.log(self.low) + share * math.log(self.high / self.low))

    def share(self, value: float) -> float:
        """The share of the range at which a value lies; at an end where it lies beyond."""
        held = min(max(value, self.low), self.high)
        if not self.log:
            return (held - self.low) / (self.high - self.low)
        return math.log(held / self.low) / math.log(self.high / self.low)


@dataclass(frozen=True)
class Space:
    """A strategy's settings.

    Attributes:
        strategy: its name.
        axes: what is searched.
        count: points that are tried before the search.
        settings: of a point of the axes, the settings as they are set.
        law: of settings; those beyond what the law takes are held at its limit.
        also: points besides, such as those of published rules.
    """

    strategy: str
    axes: tuple[SearchAxis, ...]
    count: int
    settings: Callable[[Point], Point]
    law: Callable[[Point], Controller]
    also: tuple[Point, ...] = ()


def spaces(rig: Rig, trials: Sequence[Trial], plant: Plant | None) -> tuple[Space, ...]:
    """Strategies that fit a rig, from the simplest on.

    Args:
        rig, trials: what they are searched for.
        plant: the rig's step as it was read, for the rules; None where it could not be.
    """
    fan = rig.cooling_fan
    curves = () if fan is None or rig.heats else (_steps(rig, fan, trials[0]), _ramp(rig, fan, trials[0]))
    found = (_on_off(rig, trials), *curves, *_pids(rig, trials[0], plant))
    if not is_nonlinear(rig):
        return found
    return tuple(replace(each, count=each.count // _SLOWER) for each in found)


def _rounded(value: float) -> float:
    """Three figures: more nobody sets."""
    return float(f"{value:.3g}")


def _as_it_is(point: Point) -> Point:
    return point


def _held(value: float, low: float, high: float) -> float:
    return _rounded(min(max(value, low), high))


def _on_off(rig: Rig, trials: Sequence[Trial]) -> Space:
    """Its edges, also both on one side of the setpoint; where a rig heats and cools, the dead band as well."""
    way = rig.way
    least = max(scatter_K(rig.probe), _LEAST_BAND_K)
    setpoints = setpoints_of(trials)
    only = setpoints[0] if len(setpoints) == 1 else None  # cut-in and cut-out do not follow the setpoint

    def law(settings: Point) -> OnOff:
        below, above = (_held(edge, -500.0, 500.0) for edge in settings[:2])
        if below + above < least:
            above = _rounded(least - below)
        more: dict[str, Any] = {"dead_band_K": _held(settings[2], 0.0, 500.0)} if way.both else {}
        if min(below, above) < 0 and only is not None and not way.both:
            return OnOff(notation="cuts", cut_in_degC=round(only - way.sign * below, 3),
                         cut_out_degC=round(only + way.sign * above, 3))  # fmt: skip
        return OnOff(below_K=max(below, 0.0), above_K=max(above, 0.0, _rounded(least - max(below, 0.0))), **more)

    band, centre = SearchAxis(least, _WIDEST_BAND_K), SearchAxis(-_OFF_CENTRE_K, _OFF_CENTRE_K, log=False)
    axes = (band, centre, SearchAxis(0.05, 8.0)) if way.both else (band, centre)
    # The centre lies so much above the setpoint, the way the drive pushes.
    return Space("On/off", axes, 256, lambda x: (x[0] / 2 - x[1], x[0] / 2 + x[1], *x[2:]), law)


def _steps(rig: Rig, fan: Fan, trial: Trial) -> Space:
    """A fan curve of three steps: where it begins, how wide it is, its hysteresis, floor, and the step between."""
    setpoint, up, floor = trial.plan.last_degC, -rig.way.sign, fan_floor(fan)

    def law(settings: Point) -> Curve:
        begin, width, back_off, first, at, between = settings
        first = min(max(first, floor), 1 - 2 * _LEAST_STEP)
        middle = min(max(first + between * (1 - first), first + _LEAST_STEP), 1 - _LEAST_STEP)
        shares = (0.0, min(max(at, 0.1), 0.9), 1.0)
        steps = (
            CurveStep(from_degC=round(setpoint + up * (begin + share * max(width, 0.5)), 2), drive=round(drive, 2),
                      back_off_K=_held(back_off, 0.0, 500.0))
            for share, drive in zip(shares, (first, middle, 1.0), strict=True)
        )  # fmt: skip
        return Curve(steps=tuple(steps))

    axes = (*_curve_axes(floor), SearchAxis(0.15, 0.85, log=False), SearchAxis(0.1, 0.9, log=False))
    return Space("Fan steps", axes, 384, _as_it_is, law)


def _ramp(rig: Rig, fan: Fan, trial: Trial) -> Space:
    """A fan curve that rises straight: where it begins, how wide it is, its hysteresis and its floor."""
    setpoint, up, least = trial.plan.last_degC, -rig.way.sign, fan_floor(fan)

    def law(settings: Point) -> Curve:
        begin, width, back_off, floor = settings
        start = round(setpoint + up * begin, 2)
        return Curve(
            shape="ramp", start_degC=start, full_degC=round(start + up * max(width, 0.5), 2),
            floor=round(min(max(floor, least), 1.0), 2), back_off_K=_held(back_off, 0.0, 500.0),
        )  # fmt: skip

    return Space("Fan ramp", _curve_axes(least), 256, _as_it_is, law)


def _curve_axes(floor: float) -> tuple[SearchAxis, ...]:
    """Beginning in K beyond the setpoint, width and hysteresis in K, and the least drive."""
    return (
        SearchAxis(-20.0, 20.0, log=False),
        SearchAxis(1.0, 60.0),
        SearchAxis(0.5, 10.0),
        SearchAxis(floor, max(0.7, 1.2 * floor)),
    )


def _pids(rig: Rig, trial: Trial, plant: Plant | None) -> tuple[Space, ...]:
    """P with its bias, PI and PID: gains from far below to the ultimate one."""
    ku, pu = ultimate_of_rig(rig, trial) or _USUAL
    low = -1.0 if rig.way.both else 0.0
    gain = SearchAxis(max(3e-4 * ku, 2e-6), min(max(ku, 4e-6), 1e4))
    lag = plant.lag_s if isinstance(plant, FirstOrder) else pu
    ti = SearchAxis(max(0.1 * pu, 0.2), min(max(50 * pu, 8 * lag), 1e6))
    td = SearchAxis(max(0.01 * pu, 1e-3), min(0.6 * pu, 1e5))
    weight = SearchAxis(0.0, 1.0, log=False)
    verdict = can_hold(rig, trial.plan.last_degC)
    holds = 0.5 if verdict is None or verdict.holding_drive is None else verdict.holding_drive
    bias = SearchAxis(min(low, 1.2 * holds), min(max(1.5 * holds, 0.1), 1.0), log=False)
    rules = [] if plant is None else [each for each in starting_points(plant) if each.gains is not None]

    def of_rules(terms: str) -> tuple[Point, ...]:
        found: list[Point] = []
        for each in rules:
            if each.terms == terms and each.gains is not None:
                times = [value for value in (each.gains.ti_s, each.gains.td_s) if value is not None]
                found += [(each.gains.kp_per_K, *times, b) for b in (0.2, 1.0)]
        return tuple(found)

    def law(terms: str) -> Callable[[Point], Pid]:
        def made(settings: Point) -> Pid:
            fields: dict[str, Any] = {"terms": terms, "low": low, "kp_per_K": _held(settings[0], 1e-6, 1e4)}
            if terms == "P":
                return Pid(**fields, bias=_held(settings[1], low, 1.0))
            fields |= {"ti_s": _held(settings[1], 0.1, 1e6), "setpoint_weight": _held(settings[-1], 0.0, 1.0)}
            return Pid(**fields, td_s=_held(settings[2], 0.0, 1e5)) if terms == "PID" else Pid(**fields)

        return made

    return (
        Space("P", (gain, bias), 256, _as_it_is, law("P")),
        Space("PI", (gain, ti, weight), 384, _as_it_is, law("PI"), of_rules("PI")),
        Space("PID", (gain, ti, td, weight), 448, _as_it_is, law("PID"), of_rules("PID")),
    )
