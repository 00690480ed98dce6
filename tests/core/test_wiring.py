"""Wiring: circuits worked out by hand, what is wrong with one, what is right, and the files that come of it."""

import base64
import csv
import html
import io
import math
import random
import xml.etree.ElementTree as ET
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.handover.carry import Carried
from kelvarn.handover.maker import maker_files
from kelvarn.handover.sheet import sheet_html
from kelvarn.handover.wiring.circuit import Circuit, circuit_of, lead_A, lead_for, switch_W
from kelvarn.handover.wiring.drawing import drawing
from kelvarn.handover.wiring.files import wiring_files
from kelvarn.handover.wiring.parts_list import parts_list
from kelvarn.handover.wiring.terminals import terminals
from kelvarn.handover.wiring.warnings import warnings_of
from kelvarn.model.drives import Fan, Pwm, Relay, SlowWindow, Switch
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Alarm, CutOff
from kelvarn.model.probes import Converter, Probe
from kelvarn.model.project import Project
from kelvarn.model.wiring import Output, ProbeWiring, Signal, Wiring
from kelvarn.units import Scale
from tests.core.commands import kelvarn

# Worked by hand: kind, V, W of the load, mΩ or V of drop, K/W, Hz (0: slowly), Ω at its input, mm², m;
# then A, W in the switch, degC with air of 20, V lost on the lead.
BY_HAND = [
    ("transistor_low", 12.0, 24.0, 20.0, 62.0, 0.0, 220.0, 0.5, 1.0, 2.0, 0.08, 24.96, 0.1424),
    ("transistor_low", 12.0, 60.0, 10.0, 62.0, 0.0, 220.0, 0.75, 2.0, 5.0, 0.25, 35.5, 0.474667),
    ("transistor_low", 12.0, 120.0, 8.0, 62.0, 0.0, 220.0, 1.5, 0.5, 10.0, 0.8, 69.6, 0.118667),
    ("transistor_low", 24.0, 250.0, 40.0, 62.0, 0.0, 220.0, 1.5, 0.8, 10.416667, 4.340278, 289.097, 0.197778),
    ("transistor_low", 24.0, 250.0, 8.0, 62.0, 0.0, 220.0, 1.5, 0.8, 10.416667, 0.868056, 73.8194, 0.197778),
    ("transistor_low", 24.0, 48.0, 50.0, 40.0, 0.0, 220.0, 1.0, 3.0, 2.0, 0.2, 28.0, 0.2136),
    ("transistor_low", 24.0, 240.0, 5.0, 10.0, 0.0, 220.0, 2.5, 4.0, 10.0, 0.5, 25.0, 0.5696),
    ("transistor_low", 48.0, 480.0, 10.0, 20.0, 0.0, 220.0, 1.5, 1.0, 10.0, 1.0, 40.0, 0.237333),
    ("transistor_low", 5.0, 10.0, 30.0, 100.0, 0.0, 220.0, 0.25, 0.3, 2.0, 0.12, 32.0, 0.08544),
    ("transistor_low", 36.0, 90.0, 25.0, 62.0, 0.0, 100.0, 1.0, 2.0, 2.5, 0.15625, 29.6875, 0.178),
    # P = I²R + V·I·t·f with t = 2.2·R·2 nF
    ("transistor_low", 12.0, 120.0, 8.0, 62.0, 1000.0, 220.0, 1.5, 0.5, 10.0, 0.91616, 76.80192, 0.118667),
    ("transistor_low", 24.0, 240.0, 10.0, 62.0, 490.0, 220.0, 1.5, 1.0, 10.0, 1.1138368, 89.0578816, 0.237333),
    ("transistor_low", 24.0, 120.0, 20.0, 62.0, 20000.0, 220.0, 1.0, 1.0, 5.0, 2.8232, 195.0384, 0.178),
    ("transistor_low", 24.0, 120.0, 20.0, 62.0, 20000.0, 22.0, 1.0, 1.0, 5.0, 0.73232, 65.40384, 0.178),
    ("transistor_low", 12.0, 12.0, 50.0, 62.0, 25000.0, 100.0, 0.5, 1.0, 1.0, 0.182, 31.284, 0.0712),
    ("transistor_low", 48.0, 96.0, 40.0, 30.0, 5000.0, 470.0, 1.0, 2.0, 2.0, 1.15264, 54.5792, 0.1424),
    ("transistor_low", 5.0, 5.0, 100.0, 62.0, 1000.0, 1000.0, 0.25, 0.5, 1.0, 0.122, 27.564, 0.0712),
    ("transistor_low", 30.0, 150.0, 15.0, 62.0, 976.0, 330.0, 1.0, 1.5, 5.0, 0.5875728, 56.4295136, 0.267),
    # a solid-state relay: P = I·U
    ("solid_state", 230.0, 230.0, 1.2, 10.0, 0.0, 0.0, 0.75, 2.0, 1.0, 1.2, 32.0, 0.0949333),
    ("solid_state", 230.0, 1150.0, 1.2, 10.0, 0.0, 0.0, 1.0, 2.0, 5.0, 6.0, 80.0, 0.356),
    ("solid_state", 230.0, 2300.0, 1.2, 1.5, 0.0, 0.0, 1.5, 3.0, 10.0, 12.0, 38.0, 0.712),
    ("solid_state", 230.0, 2200.0, 1.1, 1.5, 0.0, 0.0, 1.5, 0.8, 9.565217, 10.521739, 35.782609, 0.181612),
    ("solid_state", 24.0, 240.0, 1.0, 5.0, 0.0, 0.0, 1.5, 1.0, 10.0, 10.0, 70.0, 0.237333),
    ("solid_state", 120.0, 600.0, 1.5, 4.0, 0.0, 0.0, 1.0, 5.0, 5.0, 7.5, 50.0, 0.89),
    ("solid_state", 400.0, 4000.0, 1.6, 1.0, 0.0, 0.0, 2.5, 10.0, 10.0, 16.0, 36.0, 1.424),
    # neither heats a switch of ours
    ("relay_module", 230.0, 900.0, 0.0, 62.0, 0.0, 0.0, 1.0, 1.5, 3.913043, 0.0, 20.0, 0.208957),
    ("relay_module", 24.0, 96.0, 0.0, 62.0, 0.0, 0.0, 0.75, 1.0, 4.0, 0.0, 20.0, 0.189867),
    ("transistor_low", 12.0, 36.0, 15.0, 62.0, 0.0, 220.0, 0.75, 1.5, 3.0, 0.135, 28.37, 0.2136),
    ("transistor_low", 24.0, 72.0, 30.0, 50.0, 0.0, 220.0, 1.0, 2.5, 3.0, 0.27, 33.5, 0.267),
    ("transistor_low", 48.0, 240.0, 12.0, 40.0, 0.0, 220.0, 1.5, 2.0, 5.0, 0.3, 32.0, 0.237333),
    ("transistor_high", 24.0, 120.0, 25.0, 62.0, 0.0, 220.0, 1.0, 1.0, 5.0, 0.625, 58.75, 0.178),
    ("transistor_high", 12.0, 60.0, 20.0, 62.0, 0.0, 220.0, 0.75, 1.0, 5.0, 0.5, 51.0, 0.237333),
    ("transistor_high", 12.0, 24.0, 50.0, 62.0, 1000.0, 220.0, 0.5, 0.5, 2.0, 0.223232, 33.8404, 0.0712),
    ("transistor_low", 24.0, 24.0, 80.0, 62.0, 490.0, 470.0, 0.25, 1.0, 1.0, 0.10432, 26.4678, 0.1424),
    ("transistor_low", 36.0, 180.0, 10.0, 20.0, 5000.0, 100.0, 1.0, 2.0, 5.0, 0.646, 32.92, 0.356),
    ("transistor_low", 5.0, 15.0, 20.0, 62.0, 250.0, 330.0, 0.5, 0.4, 3.0, 0.185445, 31.4976, 0.08544),
    ("solid_state", 230.0, 460.0, 1.3, 8.0, 0.0, 0.0, 0.75, 1.0, 2.0, 2.6, 40.8, 0.0949333),
    ("solid_state", 230.0, 3450.0, 1.25, 1.0, 0.0, 0.0, 2.5, 4.0, 15.0, 18.75, 38.75, 0.8544),
    ("solid_state", 48.0, 144.0, 0.9, 12.0, 0.0, 0.0, 1.0, 1.5, 3.0, 2.7, 52.4, 0.1602),
    ("relay_module", 230.0, 2300.0, 0.0, 62.0, 0.0, 0.0, 1.5, 2.5, 10.0, 0.0, 20.0, 0.593333),
    ("relay_module", 12.0, 6.0, 0.0, 62.0, 0.0, 0.0, 0.25, 0.5, 0.5, 0.0, 20.0, 0.0356),
]
LEADS = [
    (0.1, 1.0), (0.14, 1.4), (0.25, 2.5), (0.5, 5.0), (0.75, 12.0), (0.9, 12.0), (1.0, 15.0), (1.5, 18.0), (2.0, 18.0),
    (2.5, 26.0), (4.0, 34.0), (6.0, 44.0), (10.0, 61.0),
]  # fmt: skip


