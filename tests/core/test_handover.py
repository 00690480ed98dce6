"""The sheet and the settings: what goes to the device, without a slip."""

import json
from datetime import date

import pytest

from kelvarn.demos import find_demo
from kelvarn.handover.settings import fingerprint, other_words, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.model.edit import put, rename_candidate, with_fields
from kelvarn.model.project import Project
from kelvarn.studies.results import Results
from kelvarn.units import Scale


def page(project: Project, candidate: str, scale: Scale = Scale.CELSIUS) -> str:
    trial = project.first_trial
    result = Results().of(project.rig, project.candidate(candidate), trial)
    return sheet_html(project, candidate, {trial.name: result}, scale, date(2026, 3, 1))


def test_the_sheet_carries_settings_limits_and_results(cabinet: Project) -> None:
    html = page(cabinet, "Careful PID")
    for text in (
        "16 % per K",
        "11.7 min",
        "250 W",
        "110.0 °C",
        "✕ not met",
        "2026-03-01",
        fingerprint(cabinet),
        "cut-off",
        "What the model of the rig leaves out",
        "no draughts",
    ):
        assert text in html, text
    assert "<script" not in html
    assert "http" not in html
    assert "140.0" not in html
    assert "230.0 °F" in page(cabinet, "Careful PID", Scale.FAHRENHEIT)
    assert "never" not in page(cabinet, "On/off ±1") or "outside the band" in page(cabinet, "On/off ±1")


def test_names_cannot_break_out_of_the_page(cabinet: Project) -> None:
    evil = "<script>alert(1)</script>"
    project = rename_candidate(put(cabinet, ("notes",), evil), "Careful PID", evil)
    html = page(project, evil)
    assert "<script>" not in html
    assert html.count("&lt;script&gt;") >= 2


def test_settings_json_holds_the_acting_gains(cabinet: Project) -> None:
    made = json.loads(settings_text(cabinet, cabinet.candidates[1], cabinet.first_trial))
    assert made["settings"] == cabinet.candidates[1].controller.model_dump(mode="json")
    assert made["acting"]["ki_per_Ks"] == pytest.approx(0.16 / 702)
    assert made["acting"]["kd_s_per_K"] == pytest.approx(9.6)
    assert made["setpoint_degC"] == 60
    p_only = with_fields(cabinet.candidates[1], controller=with_fields(cabinet.candidates[1].controller, terms="P"))
    assert json.loads(settings_text(cabinet, p_only, cabinet.first_trial))["acting"]["ti_s"] is None


def said(project: Project, index: int, scale: Scale = Scale.CELSIUS) -> dict[str, str]:
    return {row.what: row.value for row in other_words(project, project.candidates[index], project.first_trial, scale)}


def test_other_words_convert_or_say_why_not(cabinet: Project) -> None:
    assert said(cabinet, 1)["Proportional band"] == "6.25 K"
    assert said(cabinet, 1, Scale.FAHRENHEIT)["Proportional band"] == "11.25 °F"
    steep = put(cabinet, ("candidates", 1, "controller", "td_s"), 400.0)
    assert "it needs (Ti + Tf)² ≥ 4 Ti (Td + Tf)" in said(steep, 1)["Series form Kp, Ti, Td"]


def test_on_off_in_other_words_is_mirrored_where_it_cools(cabinet: Project) -> None:
    lopsided = put(cabinet, ("candidates", 0, "controller", "below_K"), 2.5)
    assert said(lopsided, 0) == {
        "Cut-in and cut-out at setpoint 60 °C": "57.5 °C, 61 °C",
        "Symmetric band": "59.25 °C ±1.75 K",
        "Cut-out and differential": "61 °C, 3.5 K",
    }
    fan = find_demo("heatsink-fan").build()
    on, off = next(iter(said(fan, 0).values())).split(", ")
    assert float(on.split()[0]) > float(off.split()[0])


def test_the_fingerprint_follows_the_content(cabinet: Project) -> None:
    assert fingerprint(cabinet) == fingerprint(put(cabinet, ("notes",), ""))
    assert fingerprint(cabinet) != fingerprint(put(cabinet, ("notes",), "x"))
