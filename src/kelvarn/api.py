"""Kelvarn from Python: `import kelvarn as kv`, then the names in `__all__`, each given by `kv.NAME`.

Whatever is made by these is frozen; `kv.change` makes an edited copy. Temperatures are in degC, differences in K, times
in s, powers in W, drives 0…1 (below 0 cools), as the ends of the names say.
"""

import os
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from kelvarn.demos import find_demo
from kelvarn.files.logs.reader import open_path, read_log
from kelvarn.files.project_file import load
from kelvarn.files.project_file import save as _save
from kelvarn.fit.observed import FitError, observed
from kelvarn.fit.trust import FitReport, report
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.drives import Fan, Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import put
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import CutOff, ProbeFaultAction, Trip
from kelvarn.model.log_data import LogData
from kelvarn.model.mark import Mark
from kelvarn.model.names import check_known
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.failures import FailureTable, failure_table
from kelvarn.studies.results import Result, result_of
from kelvarn.tune.simplest import Suggestion
from kelvarn.tune.simplest import suggest as _suggest

__all__ = [
    "SURROUNDINGS", "Body", "Candidate", "Curve", "CurveStep", "CutOff", "Fan", "Fixed", "Link", "Mark", "OnOff", "Pid",
    "Plan", "Probe", "ProbeFaultAction", "Project", "Pwm", "Relay", "Result", "Rig", "SetpointChange", "SlowWindow",
    "Surroundings", "Trial", "Trip", "Valve", "change", "demo", "failures", "fit_log", "open", "run", "save", "suggest",
]  # fmt: skip


def open(path: str | os.PathLike[str]) -> Project:  # noqa: A001
    """A project from its file.

    Raises:
        FileError: it cannot be read; says why, and what to do.

    >>> kv.open("cabinet.kelvarn").name
    'Cure cabinet'
    """
    return load(Path(path))


def save(project: Project, path: str | os.PathLike[str]) -> None:
    """Write a project to a file, whole or not at all.

    Raises:
        FileError: it cannot be written.

    >>> kv.save(kv.demo("wax-pot"), "pot.kelvarn")
    """
    _save(project, Path(path))


def demo(name: str = "cure-cabinet") -> Project:
    """One of the made-up projects.

    Raises:
        KeyError: there is none of that name; `kelvarn demos` lists them.

    >>> kv.demo("wax-pot").rig.drives[0].kind
    'relay'
    """
    return find_demo(name).build()


def change(thing: Any, *path: str | int, to: Any) -> Any:
    """A copy of a project, rig, candidate or trial with one value changed, checked as if it were typed.

    Args:
        thing: what is copied.
        path: names of fields, and places in lists from 0, down to the value.
        to: the new value.

    Raises:
        ValidationError: it cannot be; says why.

    >>> kv.change(kv.demo("wax-pot"), "rig", "bodies", 0, "capacity_J_per_K", to=500.0).rig.bodies[0].capacity_J_per_K
    500.0
    """
    return put(thing, path, to)


def run(
    project: Project | Rig, candidate: str | Pid | OnOff | Curve | Fixed | None = None, trial: str | Trial | None = None
) -> Result:
    """Run a candidate on a trial.

    Args:
        project: a project; or a rig, with a law and a trial.
        candidate: its name, or a law of your own; None: the chosen one, else the first.
        trial: its name, or one of your own; None: the first.

    Returns:
        `.run` has arrays, a value a reading: `.time_s`, `.setpoint_degC`, `.measured_degC`, `.drive`, shape (m,), and
        `.bodies_degC`, shape (bodies, m), in the order of the rig; `.measures.values` and `.measures.main.values` are
        of the whole run and of the window that marks speak of, None where there is no such value; `.verdicts` are the
        marks.

    Raises:
        RunError: it cannot be computed; says why.
        UnknownName, ValueError: there is no candidate or trial of that name, or a rig comes without law and trial.

    >>> found = kv.run(kv.demo("cure-cabinet"), "Careful PID")
    >>> round(found.measures.main.values["overshoot_K"], 1), found.met, len(found.verdicts)
    (0.4, 5, 6)
    >>> found.run.measured_degC.shape == found.run.time_s.shape
    True
    """
    rig, law, asked = _of(project, candidate, trial)
    return result_of(rig, law, asked)


