"""What the model refuses, every field's declaration, and edits that keep references whole."""

import types
import typing
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from kelvarn.model.bodies import Link
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm, SlowWindow
from kelvarn.model.edit import (
    EditError,
    add_candidate,
    put,
    remove_candidate,
    remove_event,
    rename_candidate,
    rename_event,
    with_fields,
)
from kelvarn.model.gains import Parallel, from_parallel, from_series, to_parallel, to_series
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.names import MOST_CHARACTERS, free_name
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig_edit import rename_body
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.units import Quantity


def _parts(model: Any, found: set[type[BaseModel]]) -> set[type[BaseModel]]:
    """All models that a model is made of."""
    if isinstance(model, type) and issubclass(model, BaseModel):
        if model not in found:
            found.add(model)
            for field in model.model_fields.values():
                _parts(field.annotation, found)
    else:
        for inner in typing.get_args(model):
            _parts(inner, found)
    return found


def test_every_field_is_declared_once_with_title_sentence_and_range() -> None:
    parts = _parts(Project, set())
    assert len(parts) > 15
    for part in parts:
        for name, field in part.model_fields.items():
            if name in ("kind", "law"):
                continue
            assert field.title, f"{part.__name__}.{name}"
            assert field.description, f"{part.__name__}.{name}"
            assert field.description.endswith("."), f"{part.__name__}.{name}"
            numbers = {float, int} & set(typing.get_args(field.annotation) or (field.annotation,))
            if numbers and not isinstance(field.annotation, types.GenericAlias):
                extra = field.json_schema_extra
                assert isinstance(extra, dict), f"{part.__name__}.{name}"
                assert extra["quantity"] in list(Quantity)
                assert {"ge", "le"} <= {k for m in field.metadata for k in ("ge", "le") if hasattr(m, k)}


@pytest.mark.parametrize(
    ("path", "value", "part"),
    [
        (("rig", "bodies", 1, "capacity_J_per_K"), -5.0, "greater than or equal to 0.01"),
        (("rig", "bodies", 1, "capacity_J_per_K"), float("nan"), "finite"),
        (("rig", "bodies", 1, "name"), "Part", "there are two called “Part”; the name of each body must differ"),
        (("rig", "bodies", 1, "name"), "Surroundings", "may not be called"),
        (("rig", "bodies", 1, "name"), "   ", "at least 1 character"),
        (("rig", "links", 0, "a"), "Cellar", "“Cellar”, which does not exist"),
        (("rig", "links", 0, "b"), "Heater mat", "to itself"),
        (("rig", "probes", 0, "body"), "Cellar", "probe “Probe” names the body “Cellar”"),
        (("rig", "drives", 0, "shortest_pulse_s"), 1.5, "at most half the window"),
        (("trials", 0, "duration_s"), 0.0, "greater than or equal to 1"),
        (("trials", 0, "duration_s"), 5000.0, "event “Door” at 2 h lies beyond the end"),
        (("trials", 0, "events", 0, "name"), "Cold night", "of each event must differ"),
        (("trials", 0, "events", 0, "body"), "Cellar", "“Cellar”, which does not exist"),
        (("candidates", 0, "name"), "Careful PID", "of each candidate must differ"),
        (("candidates", 1, "controller", "low"), 1.0, "lowest drive must be below"),
        (("chosen",), "Nobody", "“Nobody” does not exist"),
    ],
)
def test_refuses_what_cannot_be(cabinet: Project, path: Any, value: Any, part: str) -> None:
    with pytest.raises(ValidationError) as caught:
        put(cabinet, path, value)
    assert part in str(caught.value)


def test_refuses_two_links_between_the_same_bodies(cabinet: Project) -> None:
    twin = Link(a="Air", b="Heater mat", conductance_W_per_K=1)
    with pytest.raises(ValidationError, match="two links join"):
        with_fields(cabinet.rig, links=(*cabinet.rig.links, twin))


def test_plan_must_start_at_zero_and_go_forward() -> None:
    with pytest.raises(ValidationError, match="must be at 0 s"):
        Plan(changes=(SetpointChange(at_s=5, to_degC=20),))
    with pytest.raises(ValidationError, match="follow one another"):
        Plan(changes=tuple(SetpointChange(at_s=t, to_degC=20) for t in (0, 9, 9)))


