"""Programs on chips: the same decisions instruction by instruction, and what the pins of a board do."""

import shutil
from itertools import pairwise
from pathlib import Path
from typing import Literal

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.handover.board_on_chip import PinChange, build_sketch, lacking_core, pins_of, try_board
from kelvarn.handover.carry import Carried
from kelvarn.handover.checks import Prover
from kelvarn.handover.chips import build_for, lacking
from kelvarn.handover.comparing import compared
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.files import program_files
from kelvarn.handover.maker import c_text, maker_files
from kelvarn.handover.proof import prove
from kelvarn.handover.toolchain import build
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Alarm, ProbeFaultAction, Trip
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Converter

avr = pytest.mark.skipif(bool(lacking("avr") or lacking_core()), reason=lacking("avr") or lacking_core())
arm = pytest.mark.skipif(bool(lacking("cortex-m")), reason=lacking("cortex-m"))
HEATER, CONTACTOR = 9, 4


def cabinet(real: Literal["double", "float"] = "float", bits: int = 10, **of_probe: object) -> Carried:
    """The cabinet's PI with a trip and an alarm, its probe a thermistor; sampled twice a second."""
    demo = find_demo("cure-cabinet").build()
    thermistor = {"converter": Converter(bits=bits), "lowest_degC": -40.0, "highest_degC": 125.0, "resolution_K": 0.0}
    probe = with_fields(demo.rig.probe, **{**thermistor, "interval_s": 0.5, **of_probe})
    guards = (Trip(name="Too “hot”", probe=probe.name, at_degC=75.0, does="contactor"),
              Alarm(name="Warm\\", probe=probe.name, at_degC=70.0), ProbeFaultAction(name="No probe"))  # fmt: skip
    rig = with_fields(demo.rig, probes=(probe,), guards=guards, permits=())
    law = Candidate(name="Try", controller=Pid(terms="PI", kp_per_K=0.12, ti_s=1320))
    project = with_fields(demo, rig=rig, candidates=(law,), chosen=None)
    trial = with_fields(project.first_trial, duration_s=600.0, events=(), marks=())
    return Carried(project, law, trial, real)


