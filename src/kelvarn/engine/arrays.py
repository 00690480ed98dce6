"""A rig, controller and trial as the plain arrays that the kernel takes."""

import math
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from typing import Any

import numpy as np

from kelvarn.model.candidate import Hand, OnOff, Pid
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.model.trial import DoorOpens, DrawOffRuns, Load, ProbeFault, SupplyChange, SurroundingsChange, Trial

from . import codes
from .kernel import READ
from .layout import Floats, Ints, Layout, is_curved, lay_out
from .native import Handed, hand
from .plan import setpoint_at
from .scratch import scratch
from .tables import changes_in_a_sample, demand_levels, drive_table, law_settings_of, probe_row, sharing_of

MOST_SAMPLES = 5_000_000
MOST_STEPS = 2_000_000_000
MOST_ADAPTIVE_STEPS = 5_000_000.0  # they take some ten seconds

# Longest step of the exact integration as a share of the fastest time constant, and the error allowed in one step of
# the adaptive one; benchmarks/RESULTS.md has the error study of both.
STEP_SHARE = 0.5
TOLERANCE_K = 1e-5


class RunError(ValueError):
    """The run cannot be computed. The message is one sentence that names what and where."""


@dataclass(frozen=True)
class Arrays:
    """What `kernel.run_loop` reads, in its order; and two sizes, of a drive's delay line and a probe's history."""

    h: float
    step_limit: float
    tolerance: float
    most_steps: float
    curved: bool
    inv_c: Floats
    melt: Floats
    start: Floats
    link_ends: Ints
    link_values: Floats
    event_t: Floats
    event_kind: Ints
    event_index: Ints
    event_values: Floats
    drive_table: Floats
    sharing: int
    probe_table: Floats
    control: int
    noise: Floats
    mirror: float
    setpoint: Floats
    start_levels: Floats
    law: int
    law_settings: Floats
    line_size: int
    history_size: int
    ready: Handed | None = None
    """All up to `setpoint`, which is the same for all candidates, made ready to be handed over."""

    def arguments(self) -> tuple[Any, ...]:
        """Arguments of the kernel up to its outputs, with fresh scratch."""
        common, ready = self._common(), self.ready
        # A copy with another array in it must not hand over the old one.
        if ready is None or any(a is not b for a, b in zip(ready.memory, common, strict=True)):
            ready = hand(common, _KINDS)
        work = scratch(
            len(self.inv_c), len(self.probe_table), len(self.drive_table), len(self.link_values), self.line_size,
            self.history_size, self.curved,
        )  # fmt: skip
        return ready, self.start_levels, self.law, self.law_settings, work

    def _common(self) -> tuple[Any, ...]:
        return tuple(getattr(self, name) for name in _COMMON)


_COMMON = tuple(each.name for each in fields(Arrays))[: len(READ.split())]
_KINDS = tuple(READ.split())


def to_arrays(
    rig: Rig,
    controller: OnOff | Pid | Hand,
    trial: Trial,
    step_share: float = STEP_SHARE,
    tolerance_K: float = TOLERANCE_K,
) -> Arrays:
    """Lay out a run.

    Args:
        rig, controller, trial: what runs; references were checked when the project was made.
        step_share: longest step of the exact integration over the fastest time constant.
        tolerance_K: error allowed in one step of the adaptive one.

    Raises:
        RunError: the trial is too short or too long for the probe's interval, or a body too fast to follow.
    """
    common = _without_law(rig, trial, step_share, tolerance_K)
    law, law_settings = law_settings_of(controller)
    before = controller.before if isinstance(controller, Hand) else 0.0
    levels = demand_levels(rig, common.drive_table, before)
    return replace(common, law=law, law_settings=law_settings, start_levels=levels)


