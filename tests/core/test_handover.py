"""The sheet and the settings: what goes to the device, without a slip."""

import json
import re
from datetime import date

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.control import Stepper
from kelvarn.handover.settings import fingerprint, other_words, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.model.edit import put, rename_candidate, with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
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
    fan = put(find_demo("heatsink-fan").build(), ("candidates", 0, "controller"), OnOff())
    on, off = next(iter(said(fan, 0).values())).split(", ")
    assert float(on.split()[0]) > float(off.split()[0])


def test_the_fingerprint_follows_the_content(cabinet: Project) -> None:
    assert fingerprint(cabinet) == fingerprint(put(cabinet, ("notes",), ""))
    assert fingerprint(cabinet) != fingerprint(put(cabinet, ("notes",), "x"))


def as_series_device(h: float, gains: tuple[float, ...], r: list[float], y: list[float]) -> list[float]:
    """A device with a series law, in small steps: PI on a lead of the reading, set as the sheet says."""
    kp, ti, td, tf, b = gains
    slow, memory, found = y[0], 0.0, []
    for setpoint, reading in zip(r, y, strict=True):
        rate = (reading - slow) / tf
        led = reading + td * rate
        found.append(kp * (b * setpoint - led) + memory)
        memory += kp / ti * h * (setpoint - led)
        slow += h * rate
    return found


def test_the_series_form_answers_setpoint_and_reading_as_the_law_does(cabinet: Project) -> None:
    """Both laws in steps so small that they are continuous, from rest, to a setpoint step and a sine of the reading."""
    c = cabinet.candidates[1].controller
    assert isinstance(c, Pid)
    text = said(cabinet, 1)["Series form Kp, Ti, Td"]
    kp, ti, td, tf, b = (float(x) for x in re.findall(r"(?<![\w/])\d+\.?\d*(?= 1/K| s|$)", text.replace("weight ", "")))
    h, count = 0.05, 8000
    t = np.arange(count) * h
    y = 50 + 2 * np.sin(t / 40)
    r = np.where(t < 100, 50.0, 55.0)
    law = c.model_copy(update={"low": -1.0, "high": 1.0, "kp_per_K": c.kp_per_K / 100})
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=50), SetpointChange(at_s=100, to_degC=55)))
    stepper = Stepper(law, plan, h)
    ours = np.array([stepper.step(float(value)).asked for value in y])
    device = np.array(as_series_device(h, (kp / 100, ti, td, tf, b), r.tolist(), y.tolist()))
    differs = (ours - ours[0]) - (device - device[0])
    assert np.abs(differs).max() < 0.01 * np.ptp(ours)


def test_gains_per_sample_run_the_same_loop(cabinet: Project) -> None:
    """The loop of integers as a maker writes it, with the numbers of the sheet, in degrees Fahrenheit."""
    c = cabinet.candidates[1].controller
    assert isinstance(c, Pid)
    text = next(
        value for key, value in said(cabinet, 1, Scale.FAHRENHEIT).items() if key.startswith("Per sample of 2 s")
    )
    kp, ki, kd, keep = (float(x) for x in re.findall(r"(?:Kp|Ki|Kd|←) ([\d.]+)", text))
    assert " per °F;" in text
    law = c.model_copy(update={"setpoint_weight": 1.0, "low": -1.0, "kp_per_K": c.kp_per_K})
    stepper = Stepper(law, Plan(changes=(SetpointChange(at_s=0, to_degC=60),)), 2.0)
    rng, memory, speed, last = np.random.default_rng(3), 0.0, 0.0, None
    for y in 60 + np.cumsum(rng.normal(0, 0.05, 200)):
        fahrenheit = 32 + 1.8 * y
        error = 140 - fahrenheit
        speed = keep * speed + kd * ((last if last is not None else fahrenheit) - fahrenheit)
        last = fahrenheit
        decided = stepper.step(float(y))
        assert kp * error + memory + speed == pytest.approx(255 * decided.asked, abs=0.05)
        memory += ki * error


def test_the_sheet_leaves_out_no_setting_of_drive_and_probe() -> None:
    fan = find_demo("heatsink-fan").build()
    fan = put(fan, ("rig", "probes", 0, "offset_K"), 1.5)
    html = page(fan, fan.candidates[1].name)
    for text in ("Floor", "Kick-start", "Stalls below", "Speed lag", "Shows too much by", "1.5 K", "Noise", "Lag"):
        assert text in html, text
    wax = find_demo("wax-pot").build()
    html = page(wax, wax.candidates[0].name)
    for text in ("Shortest on", "Shortest off", "Operating delay", "Rated operations"):
        assert text in html, text
