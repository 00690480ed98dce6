"""A rig, a controller and a trial made ready for the kernel: the one place where sizes are worked out."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from kelvarn.model.candidate import Controller
from kelvarn.model.guards import CutOff
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, say

from .changes import changes_of, openings, put_in, weather_of
from .control import control_of
from .happenings import OnTrial
from .layout import (
    Floats,
    Layout,
    changes_in_a_sample,
    curves_of,
    cut_offs_of,
    fastest_1_per_s,
    is_nonlinear,
    lay_out,
    probe_record,
    sharing_of,
)
from .on_trial import on_trial_of
from .plant import (
    TIME_EPS,
    BodyRecord,
    Change,
    ChangeKind,
    CurvePoint,
    CutOffRecord,
    Drive,
    Fault,
    IceRecord,
    LinkRecord,
    Plant,
    ProbeRecord,
    RigData,
    Segment,
)
from .records import Table, table
from .survey import SpanPlace

MOST_SAMPLES = 5_000_000
MOST_STEPS = 5_000_000
"""Steps of the adaptive integration besides those that samples and switchings ask for; they take some ten seconds."""
MOST_SEGMENTS = 60
"""Parts of a sample for the exact integration; where it needs more, the adaptive one is quicker."""

# Longest step of the exact integration as a share of the fastest time constant, and the error allowed in one step of
# the adaptive one; benchmarks/RESULTS.md has the error study of both.
STEP_SHARE = 0.5
TOLERANCE_K = 1e-5


class RunError(ValueError):
    """The run cannot be computed. The message is one sentence that names what and where."""


@dataclass(frozen=True)
class Prepared:
    """What is the same for all controllers on a rig and a trial.

    Attributes:
        plant: for the kernel.
        windows: what is to be read of a run; places in `openings`, since some are beyond the last reading.
        line_size, history_size: changes that fit in a drive's delay line, samples in a probe's history.
        lengths: how many lengths of segments there are, each with matrices of its own.
        nonlinear: whether the adaptive integration advances it.
    """

    plant: Plant
    windows: Table[SpanPlace]
    line_size: int
    history_size: int
    lengths: int
    nonlinear: bool


@dataclass(frozen=True, eq=False)
class Played:
    """What was recorded, in place of what a controller decides and a trial says.

    Attributes:
        drive: demand at each sample.
        surroundings: instants in s, rising, and by how much the surroundings change there, K.
    """

    drive: Floats
    surroundings: tuple[tuple[float, float], ...] = ()


def prepare(rig: Rig, trial: Trial, step_share: float = STEP_SHARE, tolerance_K: float = TOLERANCE_K) -> Prepared:
    """`prepare_anew` without a record. Kept, since candidates run one after another on the same rig and trial."""
    return _prepared(rig, trial, step_share, tolerance_K)


@lru_cache(maxsize=4)
def _prepared(rig: Rig, trial: Trial, step_share: float, tolerance_K: float) -> Prepared:
    return prepare_anew(rig, trial, step_share, tolerance_K)


def prepare_anew(
    rig: Rig, trial: Trial, step_share: float = STEP_SHARE, tolerance_K: float = TOLERANCE_K,
    played: Played | None = None,
) -> Prepared:  # fmt: skip
    """Lay out all but the controller.

    Args:
        rig, trial: references were checked when the project was made.
        step_share: longest step of the exact integration over the fastest time constant.
        tolerance_K: error allowed in one step of the adaptive one.
        played: a record to follow; None lets the controller decide.

    Raises:
        RunError: the trial is too short or too long for the probe's interval.
    """
    h, samples = rig.probe.interval_s, samples_of(rig, trial)
    layout = lay_out(rig, trial.start_degC, put_in(trial))
    changes, faults = changes_of(rig, trial, layout)
    if played is not None:
        changes += [Change(at_s, ChangeKind.SURROUNDINGS, 0, more, 0.0) for at_s, more in played.surroundings]
        changes.sort(key=lambda change: change.at_s)
    probes = [probe_record(rig, probe) for probe in rig.probes]
    limit_s = _step_limit_s(rig, layout, changes, step_share)
    adaptive = is_nonlinear(rig) or limit_s < h / MOST_SEGMENTS
    segments = _segments(h, math.inf if adaptive else limit_s, rig, probes)
    switchings = max(changes_in_a_sample(drive, h) for drive in rig.drives)
    longest_delay = max(drive.dead_time_s for drive in layout.drives)
    data = RigData(
        h=h,
        samples=samples,
        nonlinear=adaptive,
        tolerance_K=tolerance_K,
        most_steps=MOST_STEPS + 4 * samples * (len(segments) + switchings * len(rig.drives)),
        sharing=sharing_of(rig),
        control_probe=rig.control_index,
        judged_body=rig.body_index(rig.judged_body),
        peeks=any(probe.peek_segment >= 0 for probe in probes),
        outside_degC=layout.outside_degC,
        band_K=trial.band_K,
        guarded=bool(rig.guards),
        final_guards=sum(1 << place for place, guard in enumerate(rig.guards) if guard.final),
        switched=any(isinstance(guard, CutOff) for guard in rig.guards)
        or any(getattr(drive, "dial_degC", None) is not None for drive in rig.drives),
        matters=rig.goal is not None or any(body.ready_K is not None for body in rig.all_bodies),
        since_s=trial.events[-1].at_s if trial.events else 0.0,
        **_goal(rig),
    )
    plant = Plant(
        rig=table(RigData, [data]),
        bodies=table(BodyRecord, layout.bodies),
        links=table(LinkRecord, layout.links),
        drives=table(Drive, layout.drives),
        probes=table(ProbeRecord, probes),
        curves=table(CurvePoint, curves_of(rig)),
        ices=table(IceRecord, layout.ices),
        faults=table(Fault, faults),
        changes=table(Change, changes),
        segments=table(Segment, segments),
        cut_offs=table(CutOffRecord, cut_offs_of(rig)),
        noise=_noise(trial.seed, samples, tuple(probe.noise_K for probe in rig.probes)),
        weather=weather_of(trial, h, samples),
        played=np.zeros(0) if played is None else np.ascontiguousarray(played.drive),
    )
    # Changes that can be under way at once, and one place that stays empty.
    line_size = (math.ceil(longest_delay / h) + 3) * switchings + 4
    history_size = max(probe.late_samples for probe in probes) + 2
    lengths = 1 + max(segment.matrices for segment in segments)
    return Prepared(plant, _windows(trial, h, samples), line_size, history_size, lengths, data.nonlinear)


def samples_of(rig: Rig, trial: Trial) -> int:
    """Readings of the control probe in a trial.

    Raises:
        RunError: there are too few or too many.
    """
    h = rig.probe.interval_s
    samples = math.floor(trial.duration_s / h + 1e-9) + 1
    if samples < 2:
        raise RunError(
            say(
                "Trial “{name}” lasts {duration} s, less than one reading of the probe (every {interval} s); make it "
                "longer.",
                name=trial.name,
                duration=figures(f"{trial.duration_s:g}", ""),
                interval=figures(f"{h:g}", ""),
            )
        )
    if samples > MOST_SAMPLES:
        raise RunError(
            say(
                "Trial “{name}” would take {samples} readings, {most} are the most; make it shorter, or let "
                "the probe read every {seconds} s or more.",
                name=trial.name,
                samples=figures(f"{samples:,}", ""),
                most=figures(f"{MOST_SAMPLES:,}", ""),
                seconds=math.ceil(trial.duration_s / MOST_SAMPLES),
            )
        )
    return samples


def _step_limit_s(rig: Rig, layout: Layout, changes: Sequence[Change], share: float) -> float:
    """Longest step of the exact integration: a share of the fastest time constant, all doors open."""
    links = [(layout.links[c.index], c.value) for c in changes if c.kind == ChangeKind.LINK and c.value > 0]
    drawn = [(c.index, c.value) for c in changes if c.kind == ChangeKind.DRAW and c.value > 0]
    fastest = fastest_1_per_s(layout, [(link.a, link.b, more) for link, more in links], drawn, rig)
    return share / (2 * fastest) if fastest > 0 else math.inf


def _segments(h: float, limit_s: float, rig: Rig, probes: list[ProbeRecord]) -> list[Segment]:
    """Parts of a sample: short enough for the exact integration, and ending where a probe is read between samples.

    A reading is what a probe had one dead time ago. Where that is no whole number of samples, its course is followed to
    that very instant. Fills in `late_samples` and `peek_segment` of the probes.
    """
    parts = max(1, math.ceil(h / limit_s - TIME_EPS)) if limit_s < h else 1
    ends = [(part + 1) * (h / parts) for part in range(parts - 1)] + [h]
    peeks: dict[int, float] = {}
    for p, model in enumerate(rig.probes):
        late = model.dead_time_s / h
        whole = math.floor(late + TIME_EPS)
        after_s = (whole + 1 - late) * h  # into the sample in which it was read
        if late - whole <= TIME_EPS:
            probes[p].late_samples = whole
        else:
            probes[p].late_samples = whole + 1
            peeks[p] = next((end for end in ends if abs(end - after_s) < TIME_EPS), after_s)
    ends = sorted({*ends, *peeks.values()})
    for p, after_s in peeks.items():
        probes[p].peek_segment = ends.index(after_s)
    lengths: list[float] = []
    segments = []
    for begin, end in zip([0.0, *ends[:-1]], ends, strict=True):
        length = h / parts if abs(end - begin - h / parts) < 1e-12 * h else end - begin
        known = next((i for i, other in enumerate(lengths) if abs(other - length) < 1e-14 * h), None)
        if known is None:
            known = len(lengths)
            lengths.append(length)
        segments.append(Segment(begin, lengths[known], known))
    return segments


def _noise(seed: int, samples: int, sizes_K: tuple[float, ...]) -> Floats:
    """Noise of each probe, K, shape (probes, samples)."""
    drawn = np.zeros((len(sizes_K), samples))
    for index, size in enumerate(sizes_K):
        if size > 0:
            drawn[index] = size * _unit_noise(seed, index, samples)
    return drawn


@lru_cache(maxsize=4)
def _unit_noise(seed: int, index: int, samples: int) -> Floats:
    """Noise of one kelvin; kept, since a drag runs the same trial again and again."""
    source = np.random.PCG64(seed if index == 0 else np.random.SeedSequence([seed, index]))
    return np.random.Generator(source).standard_normal(samples)


def _windows(trial: Trial, h: float, samples: int) -> Table[SpanPlace]:
    """What is to be read, in the order of `openings`; an empty one where it lies beyond the last reading."""
    end = (samples - 1) * h
    found = []
    changed = {change.at_s for change in trial.course}
    for from_s, until_s, change, event in openings(trial):
        to_s = min(until_s, end)
        found.append(
            SpanPlace(
                from_s=from_s,
                to_s=to_s,
                first=min(math.ceil(from_s / h - TIME_EPS), samples),
                last=min(math.floor(to_s / h + TIME_EPS), samples - 1) if from_s <= end else -1,
                target_degC=trial.course[change].to_degC if change >= 0 else 0.0,
                change=change,
                after_event=event >= 0,
                ramp_K_per_s=(trial.course[change].ramp_K_per_s or 0.0) if change >= 0 else 0.0,
                changes_after=until_s in changed and until_s <= end,
            )
        )
    return table(SpanPlace, found)


def _goal(rig: Rig) -> dict[str, Any]:
    """The goal as fields of the rig's record."""
    goal = rig.goal
    if goal is None:
        return {"goal_body": -1, "goal_low_degC": 0.0, "goal_high_degC": 0.0}
    low, high = goal.low_degC, goal.high_degC
    return {
        "goal_body": rig.body_index(goal.body),
        "goal_low_degC": -math.inf if low is None else low,
        "goal_high_degC": math.inf if high is None else high,
    }


def on_trial_for(rig: Rig, controller: Controller, trial: Trial) -> OnTrial:
    """A controller in a trial, for the kernel, before its first sample."""
    control = control_of(controller, trial.plan, rig.probe.interval_s, rig.way, rig=rig, trial=trial)
    return on_trial_of(control, rig=rig, trial=trial)
