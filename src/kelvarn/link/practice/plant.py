"""The rig of a practice rig: the engine's own, advanced tick by tick by levels that a device puts out.

The kernel runs a trial of ticks whose drives are held at what the device gives. Its arrays have room for so many ticks;
at their end the clock of all that is kept is set back, and it goes on.
"""

import copy
import math
from collections.abc import Sequence
from typing import Any, NamedTuple, cast

import numpy as np

from kelvarn.engine.kernel import Outcome, run_loop
from kelvarn.engine.layout import curves_of
from kelvarn.engine.matrices import product, put_slot, slot_of
from kelvarn.engine.memory import fresh_found, fresh_state, fresh_trace
from kelvarn.engine.plant import NONE, Change, ChangeKind, ConverterKind, CurvePoint, Plant, ProbeRecord
from kelvarn.engine.prepare import on_trial_for, prepare_anew
from kelvarn.engine.probes import count_of, is_curve
from kelvarn.engine.records import rows_of, table
from kelvarn.model.edit import with_fields
from kelvarn.model.events import Event, SupplyChange, SurroundingsChange
from kelvarn.model.fixed import Hand
from kelvarn.model.guards import CutOff
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

_TICKS = 20_000
_ROOM = 64
"""Changes that may be due at once."""
_FIRST_S, _APART_S = 1.0, 0.01
_NEVER_S = 1e12


class Raw(NamedTuple):
    """What a board has of a probe: the count of its converter, or degC of one without; None where there is none."""

    value: float | None


