"""When failures are tried: at the moments of a trial that its own run shows to be the worst ones."""

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from kelvarn.engine.measures import measure
from kelvarn.engine.run import Run, compute
from kelvarn.model.candidate import Controller
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say

_BETWEEN = 8  # moments spread evenly besides
_MOST_EDGES = 24  # of a plan
_LONG = 20_000  # samples of a trial of which fewer moments are taken


def moments_of(rig: Rig, controller: Controller, trial: Trial) -> dict[str, float]:
    """Moments by name, s; of several at one sample the first one counts.

    Raises:
        RunError: the trial cannot be run even without a failure.
    """
    run = compute(rig, controller, trial)
    h, last = rig.probe.interval_s, run.time_s.size - 1
    found: dict[str, float] = {rig.words.cold if trial.start_degC is None else "at the start": 0.0}
    taken = {0}

    def put(name: str, sample: float) -> None:
        k = int(min(max(sample, 0), last))
        if k not in taken:
            taken.add(k)
            found[name] = float(trial.duration_s if k == last else run.time_s[k])

    put(say("once the drive is on"), int(np.argmax(run.drive != 0)) + 1 if run.drive.any() else 1)
    full = np.flatnonzero(run.drive >= run.drive.max() - 1e-9)
    breaks = np.flatnonzero(np.diff(full) > 1)
    first_full = full[: breaks[0] + 1] if breaks.size else full
    put(say("at full drive on the way"), first_full[first_full.size // 2])
    put(say("as it leaves full drive"), first_full[-1])
    arrived = _arrived(run)
    if arrived is not None:
        put(say("at the setpoint"), arrived)
    long = run.time_s.size > _LONG
    _of_plan(run, put, _MOST_EDGES // 6 if long else _MOST_EDGES)
    for event in trial.occurrences[: 4 if long else 20]:
        end = min(event.end_s, trial.duration_s)
        put(say("just after {event} begins", event=event.name), event.at_s / h + 1)
        put(say("during {event}", event=event.name), (event.at_s + end) / 2 / h)
        put(say("late in {event}", event=event.name), end / h - 1)
    put(say("at the largest drive"), int(np.argmax(run.drive)))
    put(say("at the smallest drive"), int(np.argmin(run.drive[1:])) + 1)
    for body, row in zip(rig.all_bodies, run.bodies_degC, strict=True):
        put(say("with {body} {highest}", body=body.name, highest=rig.words.highest), int(np.argmax(row)))
        put(say("with {body} {lowest}", body=body.name, lowest=rig.words.lowest), int(np.argmin(row[1:])) + 1)
    error = run.setpoint_degC - run.measured_degC
    after = arrived if arrived is not None else 0
    put(say("with the reading furthest below"), after + int(np.argmax(error[after:])))
    put(say("with the reading furthest above"), after + int(np.argmin(error[after:])))
    put(say("at the end"), last)
    for k in range(1, _BETWEEN + 1):
        put(say("{share} % through", share=round(100 * k / (_BETWEEN + 1))), round(k / (_BETWEEN + 1) * last))
    return found


def _arrived(run: Run) -> int | None:
    """The sample at which it has settled at its first setpoint, or else first comes near it."""
    window = measure(run).first
    settled = window.values.get("settling_s")
    if settled is not None:
        return run.sample_at(window.from_s + settled)
    near = np.flatnonzero(np.abs(run.judged_degC - run.setpoint_degC) <= run.trial.band_K)
    return int(near[0]) if near.size else None


def _of_plan(run: Run, put: Callable[[str, float], None], most: int) -> None:
    """The stages of a plan and its ramps: where they begin, their middles, where they end."""
    setpoint = run.setpoint_degC
    moves = np.abs(np.diff(setpoint)) > 1e-9
    edges = np.flatnonzero(np.diff(moves.astype(np.int8)) != 0) + 1
    ends = [0, *edges[:most].tolist(), setpoint.size - 1]
    for first, last in pairwise(ends):
        at = f"{setpoint[last]:.4g} {run.rig.unit or '°C'}"
        if moves[min(first, moves.size - 1)]:
            put(say("on the ramp to {at}", at=at), (first + last) // 2)
        else:
            put(say("in the middle of {at}", at=at), (first + last) // 2)
            put(say("late at {at}", at=at), last - 1)
