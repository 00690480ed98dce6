"""Remarks on what keeps a rig safe: trips, cut-offs, actions at a probe fault, alarms, plans and switches."""

from collections.abc import Callable, Iterator

from kelvarn.engine.steady import rest_degC
from kelvarn.model.curve import Curve
from kelvarn.model.edit import Path
from kelvarn.model.guards import Alarm, CutOff, NoRise, ProbeFaultAction, Trip
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.model.trial_edit import add_rule
from kelvarn.units import Quantity, show

from .plant import FirstOrder, Plant
from .remark import Remark, setting

_BELOW_K = 5.0  # below a limit, where a trip above it is put
_ALMOST_FULL = 0.9
_USUAL_DELAY_S = 60.0
_SAME_K = 0.05
_T, _D = Quantity.TEMPERATURE, Quantity.DIFFERENCE


def safety_remarks(project: Project, trial: Trial, plant: Plant | None) -> Iterator[Remark]:
    """All of them on a project and a trial; `plant` is the open-loop reading, where there is one."""
    yield from _stuck_on(project.rig)
    yield from _levels(project.rig, trial)
    yield from _probe_fault(project.rig)
    yield from _alarms(project)
    yield from _no_rise(project.rig, plant)
    yield from _plan(project, trial)
    yield from _switches(project.rig)


def _add(kind: str) -> Callable[[Project], Project]:
    return lambda project: add_rule(project, kind)[0]


def cuts_drives(rig: Rig) -> bool:
    """Whether something takes the supply from the drives, or the load from what they cool."""
    return any(isinstance(guard, Trip | CutOff) and guard.does in ("contactor", "load") for guard in rig.guards)


def _stuck_on(rig: Rig) -> Iterator[Remark]:
    """Where it would end with a heater stuck on."""
    if not rig.heats or cuts_drives(rig):
        return
    ends = rest_degC(rig.unguarded, 1.0)
    if ends is None:
        return
    for body, end in zip(rig.all_bodies, ends, strict=False):
        if body.limit_degC is not None and end > body.limit_degC:
            text = (
                f"Stuck on, it would bring {body.name} to {show(float(end), _T)}, beyond its limit of "
                f"{show(body.limit_degC, _T)}, and nothing cuts the drives."
            )
            yield Remark("nothing stops it", None, ("rig", "drives", 0, "power_W"), text, "fit a thermal cut-off",
                         _add("cut_off"))  # fmt: skip
            return


def _levels(rig: Rig, trial: Trial) -> Iterator[Remark]:
    """Trips and cut-offs that act too late or too early."""
    for place, guard in enumerate(rig.guards):
        if not isinstance(guard, Trip | CutOff) or (isinstance(guard, Trip) and guard.side == "below"):
            continue
        at: Path = ("rig", "guards", place, "at_degC")
        name = guard.body if isinstance(guard, CutOff) else _probed(rig, guard.probe)
        limit = rig.all_bodies[rig.body_index(name)].limit_degC
        if limit is not None and guard.at_degC >= limit:
            text = f"“{guard.name}” acts at {show(guard.at_degC, _T)}, not below {name}'s limit of {show(limit, _T)}."
            wanted = limit - _BELOW_K
            yield Remark(f"{guard.name} above the limit", None, at, text, f"at {show(wanted, _T)}", setting(at, wanted))
        highest = max(change.to_degC for change in trial.course)
        if isinstance(guard, Trip) and name == rig.probe.body and guard.at_degC <= highest + trial.band_K:
            text = f"“{guard.name}” acts at {show(guard.at_degC, _T)}, while the setpoint goes to {show(highest, _T)}."
            yield Remark(f"{guard.name} below the setpoint", None, at, text)


def _probed(rig: Rig, probe: str) -> str:
    return next(each.body for each in rig.probes if each.name == probe)


