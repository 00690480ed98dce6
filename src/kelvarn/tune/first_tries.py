"""Starting points of on/off and of fan curves: from the probe, the marks, the relay, the fan and the hard limit."""

from collections.abc import Iterator
from dataclasses import dataclass

from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.drives import Fan
from kelvarn.model.on_off import OnOff
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, show

from .process import Plant, PlantError
from .swing import above_rest_K, as_switched, band_for

_SIGMAS = 3.0  # of the noise, that an edge stays clear of
_BELOW_LIMIT = 0.15  # of the way from setpoint to hard limit, left for what the probe does not see
_NO_LIMIT_K = 15.0  # above the setpoint, where no hard limit is known
_BEFORE_K = 5.0  # before the setpoint, where a curve begins
_SPARE = 0.02  # of drive, over the least that the fan needs
_BACK_OFF_K = 3.0


@dataclass(frozen=True)
class FirstTry:
    """A starting point that is no published rule.

    Attributes:
        rule, strategy: what it goes by, and what it makes.
        source: where its figures come from.
        controller: None where it does not apply, and `reason` says why.
    """

    rule: str
    strategy: str
    source: str
    controller: Controller | None
    reason: str = ""


def first_tries(project: Project, trial: Trial, plant: Plant) -> list[FirstTry]:
    """Starting points of on/off, and of fan curves where a fan cools, for a rig and a trial's marks."""
    found = list(_on_off(project, trial, plant))
    if project.rig.cooling_fan is not None:
        found += _curves(project.rig, project.rig.cooling_fan, trial)
    return found


def fan_floor(fan: Fan) -> float:
    """The least drive of a curve for a fan: a little over what it needs to turn."""
    return min(round(max(fan.needs, fan.floor) + _SPARE, 2), 1.0)


def fan_steps(floor: float, begin_degC: float, width_K: float, back_off_K: float) -> Curve:
    """Three steps, evenly from the floor to full drive.

    Args:
        floor: least drive, 0…1.
        begin_degC: first step.
        width_K: from the first step to the last.
        back_off_K: hysteresis of each step.
    """
    return Curve(
        steps=tuple(
            CurveStep(from_degC=round(begin_degC + share * width_K, 2), drive=round(floor + share * (1 - floor), 2),
                      back_off_K=back_off_K)
            for share in (0.0, 0.5, 1.0)
        )
    )  # fmt: skip


def fan_ramp(floor: float, begin_degC: float, width_K: float, back_off_K: float) -> Curve:
    """From the floor straight to full drive.

    Args:
        floor: least drive, 0…1.
        begin_degC: where it starts.
        width_K: from there to full drive.
        back_off_K: hysteresis of the start.
    """
    begin = round(begin_degC, 2)
    return Curve(
        shape="ramp", start_degC=begin, full_degC=round(begin + width_K, 2), floor=floor, back_off_K=back_off_K
    )


def _on_off(project: Project, trial: Trial, plant: Plant) -> Iterator[FirstTry]:
    probe = project.rig.probe
    least = _SIGMAS * probe.noise_K + probe.resolution_K
    source = f"noise {show(probe.noise_K, Quantity.DIFFERENCE)}, steps {show(probe.resolution_K, Quantity.DIFFERENCE)}"
    yield FirstTry("Band clear of noise and steps", "on/off", source, _band(least))
    for measure, what, rule in (
        ("swing_K", "swing_K", "Band for the swing allowed"),
        ("switch_ons_per_h", "period_s", "Band for the switching allowed"),
        ("relay_life_years", "period_s", "Band for the relay's life"),
    ):
        mark = next((mark for mark in trial.marks if mark.measure == measure), None)
        if mark is None:
            continue
        source = f"mark: {mark.title} {mark.limit_text()}; one lag and dead time of the step"
        try:
            wanted = _wanted(measure, mark.limit, project.rig)
            late = as_switched(plant, project.rig, 1.0 if what == "swing_K" else 0.5)
            band = band_for(late, above_rest_K(project.rig, trial.plan.last_degC), wanted, what)
        except PlantError as error:
            yield FirstTry(rule, "on/off", source, None, str(error))
        else:
            yield FirstTry(rule, "on/off", source, _band(max(band, least)))


def _wanted(measure: str, limit: float, rig: Rig) -> float:
    """Swing in K, or period in s, that a mark asks for."""
    if measure == "swing_K":
        return limit
    if measure == "switch_ons_per_h":
        return 3600.0 / max(limit, 1e-9)
    rated = getattr(rig.drive, "rated_operations", None)
    if rated is None:
        raise PlantError("the drive is no relay whose rated operations are known")
    return float(limit * 365.25 * 86400.0 / rated)


def _band(half_K: float) -> OnOff:
    half = float(f"{max(half_K, 0.0):.2g}")
    return OnOff(below_K=half, above_K=half)


def _curves(rig: Rig, fan: Fan, trial: Trial) -> Iterator[FirstTry]:
    rule = "Floor of the fan, full before the hard limit"
    setpoint = trial.plan.last_degC
    body = rig.all_bodies[rig.body_index(rig.probe.body)]
    top = _NO_LIMIT_K + setpoint
    where = f"full {show(_NO_LIMIT_K, Quantity.DIFFERENCE)} above the setpoint: {body.name} has no hard limit"
    if body.limit_degC is not None:
        top = body.limit_degC - _BELOW_LIMIT * (body.limit_degC - setpoint)
        where = f"full at {show(top, Quantity.TEMPERATURE)}, before the limit of {body.name}"
    floor = fan_floor(fan)
    source = f"floor: the fan turns and starts from {show(floor, Quantity.DRIVE)}; {where}"
    begin = setpoint - _BEFORE_K
    if top <= setpoint:
        reason = f"the limit of {body.name} leaves no room above the setpoint"
        for strategy in Curve.strategies:
            yield FirstTry(rule, strategy, source, None, reason)
        return
    for strategy, of_kind in zip(Curve.strategies, (fan_steps, fan_ramp), strict=True):
        yield FirstTry(rule, strategy, source, of_kind(floor, begin, top - begin, _BACK_OFF_K))
