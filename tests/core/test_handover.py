"""The sheet and the settings: what goes to the device, without a slip."""

import html
import json
import re
from datetime import date

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.run import compute
from kelvarn.handover.other_words import other_words
from kelvarn.handover.report import findings, report_html
from kelvarn.handover.settings import fingerprint, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.model.edit import put, rename_candidate, with_fields
from kelvarn.model.handed import CHECKS
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.results import Result, Results
from kelvarn.units import Quantity, Scale, show


def page(project: Project, candidate: str, scale: Scale = Scale.CELSIUS) -> str:
    trial = project.first_trial
    result = Results().of(project.rig, project.candidate(candidate), trial)
    return sheet_html(project, candidate, {trial.name: result}, {}, scale, date(2026, 3, 1))


def test_the_sheet_carries_settings_limits_and_results(cabinet: Project) -> None:
    html = page(cabinet, "Careful PID")
    for text in (
        "16 % per K",
        "11.7 min",
        "250 W",
        "110.0 °C",
        "✕ not met",
        "2026-03-01",
        fingerprint(cabinet, cabinet.candidate("Careful PID")),
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
    controller = cabinet.candidates[1].controller
    assert made["settings"] == controller.model_dump(mode="json", exclude=set(controller.idle))
    assert made["acting"]["ki_per_Ks"] == pytest.approx(0.16 / 702)
    assert made["acting"]["kd_s_per_K"] == pytest.approx(9.6)
    assert made["setpoint_degC"] == 60
    p_only = with_fields(cabinet.candidates[1], controller=with_fields(cabinet.candidates[1].controller, terms="P"))
    of_p = json.loads(settings_text(cabinet, p_only, cabinet.first_trial))
    assert of_p["acting"]["ti_s"] is None
    assert "ti_s" not in of_p["settings"]  # what does not act is not there to be set
    falls = Plan(changes=(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=9000, to_degC=30)))
    down = with_fields(cabinet.first_trial, plan=falls)
    assert json.loads(settings_text(cabinet, cabinet.candidates[1], down))["setpoint_degC"] == 60


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
    """Of what acts on the device: not of ticks, notes, lanes, what is shown, or what does not act."""
    shown, other = cabinet.candidates[1], cabinet.candidates[0]
    same = (
        put(cabinet, ("notes",), "x"), put(cabinet, ("checked",), tuple(CHECKS)), put(cabinet, ("lanes",), ("drive",)),
        put(cabinet, ("candidates", 1, "hidden"), True), put(cabinet, ("candidates", 0, "controller", "below_K"), 3.0),
    )  # fmt: skip
    for each in same:
        assert fingerprint(cabinet, shown) == fingerprint(each, each.candidates[1])
    acts = (
        put(cabinet, ("candidates", 1, "controller", "kp_per_K"), 0.17),
        put(cabinet, ("rig", "drives", 0, "power_W"), 251.0),
        put(cabinet, ("trials", 0, "duration_s"), 15000.0),
    )  # fmt: skip
    for each in acts:
        assert fingerprint(cabinet, shown) != fingerprint(each, each.candidates[1])
    assert fingerprint(cabinet, shown) != fingerprint(cabinet, other)


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
    kp, weight, ki, back, keep, kd = (float(x) for x in re.findall(r"(?<![\w−])\d+\.?\d*(?= per| ·)", text))
    assert "per °F on (0.6 · setpoint − reading)" in text
    assert weight == 0.6
    # It heats from cold: the output is limited for long, so that weight and anti-windup tell.
    stepper = Stepper(c, Plan(changes=(SetpointChange(at_s=0, to_degC=60),)), 2.0)
    rng, y, speed = np.random.default_rng(3), 30.0, 0.0
    last = 32 + 1.8 * y
    memory = kp * (1 - weight) * (last - 32)  # in degrees above 0 °C, as ours begins
    limited = 0
    for k in range(400):
        y += float(rng.normal(0, 0.05)) + (0.3 if k < 100 else 0.0)
        fahrenheit = 32 + 1.8 * y
        error = 140 - fahrenheit
        speed = keep * speed + (kd * (last - fahrenheit) if k else 0.0)
        last = fahrenheit
        asked = kp * (weight * 108 - (fahrenheit - 32)) + memory + speed
        given = min(max(asked, 0.0), 255.0)
        limited += asked != given
        decided = stepper.step(y)
        if k == 0:
            memory += 255 * decided.asked - asked  # both begin with the same output
            asked, given = 255 * decided.asked, min(max(255 * decided.asked, 0.0), 255.0)
        assert asked == pytest.approx(255 * decided.asked, abs=0.4 + 0.005 * abs(asked)), k
        memory += ki * error + back * (given - asked)
    assert limited > 30


