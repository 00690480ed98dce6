"""Remarks on what keeps a rig safe: trips, cut-offs, dials, actions at a probe fault, alarms and switches."""

import math
from collections.abc import Callable, Iterator

from kelvarn.engine.steady import rest_degC
from kelvarn.model.curve import Curve
from kelvarn.model.edit import Path
from kelvarn.model.guards import Alarm, CutOff, NoRise, ProbeFaultAction, Trip
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial_edit import add_rule
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .look import Look
from .process import FirstOrder
from .remark import Remark, setting

_BELOW_K = 5.0  # below a limit, where a trip above it is put
_ALMOST_FULL = 0.9
_USUAL_DELAY_S = 60.0
_SAME_K = 0.05
_FREEZES_DEGC, _NEAR_FREEZING_DEGC = 0.0, 15.0  # what is kept warmer than that holds no water to freeze
_LATE = 0.25  # of the lag, after which a trip is late where no limit is known


def safety_remarks(look: Look) -> Iterator[Remark]:
    """All of them on what is looked at."""
    yield from _stuck_on(look)
    yield from _freezes(look)
    yield from _levels(look)
    yield from _dials(look)
    yield from _probe_fault(look)
    yield from _alarms(look)
    yield from _no_rise(look)
    yield from _switches(look)


def _add(kind: str) -> Callable[[Project], Project]:
    return lambda project: add_rule(project, kind)[0]


def cuts_drives(rig: Rig) -> bool:
    """Whether something takes the supply from the drives, or the load from what they cool, where it gets too hot."""
    return any(
        isinstance(guard, CutOff | Trip)
        and guard.does in ("contactor", "load")
        and not (isinstance(guard, Trip) and guard.side == "below")
        for guard in rig.guards
    )


def _stuck_on(look: Look) -> Iterator[Remark]:
    """Where it would end with a heater stuck on."""
    rig = look.rig
    if not rig.heats or cuts_drives(rig):
        return
    ends = rest_degC(rig.unguarded, 1.0)
    would = say("get hotter without end") if ends is None else ""
    for body, end in zip(rig.all_bodies, [] if ends is None else ends, strict=False):
        if not would and body.limit_degC is not None and end > body.limit_degC:
            limit = look.degC(body.limit_degC)
            would = say("bring {body} to {degc}, beyond its limit of {limit}", body=body.name,
                        degc=look.degC(float(end)), limit=limit)  # fmt: skip
    if would:
        text = say("Stuck on, it would {would}, and nothing cuts the drives.", would=would)
        yield Remark("nothing stops it", None, ("rig", "drives", 0, "power_W"), text, say("fit a thermal cut-off"),
                     _add("cut_off"))  # fmt: skip


def _freezes(look: Look) -> Iterator[Remark]:
    """Where what is cooled would end with the cooler stuck on."""
    rig = look.rig
    acts = (isinstance(g, Trip) and g.side == "below" for g in rig.guards)
    if not rig.cools or look.highest <= _FREEZES_DEGC or any(acts):
        return
    ends = rest_degC(rig.unguarded, -1.0 if rig.heats else 1.0)
    for k, body in enumerate(rig.all_bodies):
        low = body.low_limit_degC
        cold = low is None and body.name == rig.probe.body and look.highest < _NEAR_FREEZING_DEGC
        limit = _FREEZES_DEGC if cold else low
        if ends is not None and k < ends.size and limit is not None and ends[k] < limit:
            what = say("and may freeze") if low is None else say("below its limit of {degc}", degc=look.degC(limit))
            end = look.degC(float(ends[k]))
            text = say("With the cooler stuck on {body} would come to {end}, {harm}: nothing stops it.", body=body.name,
                       end=end, harm=what)  # fmt: skip
            yield Remark("it may freeze", None, ("rig", "drives", 0, "power_W"), text)
            return


