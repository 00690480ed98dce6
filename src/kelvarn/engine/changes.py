"""What happens in a trial, as changes at instants."""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any, TypeVar

import numpy as np

from kelvarn.model.bodies import DrawOff
from kelvarn.model.event_base import EventBase
from kelvarn.model.events import (
    ColdPart,
    DoorOpens,
    DrawOffRuns,
    DriveFault,
    Load,
    ProbeFault,
    SupplyChange,
    SurroundingsChange,
)
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .layout import Floats, Layout, PutIn, still_link, transport_s
from .plant import NONE, TIME_EPS, Change, ChangeKind, Fault, FaultKind

E = TypeVar("E", bound=EventBase)
_FAULTS = {
    "open": FaultKind.OPEN, "short": FaultKind.SHORT, "stuck": FaultKind.STUCK, "stale": FaultKind.STALE,
    "drift": FaultKind.DRIFT, "offset": FaultKind.OFFSET, "spikes": FaultKind.SPIKES,
}  # fmt: skip


def changes_of(rig: Rig, trial: Trial, layout: Layout) -> tuple[list[Change], list[Fault]]:
    """What changes when, in order of time, and the faults that these speak of, with one that is none at the end.

    Adds a link of 0 W/K to the layout for each door, and for each draw-off that comes in from the surroundings.

    Args:
        rig, trial: what runs.
        layout: the rig laid out; links are added to it.
    """
    found = [
        change
        for draw_off in rig.draw_offs
        if draw_off.always
        for change in _draw(rig, layout, draw_off.name, 0.0, None)
    ]
    own_heat = [(layout.entry[body.name], body.own_heat_W) for body in rig.bodies if body.own_heat_W]
    found += [_change(0.0, ChangeKind.LOAD, body, watts) for body, watts in own_heat]
    for event in trial.occurrences:
        becomes = _BECOMES.get(type(event))
        if becomes is not None:
            found += becomes(rig, trial, layout, event)
    found += _supply(rig, trial)
    found += _drive_faults(rig, trial)
    of_probes, faults = _faults(rig, trial, layout)
    found += of_probes
    # At one instant faults come first: the reading of that instant is already wrong, and so is what a drive gives.
    # Instants that differ by rounding are one.
    order = {ChangeKind.FAULT: 0, ChangeKind.STUCK: 1, ChangeKind.WELDED: 1}
    found.sort(key=lambda change: (round(change.at_s / TIME_EPS), order.get(ChangeKind(change.kind), 2)))
    return found, [*faults, Fault(0, 0.0, 0.0, 1.0)]


def _change(at_s: float, kind: ChangeKind, index: int, value: float, inlet_degC: float = 0.0) -> Change:
    return Change(at_s, kind, index, value, inlet_degC)


def _while(event: EventBase, kind: ChangeKind, index: int, value: float) -> list[Change]:
    """Something is more while an event lasts."""
    found = [_change(event.at_s, kind, index, value)]
    return found if event.lasts_s is None else [*found, _change(event.end_s, kind, index, -value)]


def _draw(rig: Rig, layout: Layout, name: str, at_s: float, lasts_s: float | None) -> list[Change]:
    """A draw-off runs. What comes in from the surroundings brings their heat like a link to them."""
    draw_off = next(found for found in rig.draw_offs if found.name == name)
    body, flow, inlet = layout.entry[draw_off.body], draw_off.flow_W_per_K, draw_off.inlet_degC
    if inlet is None:
        layout.links.append(still_link(body, layout.end(SURROUNDINGS)))
        kind, index, inlet = ChangeKind.LINK, len(layout.links) - 1, 0.0
    else:
        kind, index = ChangeKind.DRAW, body
    found = [_change(at_s, kind, index, flow, inlet)]
    return found if lasts_s is None else [*found, _change(at_s + lasts_s, kind, index, -flow, inlet)]


def _door(rig: Rig, trial: Trial, layout: Layout, event: DoorOpens) -> list[Change]:
    layout.links.append(still_link(layout.end(event.body), layout.end(event.to)))
    return _while(event, ChangeKind.LINK, len(layout.links) - 1, door_W_per_K(rig, event))


def _load(rig: Rig, trial: Trial, layout: Layout, event: Load) -> list[Change]:
    return _while(event, ChangeKind.LOAD, layout.entry[event.body], event.power_W)


def _surroundings(rig: Rig, trial: Trial, layout: Layout, event: SurroundingsChange) -> list[Change]:
    return _while(event, ChangeKind.SURROUNDINGS, 0, event.change_K) if event.course == "step" else []