def test_what_a_device_lacks_is_told_by_a_run_and_what_cools_is_not_left_out(cabinet: Project) -> None:
    words = said(cabinet, 1)
    besides = words["Belongs to each of these"]
    for part in ("0.6 · setpoint − reading", "back-calculation", "0 % to 100 %", "the reading only"):
        assert part in besides, part
    bare = with_fields(cabinet.candidates[1].controller, setpoint_weight=1.0)
    over = measure(compute(cabinet.rig, bare, cabinet.first_trial)).main.values["overshoot_K"]
    assert words["On a device without setpoint weight"].startswith(f"{show(over, Quantity.DIFFERENCE)} over instead")
    bowl = find_demo("tempering-bowl").build()
    place = next(k for k, each in enumerate(bowl.candidates) if isinstance(each.controller, Pid))
    cools = said(bowl, place)
    assert any("output −255…255" in key for key in cools)
    assert "below 0 it cools" in cools["Belongs to each of these"]


def test_the_sheet_leaves_out_no_setting_of_drive_and_probe() -> None:
    fan = find_demo("heatsink-fan").build()
    fan = put(fan, ("rig", "probes", 0, "offset_K"), 1.5)
    html = page(fan, fan.candidates[1].name)
    for text in ("Floor", "Kick-start", "Stalls below", "Speed lag", "Reads high by", "1.5 K", "Noise", "Lag"):
        assert text in html, text
    wax = find_demo("wax-pot").build()
    html = page(wax, wax.candidates[0].name)
    for text in ("Shortest on", "Shortest off", "Operating delay", "Rated operations"):
        assert text in html, text


def test_a_report_begins_with_the_verdict_and_what_is_open() -> None:
    cabinet = find_demo("cure-cabinet").build()
    made = findings(cabinet, "Careful PID", count=16)
    page = html.unescape(re.sub("<[^>]*>", " ", report_html(cabinet, made, {}, Scale.CELSIUS, date(2026, 11, 30))))
    order = ["Verdict", "Open points", "Trial “", "If it fails", "Rigs that differ", "The loop, and the others",
             "Where its figures come from", "To be measured on the machine", "Appendix: settings"]  # fmt: skip
    places = [page.index(each) for each in order]
    assert places == sorted(places)
    first = made.results[cabinet.first_trial.name]
    assert isinstance(first, Result)
    judged = [verdict for each in made.results.values() if isinstance(each, Result) for verdict in each.verdicts]
    met = sum(verdict.met for verdict in judged)
    assert f"{met} of {len(judged)} marks on 2 trials met; missed: " in page
    assert re.search(r"☐ no thermal cut-off fitted\s+builder", page)
    assert "failures on “Two-stage cure” not tried" in page
    others = [each.name for each in cabinet.candidates if each.name != "Careful PID"]
    assert all(f"{name} (" in page[places[5] :] for name in others)
    assert "1, at 2 h: Door" in page
    bare = with_fields(cabinet, trials=(with_fields(cabinet.first_trial, marks=()),))
    none = report_html(bare, findings(bare, "Careful PID", count=4), {}, Scale.CELSIUS, date(2026, 11, 30))
    assert "whether it does the job was not judged" in none