def _levels(look: Look) -> Iterator[Remark]:
    """Trips and cut-offs that act too late or too early."""
    rig, trial, rest = look.rig, look.trial, look.held_at(look.highest)
    for place, guard in enumerate(rig.guards):
        if not isinstance(guard, Trip | CutOff) or (isinstance(guard, Trip) and guard.side == "below"):
            continue
        at: Path = ("rig", "guards", place, "at_degC")
        name = guard.body if isinstance(guard, CutOff) else _probe(rig, guard.probe).body
        limit = look.limit_of(name)
        if limit is not None and guard.at_degC >= limit:
            text = say("“{guard}” acts at {degc}, not below {name}'s limit of {limit}.", guard=guard.name,
                       degc=look.degC(guard.at_degC), name=name, limit=look.degC(limit))  # fmt: skip
            wanted = limit - _BELOW_K
            yield Remark(
                f"{guard.name} above the limit",
                None,
                at,
                text,
                say("at {degc}", degc=look.degC(wanted)),
                setting(at, wanted),
            )
        if isinstance(guard, Trip) and guard.delay_s > 0:
            yield from _late(look, place, guard, name, limit)
        if name == rig.probe.body:
            there, while_it = (
                look.highest + trial.band_K,
                say("the setpoint goes to {degc}", degc=look.degC(look.highest)),
            )
        elif rest is not None:
            there = float(rest[rig.body_index(name)])
            while_it = say("{name} rests at {degc} at setpoint {setpoint}", name=name, degc=look.degC(there),
                           setpoint=look.degC(look.highest))  # fmt: skip
        else:
            continue
        if guard.at_degC <= there:
            text = say("“{guard}” acts at {degc}, while {while_it}.", guard=guard.name, degc=look.degC(guard.at_degC),
                       while_it=while_it)  # fmt: skip
            yield Remark(f"{guard.name} below the setpoint", None, at, text)


def _late(look: Look, place: int, guard: Trip, name: str, limit: float | None) -> Iterator[Remark]:
    """A trip that waits so long that what it watches gets too hot meanwhile."""
    if guard.does not in ("off", "contactor") or not isinstance(look.plant, FirstOrder):
        return
    ends = rest_degC(look.rig.unguarded, 1.0) if look.rig.heats else None
    if ends is None:
        return
    end = float(ends[look.rig.body_index(name)])
    then = end - (end - guard.at_degC) * math.exp(-guard.delay_s / look.plant.lag_s)
    late = then > limit if limit is not None else guard.delay_s > _LATE * look.plant.lag_s and end > guard.at_degC
    if late:
        what = "" if limit is None else say(", beyond its limit of {degc}", degc=look.degC(limit))
        text = say("“{guard}” waits {span}; at full drive {name} comes to about {degc} in that time{harm}.",
                   guard=guard.name, span=look.span(guard.delay_s), name=name, degc=look.degC(then),
                   harm=what)  # fmt: skip
        yield Remark(f"{guard.name} too late", None, ("rig", "guards", place, "delay_s"), text)


def _dials(look: Look) -> Iterator[Remark]:
    """Heaters' own thermostats that block before the setpoint is come to."""
    rest = look.held_at(look.highest)
    for k, drive in enumerate(look.rig.drives):
        dial, body = getattr(drive, "dial_degC", None), drive.heated_body
        if dial is None or body is None or drive.acts != "heats" or rest is None:
            continue
        there = float(rest[look.rig.body_index(body)])
        if there >= dial:
            text = say(
                "{drive}'s own thermostat blocks at {dial}, while {body} rests at {rests} at setpoint {setpoint}.",
                drive=drive.name,
                dial=look.degC(dial),
                body=body,
                rests=look.degC(there),
                setpoint=look.degC(look.highest),
            )
            yield Remark(f"{drive.name}'s dial below the setpoint", None, ("rig", "drives", k, "dial_degC"), text)


def _probe(rig: Rig, name: str) -> Probe:
    return next(each for each in rig.probes if each.name == name)


def _probe_fault(look: Look) -> Iterator[Remark]:
    """What happens when the control probe fails."""
    rig = look.rig
    place = next((k for k, guard in enumerate(rig.guards) if isinstance(guard, ProbeFaultAction)), None)
    probe = rig.probe
    if place is None:
        end = probe.highest_degC if not rig.heats else probe.lowest_degC
        if not rig.heats or probe.converter is None:
            does = say("goes on {heating}", heating=rig.words.heating if rig.heats else rig.words.cooling)
            text = say("Nobody chose what happens when {probe} fails: one that reads {degc} then {does} at "
                       "full drive. “If it fails” at Trial finds the action that does least harm.", probe=probe.name,
                       degc=look.degC(end), does=does)  # fmt: skip
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
        text = say("When {probe} fails the {heater} stays on: {body} ends at {degc}.", probe=probe.name,
                   heater=rig.words.heater, body=probe.body, degc=look.degC(end))  # fmt: skip
        yield Remark("a probe fault leaves it on", None, at, text)


