"""The sheet and the settings: what goes to the device, without a slip."""

import json
from datetime import date

import pytest

from kelvarn.engine.results import Results
from kelvarn.handover.settings import fingerprint, other_words, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.model.edit import put, rename_candidate, with_fields
from kelvarn.model.project import Project
from kelvarn.units import Scale


def page(project: Project, candidate: str, scale: Scale = Scale.CELSIUS) -> str:
    results = Results().of_project(project, project.trials[0])
    return sheet_html(project, candidate, {project.trials[0].name: results[candidate]}, scale, date(2026, 3, 1))


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
    made = json.loads(settings_text(cabinet, cabinet.candidates[1]))
    assert made["settings"] == cabinet.candidates[1].controller.model_dump(mode="json")
    assert made["acting"]["ki_per_Ks"] == pytest.approx(0.16 / 702)
    assert made["acting"]["kd_s_per_K"] == pytest.approx(9.6)
    assert made["setpoint_degC"] == 60
    p_only = with_fields(cabinet.candidates[1], controller=with_fields(cabinet.candidates[1].controller, terms="P"))
    assert json.loads(settings_text(cabinet, p_only))["acting"]["ti_s"] is None


def test_other_words_convert_or_say_why_not(cabinet: Project) -> None:
    rows = {row.what: row.value for row in other_words(cabinet.candidates[1], 2.0, Scale.CELSIUS)}
    assert rows["Proportional band"] == "6.2 K"
    steep = put(cabinet, ("candidates", 1, "controller", "td_s"), 400.0).candidates[1]
    assert (
        "needs Ti ≥ 4 Td" in {r.what: r.value for r in other_words(steep, 2.0, Scale.CELSIUS)}["Series form Kp, Ti, Td"]
    )
    assert other_words(cabinet.candidates[0], 2.0, Scale.CELSIUS) == []


def test_the_fingerprint_follows_the_content(cabinet: Project) -> None:
    assert fingerprint(cabinet) == fingerprint(put(cabinet, ("notes",), ""))
    assert fingerprint(cabinet) != fingerprint(put(cabinet, ("notes",), "x"))
