"""A trial that is too long beside ones that are not: named, and in nobody's way."""

import pytest

from kelvarn.engine.prepare import RunError
from kelvarn.model.edit import with_fields
from kelvarn.model.project import Project
from kelvarn.studies.results import Result, ResultKey, Results
from kelvarn.tune.simplest import suggest


def with_endless(project: Project) -> Project:
    endless = with_fields(project.first_trial, name="Endless", duration_s=1.2e7)
    return with_fields(project, trials=(project.first_trial, endless))


def test_a_trial_that_is_too_long_is_named_and_the_others_run(cabinet: Project) -> None:
    project = with_endless(cabinet)
    results = Results()
    name = project.candidates[0].name
    assert isinstance(
        results.of_project(project, project.first_trial)[ResultKey(name, project.first_trial.name)], Result
    )
    said = results.of_project(project, project.trial("Endless"))[ResultKey(name, "Endless")]
    assert isinstance(said, RunError)
    assert "Trial “Endless” would take" in str(said)
    with pytest.raises(RunError, match="Trial “Endless” would take"):
        results.of(project.rig, project.candidates[0], project.trial("Endless"))


def test_a_search_over_a_trial_that_is_too_long_is_refused(cabinet: Project) -> None:
    project = with_endless(cabinet)
    with pytest.raises(RunError, match="Trial “Endless” would take"):
        suggest(project, list(project.trials))
