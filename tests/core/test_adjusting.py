"""Settings that stay adjustable in the device: their ranges, what follows from them, what is stored, several units."""

import shutil
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from kelvarn.files.faults import FileError
from kelvarn.handover.adjusting import adjustable_lines, adjusting
from kelvarn.handover.board_files import BOARDS, BoardName
from kelvarn.handover.board_on_chip import build_sketch, lacking_core
from kelvarn.handover.board_rows import plain_row
from kelvarn.handover.carry import Carried
from kelvarn.handover.checks import Prover
from kelvarn.handover.chips import lacking
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.files import program_files, readme
from kelvarn.handover.pythons import build_python
from kelvarn.handover.toolchain import build
from kelvarn.handover.writing import write_program
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Alarm
from kelvarn.model.handed import Adjustable, Unit
from kelvarn.model.pid import Pid
from kelvarn.units import Scale
from tests.campaigns.trials import random_project
from tests.core.test_chips import cabinet

gcc = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
Range = tuple[float, float, float]
RANGES: dict[str, Range] = {"KP_PER_K": (0.05, 0.3, 0.005), "TI_S": (300.0, 3000.0, 10.0), "TO_DEGC": (40.0, 65.0, 0.5)}


def adjustable(*names: str, real: Any = "double", law: Pid | None = None, **ranges: Range) -> Carried:
    carried = cabinet(real)
    candidate = with_fields(carried.candidate, controller=law) if law is not None else carried.candidate
    chosen = tuple(
        Adjustable(candidate="Try", setting=name, lowest=low, highest=high, step=step)
        for name, (low, high, step) in {**{name: RANGES[name] for name in names}, **ranges}.items()
    )
    project = with_fields(carried.project, candidates=(candidate,), adjustable=chosen)
    return Carried(project, candidate, carried.trial, real)