def _probe_fault(rig: Rig) -> Iterator[Remark]:
    """What happens when the control probe fails."""
    place = next((k for k, guard in enumerate(rig.guards) if isinstance(guard, ProbeFaultAction)), None)
    probe = rig.probe
    if place is None:
        end = probe.highest_degC if not rig.heats else probe.lowest_degC
        if not rig.heats or probe.converter is None:
            does = "heats on" if rig.heats else "cools on"
            text = (
                f"Nobody chose what happens when {probe.name} fails: one that reads {show(end, _T)} then {does} "
                "at full drive. “If it fails” at Trial finds the action that does least harm."
            )
            at: Path = ("rig", "probes", rig.control_index, "highest_degC")
            yield Remark("no action at a probe fault", None, at, text)
        return
    guard = rig.guards[place]
    assert isinstance(guard, ProbeFaultAction)
    on = guard.action == "on" or (guard.action == "fixed" and guard.duty >= _ALMOST_FULL)
    ends = rest_degC(rig.unguarded, 1.0) if rig.heats and on and not cuts_drives(rig) else None
    if ends is not None:
        end = float(ends[rig.body_index(probe.body)])
        at = ("rig", "guards", place, "action")
        text = f"When {probe.name} fails the heater stays on: {probe.body} ends at {show(end, _T)}."
        yield Remark("a probe fault leaves it on", None, at, text)


def _alarms(project: Project) -> Iterator[Remark]:
    """Alarms that cry at every blip, and numbers that do two jobs."""
    for place, guard in enumerate(project.rig.guards):
        if not isinstance(guard, Alarm):
            continue
        at: Path = ("rig", "guards", place)
        if guard.delay_s == 0:
            noise = next(each.noise_K for each in project.rig.probes if each.name == guard.probe)
            text = f"Alarm “{guard.name}” has no delay: it cries at every blip (noise {show(noise, _D)})."
            yield Remark(f"{guard.name} without delay", None, (*at, "delay_s"), text,
                         f"after {show(_USUAL_DELAY_S, Quantity.DURATION)}",
                         setting((*at, "delay_s"), _USUAL_DELAY_S))  # fmt: skip
        for candidate in project.candidates:
            law = candidate.controller
            full = law.full_degC if isinstance(law, Curve) and law.shape == "ramp" else None
            if full is not None and guard.watches == "high" and abs(full - guard.at_degC) < _SAME_K:
                text = (
                    f"{show(full, _T)} is both where “{candidate.name}” is at full drive and alarm “{guard.name}”: "
                    "at full drive it may still cope."
                )
                yield Remark(f"{guard.name} is full drive", None, (*at, "at_degC"), text)


def _no_rise(rig: Rig, plant: Plant | None) -> Iterator[Remark]:
    """A no-rise guard that is too impatient for the rig."""
    if not isinstance(plant, FirstOrder):
        return
    for place, guard in enumerate(rig.guards):
        if isinstance(guard, NoRise):
            slope = plant.gain_K * guard.at_least / plant.lag_s
            needs = plant.dead_time_s + rig.probe.lag_s + guard.rise_K / max(abs(slope), 1e-12)
            if guard.for_s < needs:
                at: Path = ("rig", "guards", place, "for_s")
                wanted = float(f"{2 * needs:.2g}")
                text = (
                    f"“{guard.name}” waits {show(guard.for_s, Quantity.DURATION)} for "
                    f"{show(guard.rise_K, _D)}, which a healthy rig needs {show(needs, Quantity.DURATION)} for."
                )
                yield Remark(f"{guard.name} too impatient", None, at, text,
                             f"wait {show(wanted, Quantity.DURATION)}", setting(at, wanted))  # fmt: skip


def _plan(project: Project, trial: Trial) -> Iterator[Remark]:
    """Setpoints outside the plan's own range."""
    place = [each.name for each in project.trials].index(trial.name)
    plan = trial.plan
    for k, change in enumerate(plan.changes):
        held = plan.limited(change.to_degC)
        if held != change.to_degC:
            text = f"Setpoint {show(change.to_degC, _T)} lies outside the plan's own range; {show(held, _T)} holds."
            at: Path = ("trials", place, "plan", "changes", k, "to_degC")
            yield Remark(f"setpoint {k + 1} outside its range", None, at, text)


def _switches(rig: Rig) -> Iterator[Remark]:
    """Solid-state switches that get too hot."""
    for k, drive in enumerate(rig.drives):
        switch = getattr(drive, "switch", None)
        if switch is None or switch.limit_W is None:
            continue
        watts = switch.dissipation_W(getattr(drive, "power_W", 0.0))
        if watts > switch.limit_W:
            text = (
                f"The switch of {drive.name} makes {show(watts, Quantity.POWER)} of heat at full drive, and sheds "
                f"{show(switch.limit_W, Quantity.POWER)}."
            )
            yield Remark(f"{drive.name}'s switch too hot", None, ("rig", "drives", k, "power_W"), text)