def _alarms(look: Look) -> Iterator[Remark]:
    """Alarms that cry at every blip or too late, and numbers that do two jobs."""
    project = look.project
    for place, guard in enumerate(project.rig.guards):
        if not isinstance(guard, Alarm):
            continue
        at: Path = ("rig", "guards", place)
        probe = _probe(look.rig, guard.probe)
        limit = look.limit_of(probe.body)
        if guard.watches == "high" and limit is not None and guard.at_degC >= limit:
            level, most = look.degC(guard.at_degC), look.degC(limit)
            text = say("Alarm “{guard}” tells at {level}, not below {body}'s limit of {most}.", guard=guard.name,
                       level=level, body=probe.body, most=most)  # fmt: skip
            yield Remark(f"{guard.name} above the limit", None, (*at, "at_degC"), text)
        if guard.delay_s == 0:
            noise = look.kelvins(probe.noise_K)
            text = say("Alarm “{guard}” has no delay: one bad reading sets it off (noise {noise}).", guard=guard.name,
                       noise=noise)  # fmt: skip
            yield Remark(f"{guard.name} without delay", None, (*at, "delay_s"), text,
                         say("after {span}", span=look.span(_USUAL_DELAY_S)),
                         setting((*at, "delay_s"), _USUAL_DELAY_S))  # fmt: skip
        for candidate in project.candidates:
            law = candidate.controller
            full = law.full_degC if isinstance(law, Curve) and law.shape == "ramp" else None
            if full is not None and guard.watches == "high" and abs(full - guard.at_degC) < _SAME_K:
                text = say("{degc} is both where “{candidate}” is at full drive and alarm “{guard}”: at full "
                           "drive it may still cope.", degc=look.degC(full), candidate=candidate.name,
                           guard=guard.name)  # fmt: skip
                yield Remark(f"{guard.name} is full drive", None, (*at, "at_degC"), text)


def _no_rise(look: Look) -> Iterator[Remark]:
    """A no-rise guard that is too impatient for the rig."""
    rig, plant = look.rig, look.plant
    if not isinstance(plant, FirstOrder):
        return
    for place, guard in enumerate(rig.guards):
        if isinstance(guard, NoRise):
            slope = plant.gain_K * guard.at_least / plant.lag_s
            needs = plant.dead_time_s + rig.probe.lag_s + guard.rise_K / max(abs(slope), 1e-12)
            if guard.for_s < needs:
                at: Path = ("rig", "guards", place, "for_s")
                wanted = float(f"{2 * needs:.2g}")
                text = say("“{guard}” waits {span} for {kelvins}, which a healthy rig needs {needs} for.",
                           guard=guard.name, span=look.span(guard.for_s), kelvins=look.kelvins(guard.rise_K),
                           needs=look.span(needs))  # fmt: skip
                yield Remark(f"{guard.name} too impatient", None, at, text,
                             say("wait {span}", span=look.span(wanted)), setting(at, wanted))  # fmt: skip


def _switches(look: Look) -> Iterator[Remark]:
    """Solid-state switches that get too hot."""
    rig = look.rig
    for k, drive in enumerate(rig.drives):
        switch = getattr(drive, "switch", None)
        if switch is None or switch.limit_W is None:
            continue
        watts = switch.dissipation_W(getattr(drive, "power_W", 0.0))
        if watts > switch.limit_W:
            text = say("The switch of {drive} makes {watts} of heat at full drive, and can dissipate {limit}.",
                       drive=drive.name, watts=show(watts, Quantity.POWER),
                       limit=show(switch.limit_W, Quantity.POWER))  # fmt: skip
            yield Remark(f"{drive.name}'s switch too hot", None, ("rig", "drives", k, "power_W"), text)