PLACES = [pytest.param("host", marks=gcc), "python"]


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("law", [None, Pid(terms="PID", kp_per_K=0.12, ti_s=1320.0, td_s=40.0, setpoint_weight=0.6)])
def test_what_is_adjusted_while_it_runs_is_decided_by_and_stored(
    place: str, law: Pid | None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("kelvarn.handover.checks._ADJUSTMENTS", 400)
    monkeypatch.setattr("kelvarn.handover.checks._CUTS", 12)
    prover = Prover(adjustable(*RANGES, law=law), tmp_path, place)
    found = {
        name: check() for name, check in prover.checks() if name in ("settings written while it runs", "power cuts")
    }
    for check in found.values():
        assert (check.found.differing, check.left) == (0, ""), check
        assert check.found.samples > 100


@pytest.mark.parametrize("place", PLACES)
def test_a_setting_is_taken_inside_of_its_range_only_and_outlives_a_power_cut(place: str, tmp_path: Path) -> None:
    carried = adjustable("TO_DEGC")
    program = build(carried, tmp_path / "p") if place == "host" else build_python(place, carried, tmp_path / "p")
    memory = tmp_path / "memory"

    def setpoints(*asked: tuple[float, float] | None) -> list[float]:
        rows = []
        for k, each in enumerate(asked):
            row = plain_row(carried, 500 * k, [600.0])
            rows.append([*row[:-2], *(each or (-1.0, 0.0))])
        return [float(each) for each in program.run(np.array(rows), memory=memory)[:, 0]]

    assert setpoints(None, (0, 50.0), None) == [60.0, 50.0, 50.0]
    assert setpoints(None, (0, 65.01), (0, 39.0), (1, 45.0), (0, float("nan")), None) == [50.0] * 6
    assert setpoints((0, 65.0), None) == [65.0, 65.0]
    assert setpoints(None) == [65.0]
    memory.write_bytes(b"\xff" * len(memory.read_bytes()))
    assert setpoints(None) == [60.0]


def test_what_follows_from_a_setting_follows_when_it_is_adjusted() -> None:
    for law in (Pid(terms="PI", kp_per_K=0.12, ti_s=1320.0),
                Pid(terms="PID", kp_per_K=0.12, ti_s=1320.0, td_s=40.0)):  # fmt: skip
        made = adjusting(adjustable("TI_S", law=law))
        values = made.after(made.begin(), 0, 660.0)
        assert values is not None
        assert values["KI_PER_KS"] == pytest.approx(0.12 / 660.0)
        assert values["TRACKING_S"] == pytest.approx(with_fields(law, ti_s=660.0).acting_tracking_s)


@pytest.mark.parametrize(
    ("ranges", "said"),
    [
        ({"NO_SUCH": (0.0, 1.0, 0.1)}, "is no setting of this program"),
        ({"KI_PER_KS": (0.0, 1.0, 0.1)}, "cannot stay adjustable"),
        ({"KP_PER_K": (0.2, 0.3, 0.01)}, "outside of the range"),
        ({"KP_PER_K": (0.05, 1e6, 0.01)}, "can be from 1e-06 to 10000 at most"),
        ({"PROBE_HIGHEST_DEGC": (-100.0, 200.0, 1.0)}, "cannot be -100: choose another range"),
    ],
)
def test_what_cannot_stay_adjustable_is_one_sentence(ranges: dict[str, Range], said: str) -> None:
    with pytest.raises(HandoverError, match=said):
        program_files(adjustable(**ranges))
    with pytest.raises(ValueError, match="must be below the highest"):
        Adjustable(candidate="Try", setting="X", lowest=2.0, highest=1.0, step=0.1)


def test_a_number_of_several_guards_in_a_table_is_not_offered() -> None:
    carried = cabinet()
    more = (*carried.project.rig.guards, Alarm(name="Cold", probe="Probe", at_degC=5.0))
    rig = with_fields(carried.project.rig, guards=more)
    other = Carried(with_fields(carried.project, rig=rig), carried.candidate, carried.trial)
    offered = [line.name for line in adjustable_lines(other)]
    assert "KP_PER_K" in offered
    assert not any("LEVEL_DEGC" in name for name in offered)
    assert "#define COLD_LEVEL_DEGC REAL(5.0)" in program_files(other)["settings.h"]


@gcc
@pytest.mark.skipif(bool(lacking("avr") or lacking_core()), reason=lacking("avr") or lacking_core())
def test_a_maker_board_with_adjustable_settings_and_a_name_compiles(tmp_path: Path) -> None:
    carried = adjustable("KP_PER_K", real="float")
    build_sketch(carried, tmp_path, {"unit.h": '#define UNIT_NAME "Left"\n'})
    assert b"Left" in (tmp_path / "program.elf").read_bytes()


def test_what_goes_with_the_files_names_what_is_stored_and_what_stays_adjustable() -> None:
    boards: dict[BoardName, str] = {"maker8": "set NAME VALUE", "linux": "`LINE` in `pins.py`"}
    for board, said in boards.items():
        language = BOARDS[board].language
        text = readme(adjustable("KP_PER_K", real="float"), board, date(2026, 11, 30), Scale.CELSIUS, language)
        assert "is stored at once: KP_PER_K." in text
        assert said in text
        assert "It stores nothing" not in text


def test_several_units_are_written_apart_with_name_and_address(tmp_path: Path) -> None:
    files = {"control.c": "x", "README.md": "y"}
    units = [Unit(name="Left one", address="0x21"), Unit(name="Right")]
    write_program(files, units, tmp_path / "all")
    assert sorted(each.name for each in (tmp_path / "all").iterdir()) == ["left-one", "right"]
    assert '#define UNIT_ADDRESS "0x21"' in (tmp_path / "all" / "left-one" / "unit.h").read_text()
    with pytest.raises(FileError, match="not empty"):
        write_program(files, units, tmp_path / "all")
    with pytest.raises(FileError, match="would have the folder"):
        write_program(files, [Unit(name="A b"), Unit(name="A  b")], tmp_path / "other")


def test_a_setting_from_which_more_follows_is_not_to_be_edited() -> None:
    """Of a fan, off below follows from its floor too: edited alone, it would be another fan than any that was tried."""
    project = random_project(3015)
    carried = Carried(project, project.candidates[0], project.first_trial)
    lines = {line.name: line for line in carried.lines()}
    assert not lines["D2_FLOOR"].edited
    assert "change it in Kelvarn" in lines["D2_FLOOR"].says
    assert "D2_FLOOR" not in [line.name for line in adjustable_lines(carried)]
    assert lines["D0_TOP"].edited