class PracticePlant:
    """A rig that is heated by whoever drives it.

    Args:
        rig: it; of its guards only thermal cut-offs are there, since they need no software.
        tick_s: time between two steps.
        events: what may happen to it, by switching it on and off; plant events only.
        seed: of the noise.
        start_degC: of all bodies; None: as the rig has them.
        quiet: probes without noise and steps.
    """

    def __init__(
        self, rig: Rig, tick_s: float, events: Sequence[Event] = (), seed: int = 1, start_degC: float | None = None,
        *, quiet: bool = False,
    ) -> None:  # fmt: skip
        self.rig, self.tick_s, self._seed = rig, tick_s, seed
        plain = _bare(rig, tick_s, quiet=quiet)
        trial = _trial(tick_s, events, start_degC)
        prepared = prepare_anew(plain, trial)
        apart = _apart(rows_of(prepared.plant.changes, Change), len(events))
        self._of_event = [
            (begins + more, ends + less)
            for (begins, ends), (more, less) in zip(apart, (_of_supply(rig, each) for each in events), strict=True)
        ]
        at_start = [each for each in rows_of(prepared.plant.changes, Change) if each.at_s < _FIRST_S]
        never = [Change(_NEVER_S, ChangeKind.SURROUNDINGS, 0, 0.0, 0.0)] * _ROOM
        self._plant: Plant = prepared.plant._replace(changes=table(Change, [*at_start, *never]))
        self._plant.rig[0].most_steps = 1 << 60
        self._state, self._heat = fresh_state(prepared, plain, 0.0)
        self._trace, self._found = fresh_trace(prepared, len(plain.all_bodies)), fresh_found(prepared)
        self._on_trial = on_trial_for(plain, Hand(drive=0.0), trial)
        self._slots = self._made_slots()
        self._records = rows_of(self._plant.probes, ProbeRecord)
        self._curves = curves_of(plain)
        self._noise_K = [probe.noise_K for probe in plain.probes]
        self._held: dict[int, float] = {}
        self._loads_cut = False
        self._loads: dict[int, float] = {}
        self._k, self._before_s, self._wrapped = 0, 0.0, 0
        self._advance()

    def _made_slots(self) -> list[int]:
        return run_loop.slots((
            0, 1, self._plant, self._on_trial, self._state, self._heat, self._trace, self._found,
        ))  # fmt: skip

    def copy(self) -> "PracticePlant":
        """One that goes on from here, apart from this one."""
        made = copy.copy(self)
        for name in ("_plant", "_state", "_heat", "_trace", "_found", "_on_trial", "_held", "_loads"):
            setattr(made, name, copy.deepcopy(getattr(self, name)))
        made._slots = made._made_slots()
        return made

    def shift(self, body: int, by_K: float) -> None:
        """Make a body warmer at once; one that melts is not shifted."""
        if self._plant.rig[0].nonlinear:
            if cast(Any, self._plant.bodies)[body].latent_K == 0.0:
                self._heat.adaptive.x[body] += by_K
            return
        linear = self._heat.linear
        put_slot(linear.z, body, slot_of(linear.z, body) + by_K)
        product(linear.rates, linear.z, linear.zero, linear.slope)

    def degC(self) -> list[float]:
        """What the probes show, before any correction, at the last tick."""
        return cast(list[float], self._trace.readings_degC[:, self._k - 1].tolist())

    @property
    def time_s(self) -> float:
        """Since it began."""
        return self._before_s + self._k * self.tick_s

    def step(self, levels: Sequence[float], *, loads_closed: bool = True) -> None:
        """Let a tick pass with outputs at these mean levels, 0…1.

        Raises:
            RuntimeError: a body leaves every sensible range.
        """
        drives = cast(Any, self._state.drives)
        for d, level in enumerate(levels):
            drives[d].stuck = self._held.get(d, level)
        if loads_closed == self._loads_cut:
            self._switch_loads(closed=loads_closed)
        self._advance()

    def _advance(self) -> None:
        if self._k >= _TICKS - 2:
            self._set_back()
        self._slots[:2] = self._k, self._k + 1
        if run_loop.again(self._slots) != Outcome.DONE:
            raise RuntimeError("A body of the practice rig left every sensible range.")
        self._k += 1

    @property
    def bodies_degC(self) -> list[float]:
        """Temperature of each body at the last tick, in the order of the rig."""
        return cast(list[float], self._trace.bodies_degC[:, self._k - 1].tolist())

    def body_degC(self, name: str) -> float:
        """Temperature of a body."""
        return self.bodies_degC[self.rig.body_index(name)]

    def raws(self) -> list[float]:
        """What a board has of each probe at the last tick."""
        return [
            _raw(record, self._curves, float(self._trace.readings_degC[p, self._k - 1]))
            for p, record in enumerate(self._records)
        ]

    def switch(self, place: int, *, on: bool) -> None:
        """Let an event begin or end now.

        Args:
            place: among the events that it was made with.
            on: whether it begins.
        """
        now = self._k * self.tick_s
        due = []
        for change in self._of_event[place][0 if on else 1]:
            kind, value = ChangeKind(change.kind), change.value
            if kind == ChangeKind.STUCK:
                if value == NONE:
                    self._held.pop(change.index, None)
                else:
                    self._held[change.index] = value
                continue
            if kind == ChangeKind.FAULT and value >= 0:
                fault = cast(Any, self._plant.faults)[math.floor(value)]
                fault.since_s = now
                cast(Any, self._state.faults)[math.floor(value)] = (False, 0.0, 0.0)
            due.append(Change(now, change.kind, change.index, value, change.inlet_degC))
        # Faults come first, as the kernel takes them before all else.
        due.sort(key=lambda change: change.kind != ChangeKind.FAULT)
        self._insert(due)

    def _insert(self, due: Sequence[Change]) -> None:
        """Put changes that are due now where the kernel looks next, after those that it has still to take."""
        loop, changes = self._state.loop[0], cast(Any, self._plant.changes)
        first = int(loop.next_change)
        waiting = [row for row in rows_of(cast(Any, changes[first:]), Change) if row.at_s < _NEVER_S]
        rows = [*waiting, *due]
        loop.next_change = 0
        for k in range(len(changes)):
            row = rows[k] if k < len(rows) else Change(_NEVER_S, ChangeKind.SURROUNDINGS, 0, 0.0, 0.0)
            changes[k] = (row.at_s, row.kind, row.index, row.value, row.inlet_degC)

    def _switch_loads(self, *, closed: bool) -> None:
        """Cut what heats by itself, or let it on again."""
        now, bodies = self._k * self.tick_s, cast(Any, self._state.bodies)
        if not closed:
            self._loads = {b: float(body.load_W) for b, body in enumerate(bodies) if body.load_W}
        sign = 1.0 if closed else -1.0
        self._insert([Change(now, ChangeKind.LOAD, b, sign * watts, 0.0) for b, watts in self._loads.items()])
        self._loads_cut = not closed

    def _set_back(self) -> None:
        """Set the clock of all that is kept back, by whole rounds of the probes' histories."""
        ring = self._state.history.shape[1]
        rounds = (self._k - 1) // ring
        back = rounds * ring
        back_s = back * self.tick_s
        kept = self._k - back
        for array in (self._trace.readings_degC, self._trace.bodies_degC):
            array[:, kept - 1] = array[:, self._k - 1]
        self._k = kept
        self._before_s += back_s
        self._wrapped += 1
        lines = cast(Any, self._state.lines)
        lines["at_s"] -= back_s
        cast(Any, self._plant.faults)["since_s"] -= back_s
        drives = cast(Any, self._state.drives)
        for name in ("switched_s", "kick_until_s", "counted_s", "pulse_from_s"):
            drives[name] -= back_s
        faults = cast(Any, self._state.faults)
        spikes = cast(Any, self._plant.faults)["kind"] == 7
        faults["taken"] -= np.where(spikes, 0.0, back_s)
        changes = cast(Any, self._plant.changes)
        changes["at_s"] -= np.where(changes["at_s"] < _NEVER_S, back_s, 0.0)
        drawn = np.random.default_rng(self._seed + self._wrapped).standard_normal(self._plant.noise.shape)
        self._plant.noise[:] = drawn * np.array(self._noise_K)[:, np.newaxis]