def suggest(project: Project, trial: str | None = None) -> Suggestion:
    """The simplest strategy that meets a trial's marks: each at its best, by runs. Takes seconds to a minute.

    Raises:
        PlantError: the trial has no marks.

    >>> found = kv.suggest(kv.demo("tempering-bowl"))
    >>> [best.strategy for best in found.best], found.proposed.strategy
    (['On/off', 'P', 'PI', 'PID'], 'P')
    """
    return _suggest(project, (_trial(project, trial),))


def failures(project: Project, candidate: str | None = None, trial: str | None = None) -> FailureTable:
    """Every single failure, tried: `.rows`, the worst first, `.verdict()` in words.

    Raises:
        RunError: the trial cannot be run even without a failure.

    >>> kv.failures(kv.demo("wax-pot")).rows[0].failure.text
    'Probe comes loose'
    """
    rig, law, asked = _of(project, candidate, trial)
    return failure_table(rig, law, asked)


def fit_log(
    log: str | os.PathLike[str] | ArrayLike, measured_degC: ArrayLike | None = None, drive: ArrayLike | None = None
) -> FitReport:
    """Gain, lags and dead time from a log, and how far to trust them.

    Args:
        log: a file; or the instants of the rows, s, shape (m,), with
        measured_degC: the temperature at each, shape (m,), and
        drive: what was put out from each to the next, 0…1, shape (m,).

    Returns:
        `.fit.values` by name, each with `.value`, `.low`, `.high`; `.verdict()` and `.warnings()` in words.

    Raises:
        FileError, FitError: the file cannot be read, or nothing can be fitted; says what is missing.

    >>> t = np.arange(0.0, 3000.0, 2.0)
    >>> found = kv.fit_log(t, 20 + 50 * (1 - np.exp(-np.maximum(t - 100, 0) / 300)), t >= 100)
    >>> round(found.fit.values["gain_K"].value, 1), round(found.fit.values["lag_s"].value)
    (50.0, 300)
    """
    if measured_degC is None or drive is None:
        if not isinstance(log, (str, os.PathLike)):
            raise FitError("Give a file, or three arrays: instants in s, temperatures in degC, drive 0…1.")
        opened = open_path(Path(log)).log
        return report([observed(opened.name, read_log(opened))])
    arrays = [np.asarray(each, dtype=float) for each in (log, measured_degC, drive)]
    if any(each.ndim != 1 or each.size != arrays[0].size or not np.isfinite(each).all() for each in arrays):
        raise FitError("Instants, temperatures and drive are to be finite and of one length; leave rows with gaps out.")
    if (np.diff(arrays[0]) <= 0).any():
        raise FitError("Instants have to rise from row to row.")
    return report([observed("arrays", LogData(arrays[0] - arrays[0][0], arrays[1], arrays[2]))])


def _of(
    project: Project | Rig, candidate: str | Pid | OnOff | Curve | Fixed | None, trial: str | Trial | None
) -> tuple[Rig, Any, Trial]:
    if isinstance(project, Rig):
        if candidate is None or isinstance(candidate, str) or not isinstance(trial, Trial):
            raise ValueError("A rig alone has no candidates and trials: give a law and a trial, or a project.")
        return project, candidate, trial
    asked = trial if isinstance(trial, Trial) else _trial(project, trial)
    if candidate is not None and not isinstance(candidate, str):
        return project.rig, candidate, asked
    name = candidate or project.chosen or project.candidates[0].name
    check_known((name,), [each.name for each in project.candidates], "candidate")
    return project.rig, project.candidate(name).controller, asked


def _trial(project: Project, name: str | None) -> Trial:
    if name is None:
        return project.first_trial
    check_known((name,), [each.name for each in project.trials], "trial")
    return project.trial(name)
