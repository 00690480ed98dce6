"""A hunt for faults of trials: random guards, permits, events and plans on random rigs.

`python -m tests.campaigns.trials [COUNT [SEED]]` from the root. Each run must be finite, its heat must balance, every
sample must have a sentence, plain Python must decide what the kernel decided, and the project must survive its file.
"""

import random
import sys
import traceback
from collections import Counter
from typing import Any

import numpy as np
from benchmarks.rigs import random_case

from kelvarn.engine.measures import measure
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.model import guards as gd
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import EditError, add_event, put, with_fields
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.guards import DAYS, GUARD_KINDS, PERMIT_KINDS
from kelvarn.model.project import Project
from kelvarn.model.trial import DayPart, SetpointChange
from kelvarn.model.trial_edit import add_rule
from kelvarn.studies.failures import failure_table
from kelvarn.studies.variants import vary
from kelvarn.words.why import why
from tests.conftest import again

_SAMPLES_SAID = 25
_LONGEST_S = 4000.0


def moved(part: Any, draw: random.Random) -> Any:
    """A part with some of its numbers and choices drawn anew, inside what is possible."""
    for name, info in type(part).model_fields.items():
        value = getattr(part, name)
        if name in ("at_s", "lasts_s", "again_s") or draw.random() < 0.4:
            continue
        try:
            if isinstance(value, bool):
                part = with_fields(part, **{name: draw.random() < 0.5})
            elif isinstance(value, float):
                part = with_fields(part, **{name: value * draw.choice([0.0, 0.3, 1.0, 2.0]) + draw.uniform(0, 1)})
            elif isinstance(value, str) and name in ("action", "does", "side", "fault", "course", "until", "watches",
                                                     "setpoint", "allows"):  # fmt: skip
                choices = getattr(info.annotation, "__args__", ())
                part = with_fields(part, **{name: draw.choice(choices)}) if choices else part
        except ValueError:
            continue
    return part


def random_project(seed: int) -> Project:
    """A random rig with random guards, permits, events and a plan that waits, repeats or follows the days."""
    draw = random.Random(seed)
    rig, law, trial = random_case(seed)
    trial = with_fields(trial, duration_s=min(trial.duration_s, _LONGEST_S), marks=())
    trial = with_fields(trial, plan=random_plan(trial.plan.last_degC, trial.duration_s, draw),
                        begins_day=draw.choice(DAYS), begins_at_s=draw.uniform(0, 86400))  # fmt: skip
    project = Project(name="x", rig=rig, candidates=(Candidate(name="x", controller=law),), trials=(trial,))
    kinds = [*GUARD_KINDS, *PERMIT_KINDS]
    for kind in draw.sample(kinds, draw.randint(0, 6)):
        try:
            project, _ = add_rule(project, kind)
        except EditError:
            continue
    for where in ("guards", "permits"):
        for place, rule in enumerate(getattr(project.rig, where)):
            project = put(project, ("rig", where, place), near(moved(rule, draw), project, draw))
    for kind in draw.sample(list(EVENT_KINDS), draw.randint(0, 6)):
        try:
            project = add_event(project, 0, kind)
        except EditError:
            continue
        place = len(project.first_trial.events) - 1
        event = project.first_trial.events[place]
        at_s = draw.uniform(0, 0.9) * project.first_trial.duration_s
        lasts = draw.choice([None, draw.uniform(1, 600)])
        try:
            changed = with_fields(moved(event, draw), at_s=at_s, lasts_s=lasts)
            project = put(project, ("trials", 0, "events", place), changed)
        except ValueError:
            continue
    return project


def near(rule: Any, project: Project, draw: random.Random) -> Any:
    """A level near to where the rig works, so that it acts now and then."""
    if isinstance(rule, gd.Trip | gd.CutOff | gd.Alarm):
        return with_fields(rule, at_degC=project.first_trial.plan.last_degC + draw.uniform(-20, 20))
    return rule


def random_plan(degC: float, duration_s: float, draw: random.Random) -> Any:
    """A plan round a temperature."""
    times = sorted({0.0, *(round(draw.uniform(1, duration_s - 1), 1) for _ in range(draw.randint(0, 3)))})
    changes = tuple(
        SetpointChange(at_s=at, to_degC=degC + draw.uniform(-5, 5), waits=draw.random() < 0.3,
                       ramp_K_per_s=draw.choice([None, draw.uniform(0.001, 0.1)])) for at in times
    )  # fmt: skip
    from kelvarn.model.trial import Plan

    again = times[-1] + draw.uniform(10, 500) if draw.random() < 0.3 and times[-1] + 10 < duration_s else None
    week = (DayPart(from_s=3600.0 * draw.randint(0, 11), to_s=3600.0 * draw.randint(12, 23), to_degC=degC),)
    return Plan(changes=changes, again_s=again, week=week if draw.random() < 0.3 else ())


def check(project: Project, count: Counter[str]) -> None:
    """Run it and look at everything; raises what is no sentence."""
    rig, trial, law = project.rig, project.first_trial, project.candidates[0].controller
    assert again(project) == project
    try:
        run = compute(rig, law, trial)
    except RunError:
        count["sentence"] += 1
        return
    for array in (run.bodies_degC, run.drive, run.asked, run.setpoint_degC, run.put_out, run.measured_degC):
        assert np.isfinite(array).all()
    measures = measure(run)
    assert measures.windows
    for k in np.linspace(0, run.time_s.size - 1, _SAMPLES_SAID).astype(int):
        assert why(run, int(k))
    step = Stepper(law, trial.course, rig.probe.interval_s, rig.way, trial.occurrences, rig, trial)
    for k in range(min(run.time_s.size, 1500)):
        out = step.step(*run.probes_degC[:, k].tolist())
        kernel = run.guard_code[k]
        assert out.given == run.drive[k] or abs(out.given - run.drive[k]) < 1e-9, (k, out.given, run.drive[k])
        assert out.guard_code == kernel or kernel % 16 == 2, (k, out.guard_code, kernel)
        assert out.alarm_code == run.alarm_code[k]
    count["ran"] += 1
    if count["ran"] % 10 == 0:
        failure_table(rig, law, with_fields(trial, duration_s=min(trial.duration_s, 1500.0), plan=trial.plan.model_copy(
            update={"changes": trial.plan.changes[:1]}), events=()))  # fmt: skip
        list(vary(rig, law, trial, 8))
        count["tables"] += 1


def main(cases: int = 300, seed: int = 1) -> None:
    """Try so many projects."""
    count: Counter[str] = Counter()
    faults = 0
    for k in range(cases):
        try:
            check(random_project(seed * 100_000 + k), count)
        except Exception:
            faults += 1
            print(f"case {seed * 100_000 + k}")
            traceback.print_exc()
    print(f"{cases} projects, {faults} faults; {dict(count)}")


if __name__ == "__main__":
    main(*(int(each) for each in sys.argv[1:]))
