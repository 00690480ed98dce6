"""What a change of the trial does to the state: links, loads, draw-offs, supply, drives and probes."""

import math
from typing import NamedTuple

from .compiled import part, subroutine
from .drives import flow_at
from .matrices import Linear
from .plant import Change, ChangeKind, Plant, State
from .slopes import Adaptive


class Heat(NamedTuple):
    """What the two integrations work on; which one does is said by the rig."""

    linear: Linear
    adaptive: Adaptive


@part
def _put_supply(share: float, index: int, plant: Plant, state: State, heat: Heat) -> None:
    """The supply is another share of what it should be: power goes with its square, a fan's speed with it."""
    settings, drive = plant.drives[index], state.drives[index]
    drive.supply = share
    if settings.moves:
        drive.target = drive.left * flow_at(settings, drive.acting, share, drive.target > 0.0)
        if settings.speed_lag_s == 0.0:
            heat.adaptive.x[plant.bodies.size + plant.probes.size + index] = drive.target
    else:
        drive.full_W = settings.power_W * share * share * drive.left


@subroutine
def apply_change(change: Change, plant: Plant, state: State, heat: Heat) -> None:
    """Let something change."""
    loop, index, value = state.loop[0], change.index, change.value
    if change.kind == ChangeKind.LINK:
        state.links[index].still_W_per_K += value
    elif change.kind == ChangeKind.LOAD:
        state.bodies[index].load_W += value
        if not loop.loads_cut:
            state.bodies[index].into_W += value
            loop.load_W += value
    elif change.kind == ChangeKind.DRAW:
        state.bodies[index].drawn_W_per_K += value
        state.bodies[index].into_W += value * change.inlet_degC
        loop.drawn_in_W += value * change.inlet_degC
    elif change.kind == ChangeKind.SURROUNDINGS:
        loop.outside_degC += value
    elif change.kind == ChangeKind.SUPPLY:
        _put_supply(value, index, plant, state, heat)
    elif change.kind == ChangeKind.STUCK:
        state.drives[index].stuck = value
    elif change.kind == ChangeKind.WELDED:
        state.drives[index].welded = value != 0.0
    elif change.kind == ChangeKind.WEAK:
        state.drives[index].left = value
        _put_supply(state.drives[index].supply, index, plant, state, heat)
    elif change.kind == ChangeKind.SEAT:
        state.probes[index].sits_in = math.floor(value)
    else:
        state.probes[index].fault = math.floor(value)