def few(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, count in (("_RIGS_ON_CHIP", 2), ("_MOST_SAMPLES", 200), ("_CUTS_ON_CHIP", 8), ("_ODD_SAMPLES", 300)):
        monkeypatch.setattr(f"kelvarn.handover.checks.{name}", count)


@avr
def test_the_8_bit_chip_decides_the_same_and_is_measured(monkeypatch: pytest.MonkeyPatch) -> None:
    few(monkeypatch)
    carried = cabinet()
    proof = prove(carried.project, carried.candidate, carried.trial, "float", on=("avr",))
    assert not proof.differs, proof.checks
    assert not [check.name for check in proof.checks if check.left]
    assert proof.checks[-1].name == "avr: the board file"
    measured = {each.what: each.value for each in proof.measured}
    assert 2000 < measured["program"] < 24 * 1024  # of 32, what is said on the line is 9
    assert measured["memory without stack"] + measured["deepest stack"] < 1400
    assert 0.02 < measured["longest step"] < 0.6


@arm
def test_the_32_bit_chip_decides_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    few(monkeypatch)
    carried = cabinet("double")
    proof = prove(carried.project, carried.candidate, carried.trial, "double", on=("cortex-m",))
    assert not proof.differs, proof.checks
    assert max(check.found.largest for check in proof.checks) < 1e-9  # the last bit of log() is its library's
    assert proof.samples > 2000
    carried = cabinet("double", converter=None)
    proof = prove(carried.project, carried.candidate, carried.trial, "double", on=("cortex-m",))
    assert (proof.differs, max(check.found.largest for check in proof.checks)) == (False, 0.0)


@arm
def test_a_slip_is_found_on_the_chip_too(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    few(monkeypatch)
    carried = cabinet("double")
    body = carried.sources.body
    object.__setattr__(carried.sources, "body", body.replace("KP_PER_K * (WEIGHT", "KP_PER_K * REAL(1.001) * (WEIGHT"))
    assert carried.sources.body != body
    assert any(check.found.differing for check in Prover(carried, tmp_path, "cortex-m").prove(lambda _: True))


def changes_of(pin: int, changes: list[PinChange]) -> list[PinChange]:
    return [each for each in changes if each.pin == pin and each.level in (0, 1)]


@avr
def test_the_board_drives_its_pins_as_the_engine_says(tmp_path: Path) -> None:
    carried = cabinet()
    check = try_board(carried, tmp_path)
    assert (check.found.differing, check.left) == (0, ""), check
    assert "edges of 1 outputs" in check.what
    program = tmp_path / "program.elf"
    cold, open_probe = pins_of(program, 1500, [2500]), pins_of(program, 1500, [5000])
    assert changes_of(HEATER, cold)[-1].level == 1
    assert not any(each.level == 1 for each in changes_of(HEATER, open_probe))
    hot = pins_of(program, 1500, [300])  # past its trip
    assert not any(each.level == 1 for each in changes_of(HEATER, hot))
    assert not any(each.level == 1 for each in changes_of(CONTACTOR, hot))


ALIVE, TOLD = "void board_alive(const Decision *decision) {\n", "board_alive(&device.control.decision);"
HANGS = ("board_maker.cpp", ALIVE, f"{ALIVE}static volatile uint8_t n;\nwhile (++n > 2) {{\nn = 3;\n}}\n")
GIVES_NO_SIGN_OF_LIFE = ("program.c", TOLD, f"static uint32_t n;\nif (++n < 3) {{\n{TOLD}\n}}\n")


@avr
@pytest.mark.parametrize("slip", [HANGS, GIVES_NO_SIGN_OF_LIFE])
def test_a_program_that_hangs_lets_go_of_the_heater_and_is_stopped_for_good(
    slip: tuple[str, str, str], tmp_path: Path
) -> None:
    """Off two intervals after the last decision, then the watchdog restarts it; after the third time it stays off."""
    carried, (name, before, after) = cabinet(), slip
    text = {**program_files(carried), **maker_files(carried, "maker8")}[name]
    assert text.count(before) == 1
    slipped = text.replace(before, after)
    program = build_sketch(carried, tmp_path, {name: slipped})
    changes = pins_of(program, 16_000, [2500])
    resets = [each.ms for each in changes if each.pin == -1]
    assert len(resets) == 3
    of_heater = changes_of(HEATER, changes)
    on = [each for each in of_heater if each.level == 1]
    assert len(on) == 3  # once after each start; the third restart leaves it off
    for one, other in pairwise(of_heater):
        if one.level == 1:
            assert other.level == 0
            assert 1000 <= other.ms - one.ms <= 1000 + 500 + 60  # from the last decision: two intervals of 500 ms
    assert not any(each.level == 1 for each in changes if each.pin in (HEATER, CONTACTOR) and each.ms > resets[-1])


@avr
def test_a_pin_that_is_used_twice_is_refused(tmp_path: Path) -> None:
    carried = cabinet()
    pins = maker_files(carried, "maker8")["pins.h"]
    twice = pins.replace("#define RESET_PIN 7", "#define RESET_PIN 9")
    assert twice != pins
    with pytest.raises(HandoverError, match="a pin is used twice"):
        build_sketch(carried, tmp_path, {"pins.h": twice})


def test_what_a_board_has_not_is_one_sentence() -> None:
    for board, bits, real, said in (
        ("maker8", 12, "float", "read with 12 bits, and the 8-bit maker board has 10"),
        ("maker32", 10, "float", "read with 10 bits, and the 32-bit maker board has 12"),
        ("maker8", 10, "double", "no numbers of 64 bits"),
    ):
        with pytest.raises(HandoverError, match=said):
            maker_files(cabinet(real, bits), board)  # type: ignore[arg-type]
    with pytest.raises(HandoverError, match="platinum, class A, which"):
        maker_files(cabinet(converter=None, like="platinum, class A"), "maker8")
    shed = find_demo("lemon-shed").build()
    with pytest.raises(HandoverError, match="the 8-bit maker board has no clock of the day"):
        maker_files(Carried(shed, shed.candidates[0], shed.first_trial, "float"), "maker8")


def test_names_of_the_user_cannot_end_a_text_of_the_program() -> None:
    assert c_text('a"; system("x"); //\\\n%s äöü') == "a   system( x )       s äöü"
    board = maker_files(cabinet(), "maker8")["board_maker.cpp"]
    assert "write_pin(LAMP_PIN, (decision->alarm_code & INT32_C(1)) != 0 ? HIGH : LOW);" in board


def test_a_chip_that_is_not_installed_says_how(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(shutil, "which", lambda _: None)
    for chip in ("avr", "cortex-m"):
        with pytest.raises(HandoverError, match="apt install"):
            build_for(chip, cabinet(), tmp_path)
    with pytest.raises(HandoverError, match="install gcc"):
        build(cabinet(), tmp_path)


def test_what_32_bits_round_is_no_difference_but_what_they_decide_is() -> None:
    carried = cabinet("float")
    engine = [[60.0, 400.0, 1.0, 20.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 1.0, 1.0, 1.0]] * 2
    engine.append([60.0, 0.5, 0.5, *engine[0][3:]])

    def differing(sample: int, column: int, value: float, guard: float = 0.0) -> tuple[int, int]:
        program = np.array(engine)
        program[sample, 4], program[sample, column] = guard, value
        found = compared(carried, 2e-4, engine, program, [(0.0, 20.0, 1.0)] * 3)
        return found.differing, found.reasons

    assert differing(2, 1, 0.55) == (0, 0)  # after 400 that is the last of its digits
    assert differing(2, 1, 0.6) == (1, 0)
    assert differing(2, 0, 60.02) == (1, 0)
    assert differing(0, 3, 26.0) == (0, 1)  # another reason for the same drive
    assert differing(0, 3, 26.0, guard=10.0) == (0, 1)  # and nothing to overrule, then
    assert differing(0, 2, 0.0, guard=10.0) == (1, 0)
    program = np.array(engine)
    program[0, 2], program[0, 3] = 0.0, 26.0
    assert compared(carried, 2e-4, engine, program, [(0.0, 20.0, 1.0)] * 3).differing == 1  # another drive it is
    for code in (4, 5, 6, 7, 8, 9, 10, 12):
        assert differing(1, code, 5.0) == (1, 0)
    assert compared(carried, 2e-4, engine, np.array(engine[:2]), [(0.0,)] * 3).differing == 1