def weather_of(trial: Trial, h: float, samples: int) -> Floats:
    """By how much ramps and waves make the surroundings warmer from each sample to the next, K; empty without any.

    Each interval has the value of its middle, so that the mean is right and what is left out is small of second order.

    Args:
        trial: its events.
        h: time from one sample to the next, s.
        samples: how many there are.
    """
    moving = [
        event for event in trial.occurrences
        if isinstance(event, SurroundingsChange) and event.course != "step"
    ]  # fmt: skip
    if not moving:
        return np.zeros(0)
    found, middle = np.zeros(samples), (np.arange(samples) + 0.5) * h
    for event in moving:
        first = math.floor(event.at_s / h)
        last = samples if event.course == "ramp" else min(math.ceil(min(event.end_s, samples * h) / h), samples)
        since = np.maximum(middle[first:last] - event.at_s, 0.0)
        if event.course == "ramp":
            share = np.minimum(since / (min(event.end_s, trial.duration_s) - event.at_s), 1.0)
        else:
            share = np.sin(2 * np.pi * since / event.period_s)
        found[first:last] += event.change_K * share
    return found


def surroundings_by(event: SurroundingsChange, time_s: float, end_s: float) -> float:
    """How much warmer an event makes the surroundings at an instant of a trial that ends then, K."""
    if event.course == "step":
        return event.change_K if under_way(event, time_s) else 0.0
    if time_s < event.at_s or (event.course == "wave" and not under_way(event, time_s)):
        return 0.0
    lasts_s = min(event.end_s, end_s) - event.at_s
    if event.course == "ramp":
        return event.change_K * min((time_s - event.at_s) / lasts_s, 1.0)
    return event.change_K * math.sin(2 * math.pi * (time_s - event.at_s) / event.period_s)


def surroundings_at(rig: Rig, trial: Trial, time_s: float) -> float:
    """Temperature of the surroundings at an instant of a trial, degC."""
    events = [event for event in trial.occurrences if isinstance(event, SurroundingsChange)]
    warmer_K = sum(surroundings_by(event, time_s, trial.duration_s) for event in events)
    return rig.surroundings.temperature_degC + warmer_K


def _draw_off(rig: Rig, trial: Trial, layout: Layout, event: DrawOffRuns) -> list[Change]:
    running = any(draw_off.always and draw_off.name == event.draw_off for draw_off in rig.draw_offs)
    return [] if running else _draw(rig, layout, event.draw_off, event.at_s, event.lasts_s)


def _cold_part(rig: Rig, trial: Trial, layout: Layout, event: ColdPart) -> list[Change]:
    """The part touches the body while it is inside; its own body was laid out beforehand, by `put_in`."""
    place = [other for other in trial.occurrences if isinstance(other, ColdPart)].index(event)
    layout.links.append(still_link(layout.end(event.body), layout.first_put_in + place))
    return _while(event, ChangeKind.LINK, len(layout.links) - 1, event.contact_W_per_K)


_BECOMES: dict[type, Callable[[Rig, Trial, Layout, Any], list[Change]]] = {
    DoorOpens: _door,
    Load: _load,
    SurroundingsChange: _surroundings,
    DrawOffRuns: _draw_off,
    ColdPart: _cold_part,
}
"""How events become changes that need no other event; the supply and faults are worked out from all."""


def put_in(trial: Trial) -> list[PutIn]:
    """The parts that are put in during a trial, in the order of its events."""
    parts = [event for event in trial.events if isinstance(event, ColdPart)]
    return [PutIn(part.capacity_J_per_K, part.part_degC) for part in parts]


def _supply(rig: Rig, trial: Trial) -> list[Change]:
    """The supply is the product of the shares under way.

    Heaters that resist give power by its square, fans turn with it. What leaves a heater is felt after its dead
    time, and so is a change of its supply.
    """
    events = [event for event in trial.occurrences if isinstance(event, SupplyChange)]
    found = []
    for instant in _instants(events):
        supply = 1.0
        for event in events:
            if under_way(event, instant):
                supply *= event.to
        for index, drive in enumerate(rig.drives):
            if getattr(drive, "resistive", False) or drive.kind == "fan":
                found.append(_change(instant + transport_s(rig, drive), ChangeKind.SUPPLY, index, supply))
    return found


_DRIVE_FAULTS = {
    "stuck_on": ChangeKind.STUCK, "stuck_off": ChangeKind.STUCK, "weak": ChangeKind.WEAK, "welded": ChangeKind.WELDED,
}  # fmt: skip
_SOUND = {ChangeKind.STUCK: NONE, ChangeKind.WEAK: 1.0, ChangeKind.WELDED: 0.0}
"""Value of a drive that has no such fault."""


