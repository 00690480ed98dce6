"""Rows for the simulated board: what it reads at each instant of a run, or at random."""

import random
from collections.abc import Callable, Sequence
from typing import Any, cast

import numpy as np
import numpy.typing as npt

from kelvarn.engine.guard_records import Timing
from kelvarn.engine.layout import Floats, probe_record
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.prepare import on_trial_for
from kelvarn.engine.pulses import counts_of
from kelvarn.engine.run import Run

from .board_files import adjusts
from .carry import Carried, columns
from .twin import BoardRow

Ints = npt.NDArray[np.int64]
_USUAL = {"order_age_ms": -1.0, "override": -1.0, "override_alone": -1.0, "week_ms": -1.0, "gone_ms": -1.0}


def plain_row(carried: Carried, now_ms: int, raws: Sequence[float | None]) -> BoardRow:
    """A row with no more than readings in it: of each probe its raw figure, None where there is none."""
    row = [float(now_ms % (1 << 32))]
    for raw in raws:
        row += [0.0, 0.0] if raw is None else [raw, 1.0]
    adjusted = [-1.0, 0.0] if adjusts(carried) else []
    return [*row, *(_USUAL.get(name, 0.0) for _, _, name, _ in columns(carried)), *adjusted]


def random_row(carried: Carried, now_ms: int, levels: Sequence[float], draw: random.Random) -> BoardRow:
    """A row with readings near levels at which something acts, and people at the buttons."""
    rig = carried.project.rig
    raws: list[float | None] = []
    for probe in rig.probes:
        degC, record = draw.choice(levels) + draw.gauss(0.0, 3.0), probe_record(rig, probe)
        raw = draw.uniform(0, record.levels) if record.converter else round(degC, draw.choice([1, 4, 12]))
        raws.append(None if draw.random() < 0.05 else raw)
    row = plain_row(carried, now_ms, raws)
    first = 1 + 2 * len(rig.probes)
    for place, (_, _, name, _) in enumerate(columns(carried)):
        row[first + place] = float(_DRAWN[name](draw)) if name in _DRAWN else 0.0
    return row


_DRAWN: dict[str, Callable[[random.Random], float]] = {
    "reset": lambda draw: draw.random() < 0.05,
    "stop": lambda draw: draw.random() < 0.02,
    "again": lambda draw: draw.random() < 0.1,
    "begin": lambda draw: draw.random() < 0.02,
    "override_alone": lambda draw: draw.choice((-1, -1, 0, 1)),
    "order_age_ms": lambda draw: draw.choice((-1, -1, 0, 5000, 1_000_000)),
    "override": lambda draw: draw.choice((-1, -1, 0, 1)),
    "override_drive": lambda draw: draw.choice((0.0, 0.5, 1.0)),
    "override_until": lambda draw: draw.choice((0, 1, 2)),
    "nearer_K": lambda draw: draw.choice((0.0, 0.0, 0.0, 5.0, -5.0)),
    "nudge_K": lambda draw: draw.choice((0.0, 2.0, -3.0)),
    "week_ms": lambda draw: draw.choice((-1, draw.randrange(604_800_000))),
    "price": lambda draw: draw.random(),
    "price_known": lambda draw: draw.random() < 0.5,
    "gone_ms": lambda draw: draw.choice((-1, -1, 0, 9_999, 10_000, 60_000)),
}
"""Inputs at random."""


class RowsOfRuns:
    """What a board reads in runs: rows for each time that it is switched on, with the samples that they are.

    What permits, people and the clock say is worked out once for all runs in which the same happens.

    Args:
        carried: whose board.
    """

    def __init__(self, carried: Carried) -> None:
        self._carried = carried
        self._known: dict[Any, list[tuple[Ints, Floats]]] = {}

    def of(self, run: Run) -> list[tuple[Ints, Floats]]:
        """Samples and rows of each stretch of a run between power cuts."""
        intervals = on_trial_for(run.rig, run.controller, run.trial).intervals
        key = tuple(cast(Any, intervals).tolist()), run.time_s.size
        if key not in self._known:
            self._known[key] = self._worked_out(run)
        raws = raws_of(run)
        found = []
        for samples, rows in self._known[key]:
            made = rows.copy()
            made[:, 1 : 1 + raws.shape[1]] = raws[samples]
            found.append((samples, made))
        return found

    def _worked_out(self, run: Run) -> list[tuple[Ints, Floats]]:
        rig, trial, carried = run.rig, run.trial, self._carried
        stepper = Stepper(run.controller, trial.plan, rig.probe.interval_s, rig.way, (), rig, trial)
        on_trial, interval_ms = stepper.on_trial, carried.known.rows[Timing][0].interval_ms
        those, nothing = columns(carried), [0.0] * (2 * len(rig.probes))
        unadjusted = [-1.0, 0.0] if adjusts(carried) else []
        found: list[list[tuple[int, BoardRow]]] = [[]]
        for k in range(run.time_s.size):
            taken = on_trial.happening[0].taken
            stepper.step(*run.probes_degC[:, k].tolist())
            if on_trial.happening[0].power_cut:
                found.append([])
            elif on_trial.happening[0].taken != taken:
                said = [float(getattr(getattr(on_trial.inputs, group)[row], name)) for group, _, name, row in those]
                found[-1].append((k, [float(k * interval_ms), *nothing, *said, *unadjusted]))
        return [(np.array([k for k, _ in part]), np.array([row for _, row in part])) for part in found if part]


def raws_of(run: Run) -> Floats:
    """What a board has of each probe at each sample of a run, and that it has it; shape (samples, 2 probes)."""
    columns_of = []
    for place, probe in enumerate(run.rig.probes):
        record, counts = probe_record(run.rig, probe), counts_of(run, place)
        degC = run.probes_degC[place]
        if counts is None:
            counts = (degC - record.correct_true_degC) / record.correct_slope + record.correct_shown_degC
        columns_of += [counts, np.ones_like(counts)]
    found: Floats = np.column_stack(columns_of)
    return found