def test_marks_need_what_their_measure_is_about() -> None:
    with pytest.raises(ValidationError, match="needs event"):
        Mark(measure="recovery_s", limit=60)
    with pytest.raises(ValidationError, match="takes no body"):
        Mark(measure="overshoot_K", limit=1, body="Air")
    with pytest.raises(ValidationError, match="is not a measure"):
        Mark(measure="beauty", limit=1)
    assert {kind.scope for kind in MEASURES.values()} == {"window", "event", "run", "body"}


def test_renaming_a_body_follows_it_everywhere(cabinet: Project) -> None:
    renamed = rename_body(rename_body(cabinet, "Air", "Inside"), "Heater mat", "Mat")
    text = renamed.model_dump_json()
    assert '"Air"' not in text
    assert '"Heater mat"' not in text
    assert rename_body(rename_body(renamed, "Inside", "Air"), "Mat", "Heater mat") == cabinet


def test_renaming_and_removing_candidates_and_events_keeps_references(cabinet: Project) -> None:
    assert rename_candidate(cabinet, "Careful PID", "Best").chosen == "Best"
    renamed = rename_event(cabinet, 0, "Door", "Hatch")
    assert [m.event for m in renamed.trials[0].marks if m.event] == ["Hatch"]
    gone = remove_event(cabinet, 0, 0)
    assert [e.name for e in gone.trials[0].events] == ["Cold night"]
    assert len(gone.trials[0].marks) == len(cabinet.trials[0].marks) - 1
    assert remove_candidate(cabinet, "Careful PID").chosen is None
    with pytest.raises(EditError, match="last candidate"):
        remove_candidate(remove_candidate(cabinet, "Careful PID"), "On/off ±1")


def test_a_copy_gets_the_next_free_name(cabinet: Project) -> None:
    once, first = add_candidate(cabinet, cabinet.candidates[1])
    _, second = add_candidate(once, Candidate(name="Careful PID 2", controller=OnOff()))
    assert (first, second) == ("Careful PID 2", "Careful PID 3")
    assert add_candidate(cabinet, cabinet.candidates[0])[1] == "On/off ±1 2"


@given(st.text(st.characters(codec="ascii", categories=["L", "N", "Zs"]), min_size=1, max_size=60), st.integers(1, 15))
def test_a_free_name_is_free_and_fits_however_long(wanted: str, copies: int) -> None:
    wanted = wanted.strip() or "x"
    taken = [wanted]
    for _ in range(copies):
        name = free_name(taken[-1], taken)
        assert name not in taken
        assert 0 < len(name) <= MOST_CHARACTERS
        taken.append(name)


gains = st.floats(min_value=1e-4, max_value=1e3)


@given(gains, gains, gains)
def test_gain_forms_convert_back_and_forth(kp: float, ti: float, td: float) -> None:
    assert from_parallel(to_parallel(kp, ti, td)) == pytest.approx((kp, ti, td))
    if ti >= 4 * td:
        assert from_series(to_series(kp, ti, td)) == pytest.approx((kp, ti, td))
    else:
        with pytest.raises(ValueError, match="no series form"):
            to_series(kp, ti, td)


def test_parallel_without_memory() -> None:
    assert to_parallel(2.0, None, 3.0) == Parallel(2.0, 0.0, 6.0)
    assert from_parallel(Parallel(2.0, 0.0, 6.0)) == (2.0, None, 3.0)


def test_defaults_of_pid_follow_the_model_page() -> None:
    pid = Pid(kp_per_K=0.1, ti_s=400, td_s=100)
    assert (pid.filter_n, pid.derivative_weight, pid.anti_windup) == (8, 0, "back_calculation")
    assert pid.acting_tracking_s == pytest.approx(200)
    assert with_fields(pid, terms="PI").acting_tracking_s == 400
    assert with_fields(pid, terms="P", setpoint_weight=0.5).acting_weight == 1


def test_drive_settings_that_exclude_each_other() -> None:
    with pytest.raises(ValidationError, match="floor must be below top"):
        Pwm(body="x", power_W=1, floor=0.9, top=0.5)
    with pytest.raises(ValidationError, match="at most the window"):
        SlowWindow(body="x", power_W=1, window_s=1, resolution_s=2)