def _drive_faults(rig: Rig, trial: Trial) -> list[Change]:
    """Of one drive's faults of a kind the one begun last rules until it ends, then the earlier one goes on."""
    events = [event for event in trial.occurrences if isinstance(event, DriveFault)]
    found = []
    for index, drive in enumerate(rig.drives):
        for kind, sound in _SOUND.items():
            own = [each for each in events if each.drive == drive.name and _DRIVE_FAULTS[each.fault] == kind]
            for instant, rules in _ruling(own):
                if rules is None:
                    value = sound
                else:
                    value = rules.left if kind == ChangeKind.WEAK else float(rules.fault != "stuck_off")
                found.append(_change(instant, kind, index, value))
    return found


def _ruling(events: Sequence[E]) -> list[tuple[float, E | None]]:
    """Which of events under way rules from when on: the one begun last; None where none is."""
    found: list[tuple[float, E | None]] = []
    before: E | None = None
    for instant in _instants(events):
        under = [event for event in events if under_way(event, instant)]
        rules = max(under, key=lambda event: event.at_s) if under else None
        if rules is not before:
            found.append((instant, rules))
        before = rules
    return found


def _faults(rig: Rig, trial: Trial, layout: Layout) -> tuple[list[Change], list[Fault]]:
    """Of one probe's faults the one begun last rules until it ends, then the earlier one goes on."""
    faults_of = [event for event in trial.occurrences if isinstance(event, ProbeFault)]
    events = [event for event in faults_of if event.fault != "loose"]
    faults = [Fault(_FAULTS[event.fault], event.at_s, event.size_K, event.every_s) for event in events]
    found: list[Change] = []
    for index, probe in enumerate(rig.probes):
        own = [(event.at_s, number, event) for number, event in enumerate(events) if event.probe == probe.name]
        instants = _instants([event for _, _, event in own])
        rules = -1
        for instant in instants:
            before = rules
            rules = max(
                ((at_s, number) for at_s, number, event in own if under_way(event, instant)), default=(0.0, -1)
            )[1]
            if rules != before:
                found.append(_change(instant, ChangeKind.FAULT, index, float(rules)))
        home, outside = rig.body_index(probe.body), layout.end(SURROUNDINGS)
        loose = [event for event in faults_of if event.fault == "loose" and event.probe == probe.name]
        for instant, event in _ruling(loose):
            found.append(_change(instant, ChangeKind.SEAT, index, float(home if event is None else outside)))
    return found, faults


def under_way(event: EventBase, time_s: float) -> bool:
    """Whether an event is under way at an instant."""
    return event.at_s <= time_s < event.end_s


def _instants(events: Sequence[EventBase]) -> list[float]:
    """When any of them begins or ends, s."""
    return sorted({at for event in events for at in (event.at_s, event.end_s) if at < math.inf})


def door_W_per_K(rig: Rig, event: DoorOpens) -> float:
    """What a door adds while it is open: what the event says, else the rig's link."""
    if event.conductance_W_per_K is not None:
        return event.conductance_W_per_K
    link = rig.link_between(event.body, event.to)
    return 0.0 if link is None else link.opened_W_per_K


def opened_W_per_K(rig: Rig, trial: Trial, a: str, b: str, time_s: float) -> float:
    """Conductance between two ends by doors that are open at an instant."""
    return sum(
        door_W_per_K(rig, event)
        for event in trial.occurrences
        if isinstance(event, DoorOpens) and {event.body, event.to} == {a, b} and under_way(event, time_s)
    )


def running(trial: Trial, draw_off: DrawOff, time_s: float) -> float:
    """How often a draw-off runs at an instant: events of one that does not run always add."""
    if draw_off.always:
        return 1.0
    return 1.0 * sum(
        event.draw_off == draw_off.name and under_way(event, time_s)
        for event in trial.occurrences
        if isinstance(event, DrawOffRuns)
    )


def openings(trial: Trial) -> list[tuple[float, float, int, int]]:
    """When windows open, in order: from and to in s (inf at the end), index of the setpoint change and of the event.

    Of the two, places in `course` and `occurrences`, one is −1.

    One that opens at the instant of another ends where the next one after that instant opens.
    """
    opens = [(change.at_s, index, -1) for index, change in enumerate(trial.course)]
    opens += [(event.at_s, -1, index) for index, event in enumerate(trial.occurrences)]
    opens.sort(key=lambda each: (each[0], each[1] < 0, each[1], each[2]))
    instants = [*sorted({each[0] for each in opens}), float("inf")]
    following = dict(pairwise(instants))
    return [(at_s, following[at_s], change, event) for at_s, change, event in opens]
