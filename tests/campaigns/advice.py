"""A hunt for faults of advice: everything that is asked of a rig and a law, on random rigs of every part in the model.

`python -m tests.campaigns.advice [COUNT [SEED]]` from the root. Only sentences may come of it.
"""

import sys
import traceback
from collections import Counter

from benchmarks.rigs import random_case

from kelvarn.engine.measures import measure
from kelvarn.engine.prepare import RunError
from kelvarn.engine.pulses import counts_of, pulses_of
from kelvarn.engine.run import compute
from kelvarn.model.candidate import STRATEGIES, Candidate
from kelvarn.model.forms import FORMS, FormError
from kelvarn.model.law import Near
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.studies.gain_map import MapError, axis_of, begun, refine, settings_of, usual_axes
from kelvarn.studies.keep import kept_run
from kelvarn.studies.reasons import ReasonError, can_be_asked, reasons
from kelvarn.studies.results import Results
from kelvarn.tune.first_tries import first_tries
from kelvarn.tune.process import PlantError
from kelvarn.tune.relay_test import relay_test
from kelvarn.tune.remarks import remarks
from kelvarn.tune.ringing import turned_up
from kelvarn.tune.starts import plant_of_project, try_all
from kelvarn.tune.swing import swing_of
from kelvarn.words.why import terms, why

_SAID = (RunError, PlantError, ReasonError, MapError, FormError)


def ask(project: Project, count: Counter[str]) -> None:
    """Ask everything of a project's candidates; raises what is no sentence."""
    rig, trial = project.rig, project.first_trial
    setpoint = trial.plan.last_degC
    for candidate in project.candidates:
        law = candidate.controller
        questions = [
            lambda c=candidate: reasons(project, c, trial),
            lambda c=candidate: [reasons(project, c, trial, ref) for ref in can_be_asked(trial)[:1]],
            lambda law=law: turned_up(rig, law, setpoint) if isinstance(law, Pid) else None,
            lambda law=law: swing_of(rig, law, setpoint) if isinstance(law, OnOff) else None,
            lambda law=law: _map(project, law),
            lambda law=law: _forms(law, rig.probe.interval_s),
            lambda c=candidate: _run(project, c),
        ]
        for question in questions:
            try:
                question()
                count["answered"] += 1
            except _SAID as error:
                assert str(error).strip(), "an empty sentence"
                assert "\n" not in str(error)
                count[type(error).__name__] += 1
    remarks(project, trial)
    try:
        plant = plant_of_project(project, trial)
    except _SAID:
        count["no plant"] += 1
        return
    first_tries(project, trial, plant)
    try_all(project, trial, plant)
    try:
        relay_test(rig, setpoint, plant)
    except _SAID as error:
        count[type(error).__name__] += 1


def _map(project: Project, law: object) -> None:
    path = usual_axes(law)  # type: ignore[arg-type]
    for each in settings_of(law):  # type: ignore[arg-type]
        axis_of(law, each)  # type: ignore[arg-type]
    if path is not None:
        x, y = (axis_of(law, each) for each in path)  # type: ignore[arg-type]
        refine(begun(project.rig, project.first_trial, x, y), project.rig, law, project.first_trial)  # type: ignore[arg-type]


def _forms(law: object, interval_s: float) -> None:
    if isinstance(law, Pid):
        for form in FORMS.values():
            form.write(law, form.read(law, interval_s), interval_s)


def _run(project: Project, candidate: Candidate) -> None:
    run = compute(project.rig, candidate.controller, project.first_trial)
    for k in range(0, run.time_s.size, max(1, run.time_s.size // 50)):
        assert why(run, k)
        terms(run, k)
    for d in range(len(project.rig.drives)):
        pulses_of(run, d)
    for p in range(len(project.rig.probes)):
        counts_of(run, p)
    measure(run)
    result = Results().of(project.rig, candidate, project.first_trial)
    kept_run(result, project.first_trial, candidate.name, [])


def main(count: int = 200, seed: int = 0) -> None:
    """Ask everything of so many rigs."""
    found: Counter[str] = Counter()
    faults = 0
    for k in range(seed, seed + count):
        rig, own, trial = random_case(k, lasts_s=300.0)
        near = Near(trial.plan.last_degC, rig.way)
        laws = [Candidate(name="its own", controller=own)]
        for strategy, of_kind in STRATEGIES.items():
            law = of_kind.begins_as(strategy, near)
            try:
                law.check(rig.way)
            except ValueError:
                continue
            laws.append(Candidate(name=strategy, controller=law))
        project = Project(name="x", rig=rig, candidates=tuple(laws), trials=(trial,))
        try:
            ask(project, found)
        except Exception:  # what is hunted
            faults += 1
            print(f"rig {k}:", file=sys.stderr)
            traceback.print_exc(limit=-4)
    print(f"{count} rigs, {faults} faults; {dict(found)}")


if __name__ == "__main__":
    main(*(int(each) for each in sys.argv[1:]))