CUT_OFF = CutOff(name="Cut-off", body="Heater mat", at_degC=110.0)


def project_of(drive: Any, output: Output | None = None, **more: Any) -> Project:
    """The cabinet with another drive, another switch; `more` are fields of the wiring, `rig_…` those of the rig."""
    made = find_demo("cure-cabinet").build()
    rig_fields = {name.removeprefix("rig_"): more.pop(name) for name in list(more) if name.startswith("rig_")}
    rig_fields.setdefault("guards", (CUT_OFF,))
    rig_fields.setdefault("probes", (Probe(body="Air", like="digital, steps of 1/16 K"),))
    rig = with_fields(made.rig, drives=(drive,), **rig_fields)
    volts = 24.0 if output is None or output.load_V >= 60.0 else output.load_V
    wiring = Wiring(**{"supply_V": volts, "outputs": () if output is None else (output,), **more})
    trials = tuple(with_fields(trial, events=(), marks=()) for trial in made.trials)
    return with_fields(made, rig=rig, trials=trials, wiring=wiring, adjustable=(), logs=())


def heater(power_W: float = 100.0, kind: type = SlowWindow, **more: Any) -> Any:
    return kind(name="Mat", body="Heater mat", power_W=power_W, **more)


@pytest.mark.parametrize("row", BY_HAND, ids=range(len(BY_HAND)))
def test_a_circuit_is_as_it_was_worked_out_by_hand(row: tuple[Any, ...]) -> None:
    kind, volts, power_W, size, to_air, fast, gate, mm2, metres, amperes, watts, degC, lost_V = row
    drive = heater(power_W, Pwm if fast else SlowWindow)
    output = Output(
        drive="Mat", kind=kind, load_V=volts, on_ohm=size / 1000.0 if kind.startswith("transistor") else 0.0,
        drop_V=size if kind == "solid_state" else 1.2, to_air_K_per_W=to_air, gate_ohm=gate, pwm_Hz=fast or None,
        lead_mm2=mm2, lead_m=metres,
    )  # fmt: skip
    found = circuit_of(project_of(drive, output)).switched[0]
    assert found.amperes == pytest.approx(amperes, rel=0.01)
    assert found.watts == pytest.approx(watts, rel=0.01, abs=1e-9)
    assert found.degC == pytest.approx(degC + 20.0, rel=0.01)  # in a box it is 40 °C
    assert found.lead_drop_V == pytest.approx(lost_V, rel=0.01)


