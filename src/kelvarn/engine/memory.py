"""Room for a run: what is kept of it while it goes on, and what it leaves. The kernel makes no arrays of its own."""

from typing import Any, cast

import numpy as np

from kelvarn.model.rig import Rig

from . import matrices, slopes
from .applying import Heat
from .output import outputs_at
from .plant import BodyState, CutOffState, Delayed, DriveState, FaultState, LinkRecord, LoopState, ProbeState, State
from .prepare import Prepared
from .records import blank, blanks, table
from .survey import BodyFound, Found, RunFound, SpanFound, Trace


def fresh_state(prepared: Prepared, rig: Rig, before: float) -> tuple[State, Heat]:
    """What is kept of a run, before its first sample.

    Args:
        prepared, rig: what runs.
        before: demand before the run.
    """
    plant = prepared.plant
    n, drives, probes = len(plant.bodies), len(plant.drives), len(plant.probes)
    levels = outputs_at(rig, before)
    if not before:  # what has no power yet gives nothing, but a valve stands at its end stop
        levels = tuple(level if drive.kind == "valve" else 0.0 for drive, level in zip(rig.drives, levels, strict=True))
    state = State(
        loop=blank(LoopState, 1),
        bodies=blank(BodyState, n),
        links=blank(LinkRecord, len(plant.links)),
        drives=table(DriveState, [DriveState(acting=level) for level in levels]),
        cut_offs=blank(CutOffState, len(plant.cut_offs)),
        lines=blanks(Delayed, drives, prepared.line_size),
        probes=blank(ProbeState, probes),
        faults=blank(FaultState, len(plant.faults)),
        history=np.zeros((probes, prepared.history_size)),
    )
    return state, Heat(_linear(prepared), _adaptive(prepared))


def _linear(prepared: Prepared) -> matrices.Linear:
    plant = prepared.plant
    n, drives, probes = len(plant.bodies), len(plant.drives), len(plant.probes)
    size = n + matrices.EXTRA + probes if not prepared.nonlinear else 1
    blocks, lengths = (size + 7) // 8, prepared.lengths
    return matrices.Linear(
        flow=np.zeros((size, size)),
        powers=np.zeros((3, size, size)),
        rates=np.zeros((blocks, 8, blocks, 8)),
        transition=np.zeros((lengths, blocks, 8, blocks, 8)),
        push=np.zeros((lengths, drives, blocks, 8)),
        part_transition=np.zeros((blocks, 8, blocks, 8)),
        part_push=np.zeros((drives, blocks, 8)),
        series=np.zeros((drives, matrices.TERMS, blocks, 8)),
        z=np.zeros((blocks, 8)),
        after=np.zeros((blocks, 8)),
        smooth=np.zeros((blocks, 8)),
        pushed=np.zeros((blocks, 8)),
        slope=np.zeros((blocks, 8)),
        slope_after=np.zeros((blocks, 8)),
        by_drive=np.zeros((blocks, 8)),
        zero=np.zeros((blocks, 8)),
        kept_z=np.zeros((blocks, 8)),
        kept_slope=np.zeros((blocks, 8)),
        kept_extremes=np.zeros((2, n)),
        kept_drives=blank(DriveState, drives),
        switches=blank(matrices.SwitchOrder, matrices.MOST_SWITCHES),
        switched=np.zeros(1, np.int64),
    )


def _adaptive(prepared: Prepared) -> slopes.Adaptive:
    plant = prepared.plant
    n, drives, probes = len(plant.bodies), len(plant.drives), len(plant.probes)
    size = n + probes + drives + 2 * len(plant.ices) + 1 if prepared.nonlinear else 1
    return slopes.Adaptive(
        x=np.zeros(size),
        squares=np.zeros((2, size, size)),
        work=np.zeros((slopes.WORK_ROWS, size)),
        into_W=np.zeros(n),
    )


def fresh_trace(prepared: Prepared, named: int) -> Trace:
    """Room for what a run leaves; `named` is how many bodies have names."""
    plant = prepared.plant
    m, drives, probes = plant.noise.shape[1], len(plant.drives), len(plant.probes)
    return Trace(
        setpoint_degC=np.empty(m),
        asked=np.empty(m),
        given=np.empty(m),
        p=np.empty(m),
        i=np.empty(m),
        d=np.empty(m),
        delay_left_s=np.empty(m),
        law_code=np.empty(m, np.int32),
        guard_code=np.empty(m, np.int32),
        alarm_code=np.empty(m, np.int32),
        tripped=np.zeros(m, np.int32),
        bodies_degC=np.empty((named, m)),
        lowest_degC=np.empty(m),
        highest_degC=np.empty(m),
        readings_degC=np.empty((probes, m)),
        put_out=np.empty((drives, m)),
        drives_W=np.empty((drives, m)),
        flow=np.zeros((drives, m)),  # written only of drives that move something
        ice_kg=np.empty((len(plant.ices), m)),
    )


def fresh_found(prepared: Prepared) -> Found:
    """Room for what is read of a run."""
    return Found(
        windows=cast(Any, prepared.windows).copy(),
        in_windows=blank(SpanFound, len(prepared.windows)),
        in_run=blank(RunFound, 1),
        bodies=blank(BodyFound, len(prepared.plant.bodies)),
    )
