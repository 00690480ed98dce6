"""What CONTRIBUTING says a new kind takes: a kind that lacks one of its parts is found here, by its name."""

import re
from pathlib import Path
from typing import get_args

import pytest

from kelvarn.cli.app import app
from kelvarn.cli.results_schema import results_schema
from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine import guarding
from kelvarn.engine.changes import changes_of
from kelvarn.engine.laws import LAWS, law_module
from kelvarn.engine.layout import lay_out
from kelvarn.engine.measures import measure
from kelvarn.engine.missing import missing_spans
from kelvarn.engine.prepare import on_trial_for
from kelvarn.engine.run import compute
from kelvarn.model.candidate import STRATEGIES, Controller
from kelvarn.model.edit import add_event, with_fields
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import GUARD_KINDS, PERMIT_KINDS, CutOff
from kelvarn.model.log import SHAPE_WORDS, LogReading
from kelvarn.model.mark import MEASURES
from kelvarn.model.project import LaneName, Project
from kelvarn.model.trial_edit import add_rule
from kelvarn.studies import alternatives
from kelvarn.tune.law_remarks import OF_LAW
from kelvarn.units import Scale
from kelvarn.words.laws import words_of

ROOT = Path(__file__).parents[2]


def rich() -> Project:
    """A rig with heating, cooling, a fan, a draw-off and a door: every kind of event finds what it needs."""
    return find_demo("tempering-bowl").build()


def test_every_file_that_a_recipe_names_is_there() -> None:
    text = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
    recipes = text[text.index("## Recipes") : text.index("## Commands")]
    named = re.findall(r"`(src/[\w/]+(?:\.py)?|src/[\w/]+/)`", recipes)
    assert len(named) > 20
    assert [name for name in named if not (ROOT / name).exists()] == []


_OF_A_PERMIT = {"signal_gone": "signal", "price": "price"}
"""What only a permit heeds, and the permit's kind."""


@pytest.mark.parametrize("kind", EVENT_KINDS)
def test_every_event_changes_something_of_the_plant_or_the_controller(kind: str) -> None:
    for demo in (rich(), *(demo.build() for demo in DEMOS)):
        if kind in _OF_A_PERMIT:
            demo = add_rule(with_fields(demo, rig=with_fields(demo.rig, permits=())), _OF_A_PERMIT[kind])[0]
        try:
            project = add_event(demo, 0, kind)
        except ValueError:  # this rig lacks what it needs
            continue
        before, trial = demo.first_trial, project.first_trial
        assert EVENT_KINDS[kind].what
        assert EVENT_KINDS[kind].color
        changed = [changes_of(project.rig, each, lay_out(project.rig))[0] for each in (before, trial)]
        ruled = [
            on_trial_for(project.rig, project.candidates[0].controller, each).intervals for each in (before, trial)
        ]
        assert len(changed[0]) != len(changed[1]) or len(ruled[0]) != len(ruled[1])
        return
    pytest.fail(f"no demo has what an event “{kind}” needs")


@pytest.mark.parametrize("kind", GUARD_KINDS)
def test_every_guard_has_a_record_and_says_what_it_does(kind: str) -> None:
    project, name = add_rule(with_fields(rich(), rig=with_fields(rich().rig, guards=())), kind)
    guard = next(each for each in project.rig.guards if each.name == name)
    assert guard.text(Scale.CELSIUS)
    assert (guarding.guard_record(project.rig, guard) is not None) == (not isinstance(guard, CutOff))
    assert guard.what
    assert compute(project.rig, project.candidates[0].controller, project.first_trial).time_s.size


@pytest.mark.parametrize("kind", PERMIT_KINDS)
def test_every_permit_says_what_it_asks_for_and_when_it_is_missing(kind: str) -> None:
    project, name = add_rule(rich(), kind)
    permit = next(each for each in project.rig.permits if each.name == name)
    assert permit.text(Scale.CELSIUS)
    assert isinstance(missing_spans(permit, project.first_trial), list)


def test_every_law_has_its_engine_its_words_and_a_strategy() -> None:
    laws = get_args(get_args(Controller)[0])
    assert len(laws) == len(LAWS)
    for law in laws:
        assert law_module(law()) in LAWS
        spoken = words_of(law())
        for part in (spoken.why, spoken.terms, spoken.at_reading, spoken.settings, law_module(law()).static_curve):
            assert callable(part)
        if law is not Fixed:  # of a drive set by hand nothing is remarked, and nothing would help
            assert law in OF_LAW
            assert law in alternatives._TAKEN_AWAY
            assert law in alternatives._CHANGES
        assert law is Fixed or law in STRATEGIES.values()


def test_every_measure_is_read_off_a_run_or_told_why_not() -> None:
    found: set[str] = set()
    for demo in DEMOS:
        project = demo.build()
        measures = measure(compute(project.rig, project.candidates[0].controller, project.first_trial))
        found |= {*measures.values, *measures.main.values, "hottest_degC", "coldest_degC", "limit_margin_K"}
        found |= {"beyond_limit_s"} if measures.beyond_limit_s else set()
        found |= {key for window in measures.windows for key in window.values}
    assert set(MEASURES) <= found
    assert set(MEASURES) <= set(results_schema()["$defs"]["object"]["properties"])


def test_every_lane_shape_and_command_is_declared_once_and_has_its_words() -> None:
    from kelvarn.desktop.lanes.choice import LANES

    assert set(get_args(LaneName)) == set(LANES)
    shapes = get_args(LogReading.model_fields["shape"].annotation)
    assert set(SHAPE_WORDS) | {"table"} == set(shapes)
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    for command in app.registered_commands:
        assert command.callback is not None
        assert command.callback.__doc__
        name = command.name or command.callback.__name__
        assert command.hidden or f" {name}" in readme, f"README does not speak of “kelvarn {name}”"