def test_leads_carry_what_the_table_says_and_are_chosen_by_it() -> None:
    for mm2, amperes in LEADS:
        assert lead_A(mm2) == pytest.approx(amperes)
    assert [lead_for(amperes) for amperes in (0.5, 4.0, 10.0, 13.0, 17.0, 20.0, 60.0)] == [
        0.25, 0.5, 0.75, 1.0, 1.5, 2.5, 10.0,
    ]  # fmt: skip
    output = Output(drive="x", kind="solid_state", drop_V=1.0)
    assert switch_W(output, 3.0, None) == 3.0


LOW = Output(drive="Mat", load_V=24.0, lead_mm2=1.5, fuse_A=8.0)  # right for 100 W: 4.17 A
ON_7 = ProbeWiring(probe="Probe", pin="7")
NTC = Probe(name="Probe", body="Air", converter=Converter())
NTC_12 = with_fields(NTC, converter=Converter(bits=12))
WRONG: list[tuple[str, Project]] = [
    ("opens fully only at 10 V", project_of(heater(), with_fields(LOW, opens_at_V=10.0))),
    ("W in the switch: ", project_of(heater(250.0), with_fields(LOW, on_ohm=0.04, fuse_A=12.0))),
    ("It stands 20 V", project_of(heater(), with_fields(LOW, rated_V=20.0))),
    ("It carries 3 A; 4.2 A flow", project_of(heater(), with_fields(LOW, rated_A=3.0, fuse_A=None))),
    ("40 mA for the coil", project_of(heater(), with_fields(LOW, kind="relay_module", bare_coil=True, input_mA=40.0))),
    ("coil has no diode", project_of(heater(), with_fields(LOW, kind="relay_module", bare_coil=True, diode=False))),
    ("Nothing holds it off", project_of(heater(), with_fields(LOW, hold_ohm=None))),
    ("too weakly", project_of(heater(), with_fields(LOW, hold_ohm=5e6))),
    ("more than 20 mA: 10 kΩ do", project_of(heater(), with_fields(LOW, hold_ohm=100.0, gate_ohm=0.0))),
    ("leave 3.4 V of the pin's 5 V", project_of(heater(), with_fields(LOW, hold_ohm=470.0))),
    ("Pin 13 is no pin for it", project_of(heater(), with_fields(LOW, pin="13"))),
    ("used twice: Mat and Probe", project_of(heater(), with_fields(LOW, pin="7"), probes=(ON_7,))),
    ("cannot have a duty", project_of(heater(kind=Pwm), with_fields(LOW, pin="4"))),
    ("There is no pin 99", project_of(heater(), with_fields(LOW, pin="99"))),
    ("take 1 mm² or thicker", project_of(heater(312.0), with_fields(LOW, lead_mm2=0.5, fuse_A=16.0))),
    ("are lost on 30 m of lead", project_of(heater(), with_fields(LOW, lead_m=30.0))),
    ("No fuse", project_of(heater(), with_fields(LOW, fuse_A=None))),
    ("blows in time", project_of(heater(), with_fields(LOW, fuse_A=4.0))),
    ("does not save a lead", project_of(heater(), with_fields(LOW, lead_mm2=0.5, fuse_A=10.0))),
    ("does not save a switch", project_of(heater(), with_fields(LOW, rated_A=6.0))),
    ("It gives 3 A; all together take 4.2 A", project_of(heater(), LOW, supply_A=3.0)),
    ("It gives 12 V; “Mat” is made for 24 V", project_of(heater(), LOW, supply_V=12.0)),
    ("No thermal cut-off", project_of(heater(), LOW, rig_guards=())),
    ("It carries 2 A; 4.2 A flow through it", project_of(heater(), LOW, cut_off_A=2.0)),
    ("230 V can kill", project_of(heater(900.0), with_fields(LOW, load_V=230.0, rated_V=400.0))),
    ("cannot switch 24 V off", project_of(heater(), with_fields(LOW, kind="transistor_high"))),
    ("A relay is not switched 490 times", project_of(heater(kind=Pwm), with_fields(LOW, kind="relay_module"))),
    ("half-waves", project_of(heater(kind=Pwm), with_fields(LOW, kind="solid_state", to_air_K_per_W=5.0))),
    ("no pull-up", project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", pull_up_ohm=None),))),
    ("too weak for 10 m of lead", project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", lead_m=10.0),))),
    ("more than the 4 mA", project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", pull_up_ohm=470.0),))),
    ("pick up noise", project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", lead_m=5.0),), rig_probes=(NTC,))),
    ("Pin 7 is no analogue input", project_of(heater(), LOW, probes=(ON_7,), rig_probes=(NTC,))),
    ("read with 12 bits", project_of(heater(), LOW, rig_probes=(NTC_12,))),
    ("current heats it: ", project_of(heater(), LOW, rig_probes=(
        with_fields(NTC, converter=Converter(ohm_at_25_degC=1000, fixed_ohm=1000)),))),
    ("It takes 200 mA", project_of(
        heater(), LOW, signals=(Signal(outlet="lamp", pin="6", takes_mA=200.0),),
        rig_guards=(CUT_OFF, Alarm(name="Hot", probe="Probe", at_degC=70.0)),
    )),
]  # fmt: skip


@pytest.mark.parametrize(("says", "project"), WRONG, ids=[says for says, _ in WRONG])
def test_what_is_wrong_is_warned_of(says: str, project: Project) -> None:
    found = warnings_of(circuit_of(project))
    assert any(says in each.text for each in found), found


RIGHT: list[Project] = [
    project_of(heater(), LOW),
    project_of(heater(250.0), with_fields(LOW, fuse_A=12.0)),
    project_of(heater(kind=Pwm), LOW),
    project_of(heater(kind=Pwm), with_fields(LOW, gate_ohm=100.0, pwm_Hz=976.0)),
    project_of(heater(40.0), with_fields(LOW, lead_mm2=0.5, fuse_A=2.0)),
    project_of(heater(10.0), with_fields(LOW, load_V=12.0, lead_mm2=0.25, fuse_A=1.0)),
    project_of(heater(480.0), with_fields(LOW, load_V=48.0, fuse_A=12.0)),
    project_of(heater(100.0), with_fields(LOW, hold_ohm=100_000.0)),
    project_of(heater(900.0, Relay), with_fields(LOW, kind="relay_module", load_V=230.0, rated_V=250.0, fuse_A=5.0)),
    project_of(heater(2200.0), with_fields(LOW, kind="solid_state", load_V=230.0, rated_V=600.0, to_air_K_per_W=1.5,
                                           input_mA=10.0, fuse_A=12.0)),
    project_of(heater(), with_fields(LOW, opens_at_V=2.5), board="micropython", rig_probes=(NTC_12,)),
    project_of(heater(), LOW, rig_probes=(NTC,)),
    project_of(heater(), LOW, rig_probes=(NTC,), probes=(ProbeWiring(probe="Probe", lead_m=5.0, capacitor_nF=100.0),)),
    project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", lead_m=10.0, pull_up_ohm=2200.0),)),
    project_of(heater(), with_fields(LOW, pin="11")),
    project_of(heater(), LOW, supply_A=5.0),
    project_of(heater(switch=Switch(supply_V=24, on_ohm=0.01))),
    project_of(heater(900.0, Relay)),
    project_of(heater(2200.0)),
    project_of(heater(kind=Pwm), None),
    project_of(heater(kind=Pwm), None, board="maker32"),
    project_of(Fan(name="Mat", power_W=3.0, rated_V=24, pwm_Hz=25_000)),
    project_of(Fan(name="Mat", power_W=3.0, rated_V=12, pwm_Hz=400), supply_V=12.0),
    *(demo.build() for demo in DEMOS if demo.name in ("tempering-bowl", "wax-pot", "lemon-shed")),
]  # fmt: skip


@pytest.mark.parametrize("project", RIGHT, ids=range(len(RIGHT)))
def test_what_is_right_is_not_warned_of(project: Project) -> None:
    assert warnings_of(circuit_of(project)) == []


def test_what_is_bought_stands_what_flows() -> None:
    circuit = circuit_of(project_of(heater(250.0), with_fields(LOW, fuse_A=12.0, on_ohm=0.04)))
    parts = {part.what: part for part in parts_list(circuit)}
    transistor = parts["transistor for Mat, opening fully at 4.5 V"]
    milliohm = float(transistor.stands.split("≤ ")[1].split()[0])
    assert 40.0 + 10.4167**2 * milliohm / 1000.0 * 62.0 <= 111.0  # the one on the list is not too hot
    assert parts["thermal cut-off"].stands == "110.0 °C, ≥ 12.5 A"
    assert parts["supply"].stands == "24 V, ≥ 11.5 A"
    assert "lead to Mat" in parts


def pins_of(circuit: Circuit) -> set[str]:
    return {pin for _, pin in circuit.pins() if pin}


@pytest.mark.parametrize("demo", DEMOS, ids=lambda demo: demo.name)
def test_table_and_drawing_have_every_pin_and_nothing_runs_out_of_the_drawing(demo: Any) -> None:
    circuit = circuit_of(demo.build())
    wires = terminals(circuit)
    said = " ".join(f"{wire.begins} {wire.ends}" for wire in wires)
    assert all(f"pin {pin}" in said for pin in pins_of(circuit))
    root = ET.fromstring(drawing(circuit, warnings_of(circuit)))
    width, height = float(root.attrib["width"]), float(root.attrib["height"])
    texts = {each.text for each in root.iter() if each.tag.endswith("text")}
    assert pins_of(circuit) <= texts
    boxes = []
    for each in root.iter():
        if each.tag.endswith("rect"):
            x, y, wide, high = (float(each.attrib[name]) for name in ("x", "y", "width", "height"))
            assert min(x, y, width - x - wide, height - y - high) >= 0
            boxes.append((x, y, wide, high))
        if each.tag.endswith("text"):
            at, letters = float(each.attrib["x"]), 6.6 * len(each.text or "")
            begins = at - (letters if each.attrib.get("text-anchor") == "end" else
                           letters / 2 if each.attrib.get("text-anchor") == "middle" else 0.0)  # fmt: skip
            assert 0.0 <= begins <= width - letters, each.text
    for k, (x, y, wide, high) in enumerate(boxes[1:]):
        for other in boxes[k + 2 :]:
            apart = x + wide <= other[0] or other[0] + other[2] <= x or y + high <= other[1] or other[1] + other[3] <= y
            assert apart
    assert len(boxes) > 1


def test_what_flows_to_a_heater_passes_fuse_contactor_and_cut_off() -> None:
    wires = terminals(circuit_of(project_of(heater(), LOW)))
    plus = next(wire for wire in wires if wire.ends == "plus of Mat")
    assert plus.through == "fuse 8 A, then drives' contactor, then thermal cut-off"
    assert plus.lead == "1.5 mm²"


def test_names_are_no_markup() -> None:
    made = project_of(with_fields(heater(), name='<b>&"Mat"'), None)
    root = ET.fromstring(drawing(circuit_of(made), []))
    assert any("<b>&" in (each.text or "") for each in root.iter())


def test_pins_of_the_wiring_are_those_of_the_program() -> None:
    made = project_of(heater(), with_fields(LOW, pin="6"), probes=(ProbeWiring(probe="Probe", pin="8"),))
    pins = maker_files(Carried(made, made.candidates[0], made.first_trial, "float"), "maker8")["pins.h"]
    assert "#define OUTPUT_1_PIN 6" in pins
    assert "#define PROBE_1_PIN 8" in pins
    used = [pin for _, pin in circuit_of(made).pins()]
    assert len(used) == len(set(used))
    taken = project_of(heater(), LOW, probes=(ProbeWiring(probe="Probe", pin="4"),))  # that the contactor would have
    pins_taken = [pin for _, pin in circuit_of(taken).pins()]
    assert "4" in pins_taken
    assert len(pins_taken) == len(set(pins_taken))
    for name, pin in circuit_of(made).others:
        assert f"{'CONTACTOR' if 'contactor' in name else 'RESET'}_PIN {pin}" in pins


def test_the_command_writes_drawing_tables_and_warnings(tmp_path: Path) -> None:
    done = kelvarn("demo", "cure-cabinet", "--out", str(tmp_path / "demo"))
    assert done.returncode == 0
    file = next((tmp_path / "demo").glob("*.kelvarn"))
    done = kelvarn("wiring", str(file), "--out", str(tmp_path / "w"))
    assert done.returncode == 0
    assert "No thermal cut-off" in done.stdout
    assert {path.name for path in (tmp_path / "w").iterdir()} == set(
        wiring_files(circuit_of(find_demo("cure-cabinet").build()))
    )
    rows = list(csv.DictReader(io.StringIO((tmp_path / "w" / "parts.csv").read_text())))
    assert any("250" in row["why"] or "10.4 A" in row["why"] for row in rows)
    assert kelvarn("wiring", str(file), "--out", str(tmp_path / "w")).returncode == 2
    assert math.isfinite(circuit_of(find_demo("cure-cabinet").build()).supply_A)


def test_the_sheet_has_every_wire_every_part_and_the_drawing() -> None:
    made = find_demo("cure-cabinet").build()
    circuit = circuit_of(made)
    page = html.unescape(sheet_html(made, made.candidates[0].name, {}, {}, Scale.CELSIUS, date(2026, 12, 1)))
    for wire in terminals(circuit):
        assert f"☐ {wire.begins}</td><td>{wire.through}</td><td>{wire.ends}</td><td>{wire.lead}" in page
    for part in parts_list(circuit):
        assert f"☐ {part.what}</td><td>{part.stands}</td><td>{part.why}" in page
    assert all(each.text in page for each in warnings_of(circuit))
    svg = base64.b64decode(page.split("svg+xml;base64,", 1)[1].split('"', 1)[0])
    assert ET.fromstring(svg).tag.endswith("svg")


@pytest.mark.parametrize("seed", range(40))
def test_whatever_the_rig_is_it_is_wired_without_a_fault(seed: int) -> None:
    draw = random.Random(seed)
    watts = 10.0 ** draw.uniform(-3.0, 7.0)
    kind = draw.choice((SlowWindow, Pwm, Relay))
    volts = 10.0 ** draw.uniform(-1.0, 5.0)
    switch = {"switch": Switch(supply_V=volts)} if kind is not Relay and draw.random() < 0.5 else {}
    drive = heater(watts, kind, **switch)
    if draw.random() < 0.3:
        drive = Fan(name="Mat", power_W=min(watts, 1e6), rated_V=draw.choice((None, 0.5, 1000.0)),
                    pwm_Hz=draw.choice((None, 0.1, 1e7)))  # fmt: skip
    circuit = circuit_of(project_of(drive, None, board=draw.choice(("maker8", "maker32", "micropython", "linux"))))
    found = warnings_of(circuit)
    assert all(math.isfinite(each.watts) and math.isfinite(each.degC) for each in circuit.switched)
    assert parts_list(circuit)
    ET.fromstring(drawing(circuit, found))
    if circuit.switched[0].amperes > 100.0:
        assert found  # nobody wires that by this list