@lru_cache(maxsize=4)
def _without_law(rig: Rig, trial: Trial, step_share: float, tolerance_K: float) -> Arrays:
    """All but the law: kept, since candidates are computed one after another on the same rig and trial."""
    h = rig.probe.interval_s
    samples = math.floor(trial.duration_s / h + 1e-9) + 1
    if samples < 2:
        raise RunError(
            f"Trial “{trial.name}” lasts {trial.duration_s:g} s, less than one reading of the probe "
            f"(every {h:g} s); make it longer."
        )
    if samples > MOST_SAMPLES:
        raise RunError(
            f"Trial “{trial.name}” would take {samples:,} readings; make it shorter or let the probe read less often."
        )
    layout = lay_out(rig, trial.start_degC)
    events = _events(rig, trial, layout)
    drives = drive_table(rig, layout)
    curved = is_curved(rig)
    longest_delay = float(drives[:, codes.DEAD_TIME].max())
    changes = max(changes_in_a_sample(drive, h) for drive in rig.drives)
    made = Arrays(
        h=h,
        step_limit=math.inf if curved else _step_limit(rig, trial, layout, step_share),
        tolerance=tolerance_K,
        most_steps=MOST_ADAPTIVE_STEPS,
        curved=curved,
        inv_c=np.array(layout.inv_c),
        melt=layout.melt,
        start=layout.start,
        link_ends=np.array(layout.ends, np.int64).reshape(-1, 4),
        link_values=np.array(layout.values, float).reshape(-1, 4),
        event_t=np.array([e[0] for e in events], float),
        event_kind=np.array([e[1] for e in events], np.int64),
        event_index=np.array([e[2] for e in events], np.int64),
        event_values=np.array([e[3] for e in events], float).reshape(-1, 3),
        drive_table=drives,
        start_levels=np.zeros(len(rig.drives)),
        sharing=sharing_of(rig),
        # Changes that can be under way at once, and one place that stays empty.
        line_size=(math.ceil(longest_delay / h) + 3) * changes + 4,
        probe_table=np.array([probe_row(rig, probe) for probe in rig.probes]),
        control=rig.control_index,
        history_size=math.ceil(max(probe.dead_time_s for probe in rig.probes) / h) + 3,
        noise=_noise(trial.seed, samples, tuple(probe.noise_K for probe in rig.probes)),
        law=codes.HAND,
        mirror=1.0 if rig.heats else -1.0,
        law_settings=np.zeros(codes.LAW_SETTINGS_SIZE),
        setpoint=setpoint_at(trial.plan, np.arange(samples) * h),
    )
    return replace(made, ready=hand(made._common(), _KINDS))


@lru_cache(maxsize=8)
def _noise(seed: int, samples: int, sizes_K: tuple[float, ...]) -> Floats:
    """Noise of each probe in K, shape (probes, samples); kept, since a drag runs the same trial again and again."""
    drawn = np.zeros((len(sizes_K), samples))
    for index, size in enumerate(sizes_K):
        if size > 0:
            source = np.random.PCG64(seed if index == 0 else np.random.SeedSequence([seed, index]))
            drawn[index] = size * np.random.Generator(source).standard_normal(samples)
    return drawn


_FAULTS = {
    "open": codes.OPEN, "short": codes.SHORT, "stuck": codes.STUCK, "stale": codes.STALE, "drift": codes.DRIFT,
    "offset": codes.WRONG_BY, "spikes": codes.SPIKES,
}  # fmt: skip
_Change = tuple[float, int, int, tuple[float, float, float]]


