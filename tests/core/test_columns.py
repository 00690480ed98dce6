"""Columns that were once taken for something else without a doubt: setpoints, unnamed curves, words for on and off."""

import math
from collections.abc import Sequence

import pytest

from kelvarn.files.logs.reader import Opened, open_log, read_log


def looked_at(heads: str, *columns: Sequence[object]) -> Opened:
    rows = [",".join(map(str, row)) for row in zip(*columns, strict=True)]
    return open_log("\n".join([heads, *rows]).encode(), "x.csv")


TIMES = [5 * k for k in range(200)]
HEATED = [round(20 + 50 * (1 - math.exp(-max(t - 100, 0) / 300)) + 0.03 * math.sin(7 * t), 2) for t in TIMES]
DUTY = [0 if t < 100 else 60 for t in TIMES]


@pytest.mark.parametrize("name", ["SV", "WSP", "setval", "w", "cmd_temp", "nominal", "Sollwert", "consigne"])
def test_a_setpoint_of_any_name_is_neither_temperature_nor_drive(name: str) -> None:
    wanted = [45 if t < 500 else 60 for t in TIMES]
    found = looked_at(f"time_s,{name},PV,out_%", TIMES, wanted, HEATED, DUTY)
    assert [column.role for column in found.log.reading.columns] == ["time", "setpoint", "temperature", "drive"]


def test_what_only_its_values_tell_does_not_stand_before_a_named_temperature() -> None:
    smooth = [round(30 + 10 * math.sin(t / 300), 2) for t in TIMES]
    found = looked_at("time_s,x1,temperature,duty_%", TIMES, smooth, HEATED, DUTY)
    assert read_log(found.log).measured_degC[-1] == HEATED[-1]
    both = looked_at("time_s,temp_air,temp_plate,duty_%", TIMES, HEATED, smooth, DUTY)
    [doubt] = [each for each in both.guess.doubts if "Several columns may be temperatures" in each.text]
    assert [label for label, _ in doubt.choices] == ["fit “temp_air”", "fit “temp_plate”"]


@pytest.mark.parametrize(
    ("on", "off"),
    [("AN", "AUS"), ("marche", "arrêt"), ("encendido", "apagado"), ("acceso", "spento"), ("aan", "uit"), ("på", "av")],
)
def test_on_and_off_are_read_in_several_languages(on: str, off: str) -> None:
    found = looked_at("time_s,temp,heater", TIMES, HEATED, [on if duty else off for duty in DUTY])
    drive = read_log(found.log).drive
    assert drive is not None
    assert drive.tolist() == [float(duty > 0) for duty in DUTY]