def _bare(rig: Rig, tick_s: float, *, quiet: bool) -> Rig:
    """The rig without all that is software: probes as they are before a correction, guards that need none."""
    more: dict[str, Any] = {"noise_K": 0.0, "resolution_K": 0.0, "converter": None} if quiet else {}
    probes = [with_fields(probe, interval_s=tick_s, correction=None, **more) for probe in rig.probes]
    guards = tuple(guard for guard in rig.guards if isinstance(guard, CutOff))
    return with_fields(rig, guards=guards, permits=(), probes=tuple(probes))


def _trial(tick_s: float, events: Sequence[Event], start_degC: float | None) -> Trial:
    """A trial in which each event begins at an instant of its own and ends soon after it."""
    placed = [
        event.model_copy(
            update={"name": f"Event {k}", "at_s": _FIRST_S + 2 * k * _APART_S, "lasts_s": _APART_S, "again_s": None}
            | ({"course": "step"} if isinstance(event, SurroundingsChange) else {})
        )
        for k, event in enumerate(events)
    ]
    plan = Plan(changes=(SetpointChange(at_s=0.0, to_degC=20.0),))
    return Trial(
        name="Practice", plan=plan, duration_s=_TICKS * tick_s, events=tuple(placed), start_degC=start_degC, seed=1
    )


def _apart(changes: Sequence[Change], count: int) -> list[tuple[list[Change], list[Change]]]:
    """What each event changes when it begins, and when it ends."""
    found: list[tuple[list[Change], list[Change]]] = [([], []) for _ in range(count)]
    for change in changes:
        place = round((change.at_s - _FIRST_S) / _APART_S)
        if place >= 0 and change.kind != ChangeKind.SUPPLY:
            found[place // 2][place % 2].append(change)
    return found


def _of_supply(rig: Rig, event: Event) -> tuple[list[Change], list[Change]]:
    """What a change of the supply changes when it begins, and when it ends; other events: nothing."""
    if not isinstance(event, SupplyChange):
        return [], []
    fed = [d for d, drive in enumerate(rig.drives) if getattr(drive, "resistive", False) or drive.kind == "fan"]
    begins, ends = ([Change(0.0, ChangeKind.SUPPLY, d, to, 0.0) for d in fed] for to in (event.to, 1.0))
    return begins, ends


def _raw(probe: ProbeRecord, curves: list[CurvePoint], degC: float) -> float:
    """What a board has where a probe shows a temperature before any correction."""
    points = cast(Any, curves)
    if probe.converter == ConverterKind.NONE:
        return degC
    if probe.converter == ConverterKind.EVEN:
        return count_of(probe, points, degC)
    # What lies at an end of its range is open or shorted, or as far away as if it were.
    falls = not is_curve(probe) or curves[probe.first_point].count > curves[probe.last_point].count
    if degC <= probe.lowest_degC:
        return probe.levels if falls else 0.0
    if degC >= probe.highest_degC:
        return 0.0 if falls else probe.levels
    return count_of(probe, points, degC)
