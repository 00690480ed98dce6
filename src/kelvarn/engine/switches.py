"""What stands between the supply and what heats: thermal cut-offs, drives' own thermostats, contactors, stuck drives.

Cut-offs and own thermostats need no software: they act at the very instant at which their body crosses their level
(`crossing.py`). What a trip of the controller cuts, and what is stuck, is so from a sample on.
"""

from math import inf

from .applying import Heat
from .compiled import part, subroutine
from .crossing import NEAR_K
from .drives import force, output_between, resume
from .matrices import prepare_all, slot_of
from .plant import NONE, Plant, State
from .slopes import temperature
from .survey import Trace


@part
def body_degC(i: int, plant: Plant, heat: Heat) -> float:
    """Temperature of a body now; of the surroundings, which come after the last body, with the exact integration."""
    if plant.rig[0].nonlinear:
        return temperature(heat.adaptive.x[i], plant.bodies[i])[0]
    return slot_of(heat.linear.z, i)


@part
def look_at_switches(plant: Plant, state: State, heat: Heat) -> bool:
    """Open and close cut-offs and own thermostats by the bodies that they sit on; whether any of them moved."""
    loop, moved = state.loop[0], False
    loop.cut_off = -1
    for c in range(plant.cut_offs.size - 1):
        each, kept = plant.cut_offs[c], state.cut_offs[c]
        degC, was = body_degC(each.body, plant, heat), kept.open
        kept.open = degC > each.closes_degC + NEAR_K if was else degC >= each.at_degC - NEAR_K
        moved = moved or kept.open != was
        if kept.open:
            loop.opened |= 1 << each.place
            if loop.cut_off < 0 and not each.cuts_loads:
                loop.cut_off = c
    for d in range(plant.drives.size):
        settings, drive = plant.drives[d], state.drives[d]
        if settings.dial_degC < inf and settings.acts_on >= 0:
            degC, was = body_degC(settings.acts_on, plant, heat), drive.blocked
            if drive.welded:
                drive.blocked = False
            elif was:
                drive.blocked = degC > settings.dial_degC - settings.dial_band_K + NEAR_K
            else:
                drive.blocked = degC >= settings.dial_degC - NEAR_K
            moved = moved or drive.blocked != was
    return moved


@part
def held_at(d: int, by_trip: bool, plant: Plant, state: State) -> float:
    """Level that a drive is held at, whatever is asked; NONE: it is not.

    Args:
        d: place of the drive.
        by_trip: whether a trip holds it off.
        plant, state: the rig, and where it stands.
    """
    if by_trip or state.loop[0].cut_off >= 0 or state.drives[d].blocked:
        return 0.0
    return state.drives[d].stuck


@part
def switch_loads(plant: Plant, state: State, heat: Heat) -> None:
    """Switch off what heats by itself, or on again, as trips and cut-offs say."""
    loop = state.loop[0]
    cut = loop.trips_load
    for c in range(plant.cut_offs.size - 1):
        cut = cut or (state.cut_offs[c].open and plant.cut_offs[c].cuts_loads)
    if cut != loop.loads_cut:
        loop.loads_cut = cut
        _add_loads(-1.0 if cut else 1.0, plant, state, heat)


@subroutine
def _add_loads(sign: float, plant: Plant, state: State, heat: Heat) -> None:
    """Add the loads to what goes into the bodies, or take them away."""
    for i in range(plant.bodies.size):
        watts = sign * state.bodies[i].load_W
        state.bodies[i].into_W += watts
        state.loop[0].load_W += watts
    if not plant.rig[0].nonlinear:
        prepare_all(plant, state, heat.linear)


@subroutine
def act_between_samples(k: int, t: float, by_trip: bool, plant: Plant, state: State, heat: Heat, trace: Trace) -> bool:
    """Let switches that came to their level act at an instant inside sample k, and put right what was put out of it.

    Args:
        k, t: sample, and its instant in s.
        by_trip: whether a trip holds the drives off.
        plant, state, heat: the rig and where it stands; written.
        trace: what was put out; written.

    Returns:
        Whether any of them did.
    """
    if not look_at_switches(plant, state, heat):
        return False
    switch_loads(plant, state, heat)
    end = (k + 1) * plant.rig[0].h
    for d in range(plant.drives.size):
        settings, drive, line = plant.drives[d], state.drives[d], state.lines[d]
        level = held_at(d, by_trip, plant, state)
        if level == drive.forced:
            continue
        before = output_between(t, end, settings, drive, line)
        if level != NONE:
            force(level, t, end - t, settings, drive, line)
        else:
            resume(t, end - t, settings, drive, line)
        drive.forced = level
        trace.put_out[d, k] += (output_between(t, end, settings, drive, line) - before) / plant.rig[0].h
    return True