def _events(rig: Rig, trial: Trial, layout: Layout) -> list[_Change]:
    """What changes when, in order of time; adds a link of 0 W/K for each door."""
    changes: list[_Change] = [(0.0, *_draw(rig, layout, each.name)) for each in rig.draw_offs if each.always]
    changes += [
        (0.0, codes.LOAD_CHANGES, layout.entry[body.name], (body.own_heat_W, 0.0, 0.0))
        for body in rig.bodies
        if body.own_heat_W
    ]
    outside = len(layout.inv_c)
    for event in trial.events:
        after: tuple[float, float, float] | None = None
        match event:
            case DoorOpens():
                index = len(layout.ends)
                other = outside if event.to == SURROUNDINGS else layout.entry[event.to]
                layout.ends.append((layout.entry[event.body], other, -1, 0))
                layout.values.append([0.0, 0.0, 1.0, 0.0])
                found: tuple[int, int, tuple[float, float, float]] = (
                    codes.LINK_CHANGES, index, (door_W_per_K(rig, event), 0.0, 0.0)
                )  # fmt: skip
            case Load():
                found = codes.LOAD_CHANGES, layout.entry[event.body], (event.power_W, 0.0, 0.0)
            case DrawOffRuns():
                found = _draw(rig, layout, event.draw_off)
                after = -found[2][0], found[2][1], 0.0
            case SupplyChange():
                found = codes.SUPPLY_CHANGES, 0, (event.to - 1.0, 0.0, 0.0)
            case ProbeFault():
                index = [probe.name for probe in rig.probes].index(event.probe)
                found = codes.FAULT_CHANGES, index, (float(_FAULTS[event.fault]), event.size_K, event.every_s)
                after = float(codes.SOUND), 0.0, 1.0
            case SurroundingsChange():
                found = codes.SURROUNDINGS_CHANGE, 0, (event.change_K, 0.0, 0.0)
        changes.append((event.at_s, *found))
        if event.lasts_s is not None:
            kind, index, values = found
            changes.append((event.at_s + event.lasts_s, kind, index, after or (-values[0], 0.0, 0.0)))
    # At one instant faults come first: the reading of that instant is already wrong.
    changes.sort(key=lambda change: (change[0], change[1] != codes.FAULT_CHANGES))
    return changes


def _draw(rig: Rig, layout: Layout, name: str) -> tuple[int, int, tuple[float, float, float]]:
    draw_off = next(found for found in rig.draw_offs if found.name == name)
    return codes.DRAW_CHANGES, layout.entry[draw_off.body], (draw_off.flow_W_per_K, rig.inlet_degC(draw_off), 0.0)


def door_W_per_K(rig: Rig, event: DoorOpens) -> float:
    """What a door adds while it is open: what the event says, else the rig's link."""
    if event.conductance_W_per_K is not None:
        return event.conductance_W_per_K
    link = rig.link_between(event.body, event.to)
    return 0.0 if link is None else link.opened_W_per_K


def _step_limit(rig: Rig, trial: Trial, layout: Layout, share: float) -> float:
    """Longest integration step: a share of the fastest time constant, all doors open.

    The fastest rate is bounded by 2·max(ΣG/C) (Gershgorin's circles of the heat-flow matrix).
    """
    sums: list[float] = [0.0] * (len(layout.inv_c) + 1)
    for (a, b, _, _), (conductance, *_) in zip(layout.ends, layout.values, strict=True):
        sums[a] += conductance
        sums[b] += conductance
    for event in trial.events:
        if isinstance(event, DoorOpens):
            sums[layout.entry[event.body]] += door_W_per_K(rig, event)
            if event.to != SURROUNDINGS:
                sums[layout.entry[event.to]] += door_W_per_K(rig, event)
    for draw_off in rig.draw_offs:
        sums[layout.entry[draw_off.body]] += draw_off.flow_W_per_K
    rates: list[float] = [total * inverse for total, inverse in zip(sums[:-1], layout.inv_c, strict=True)]
    fastest = max(rates)
    name = f"“{rig.all_bodies[min(rates.index(fastest), len(rig.all_bodies) - 1)].name}”"
    for probe in rig.probes:
        if probe.lag_s > 0 and 1 / probe.lag_s > fastest:
            fastest, name = 1 / probe.lag_s, f"probe “{probe.name}”"
    if fastest == 0:
        return math.inf
    limit = share / (2 * fastest)
    if trial.duration_s / limit > MOST_STEPS:
        raise RunError(
            f"{name} follows within {1 / fastest:.2g} s, too fast for a trial of {trial.duration_s:g} s; "
            "raise its heat capacity, lower its conductances or shorten the trial."
        )
    return limit
