"""A rig against logs of itself: begun in the middle, thinned, with what was asked in place of what was given."""

from collections.abc import Callable

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.changes import surroundings_at
from kelvarn.engine.run import compute
from kelvarn.fit.observed import FitError, observed
from kelvarn.fit.rig_fit import fit_rig
from kelvarn.fit.same_settings import same_settings
from kelvarn.fit.ways import WAYS
from kelvarn.fit.what_changed import compare
from kelvarn.model.edit import with_fields
from kelvarn.model.log import LogSpan
from kelvarn.model.log_data import LogData
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig

AS_IT_WAS = "nothing has changed to speak of: the rig is as it was"


def trace(project: Project, candidate: str, every: int = 1, change: Callable[[Rig], Rig] = lambda rig: rig) -> LogData:
    """What a logger beside the device would have written, every so many readings."""
    trial = with_fields(project.trials[0], events=(), marks=())
    run = compute(change(project.rig), project.candidate(candidate).controller, trial)
    degC = run.measured_degC + 0.05 * np.random.default_rng(1).standard_normal(run.time_s.size)
    outside = np.array([surroundings_at(run.rig, run.trial, t) for t in run.time_s])
    rows = slice(None, None, every)
    return LogData(run.time_s[rows], np.round(degC[rows], 2), run.drive[rows], outside[rows], run.setpoint_degC[rows])


@pytest.mark.long
def test_a_log_that_begins_in_the_middle_is_replayed_from_where_all_bodies_were() -> None:
    project = find_demo("cure-cabinet").build()
    data = trace(project, "Eager PI")
    log = observed("x", data, LogSpan(from_s=0.05 * data.duration_s, to_s=0.6 * data.duration_s))
    assert compare(project.rig, log).verdict() == AS_IT_WAS
    assert fit_rig(project.rig, [log]).rms_K < 0.09
    changed = observed("x", trace(project, "Eager PI", change=lambda rig: WAYS["loss"].apply(rig, 0.2)), log_span(data))
    found = compare(project.rig, changed)
    assert "loss" in (found.changes[0].what, *found.instead)


def log_span(data: LogData) -> LogSpan:
    return LogSpan(from_s=0.05 * data.duration_s, to_s=data.duration_s)


@pytest.mark.parametrize(
    ("demo", "candidate", "every"),
    [
        ("cure-cabinet", "P", 1),
        ("cure-cabinet", "Careful PID", 5),
        ("heatsink-fan", "Three steps", 5),
        ("wax-pot", "P", 1),
    ],
)
def test_a_log_of_the_rig_itself_shows_no_change(demo: str, candidate: str, every: int) -> None:
    project = find_demo(demo).build()
    data = trace(project, candidate, every)
    same = same_settings(project.rig, project.candidate(candidate), data)
    assert same is None or same.same
    assert compare(project.rig, observed("x", data)).verdict(same) == AS_IT_WAS


@pytest.mark.long
def test_a_change_shows_in_a_thinned_log_too() -> None:
    project = find_demo("cure-cabinet").build()
    data = trace(project, "Careful PID", 5, lambda rig: WAYS["loss"].apply(rig, 0.25))
    found = compare(project.rig, observed("x", data))
    assert "loss" in (found.changes[0].what, *found.instead)


@pytest.mark.long
def test_shares_of_a_relay_are_no_ground_for_a_change() -> None:
    project = find_demo("wax-pot").build()
    data = trace(project, "P", 5)  # what was asked: the relay itself was on at half and more of it
    said = compare(project.rig, observed("x", data)).verdict()
    assert "record when the relay is on and off" in said


def test_a_thinned_log_never_calls_its_own_settings_others_and_still_tells_quite_others() -> None:
    project = find_demo("enamelling-kiln").build()
    data = trace(project, "Steady PI", 5)
    assert same_settings(project.rig, project.candidate("Steady PI"), data) is None
    other = same_settings(project.rig, project.candidate("On/off ±3"), data)
    assert other is not None
    assert not other.same


def test_a_rig_that_cannot_be_replayed_is_said_to_be_so() -> None:
    project = find_demo("cure-cabinet").build()
    log = observed("x", trace(project, "P", 20))
    wild = with_fields(project.rig, drives=tuple(with_fields(each, power_W=1e7) for each in project.rig.drives))
    with pytest.raises(FitError, match="cannot be replayed"):
        compare(wild, log)
