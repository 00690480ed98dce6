"""Logs whose shape once misled: rows of changes only, odd clocks, small units, error signs, a value a row."""

import json
import math
from collections.abc import Callable, Iterable
from datetime import datetime, timedelta

import numpy as np
import pytest

from kelvarn.files.logs.reader import open_log, read_log
from kelvarn.model.log_data import LogData

EVERY_S = 20
T = np.arange(600) * EVERY_S
Y = np.round(20 + 45 * (1 - np.exp(-np.maximum(T - 1500, 0) / 2000)) + 0.03 * np.sin(7.0 * T), 2)
ON = T >= 1500
ROWS = range(T.size)
BEGUN = datetime(2026, 5, 5, 10, 20)


def read(lines: Iterable[str], *, asked: bool = False) -> LogData:
    found = open_log("\n".join(lines).encode(), "x.csv")
    assert bool(found.guess.doubts) is asked, [doubt.text for doubt in found.guess.doubts]
    return read_log(found.log)


def check(data: LogData, rows: slice = slice(None)) -> None:
    t = T[rows] - T[rows][0]
    assert data.time_s == pytest.approx(t, abs=0.01)
    assert data.measured_degC == pytest.approx(Y[rows], abs=0.051)
    assert data.drive is not None
    assert data.drive.tolist() == ON[rows].astype(float).tolist()


def table(when: Callable[[int], object], heat: Callable[[int], object] = lambda k: Y[k], head: str = "time,temp,heater",
          rows: Iterable[int] = ROWS) -> list[str]:  # fmt: skip
    return [head, *(f"{when(k)},{heat(k)},{'on' if ON[k] else 'off'}" for k in rows)]


def local(k: int, begun: datetime = BEGUN, how: str = "%Y-%m-%d %H:%M:%S") -> str:
    return (begun + timedelta(seconds=int(T[k]))).strftime(how)


def test_a_drive_that_changes_in_a_row_of_its_own_changes_there() -> None:
    rows = ["time_s,temp,heater", "0,,off"]
    rows += [f"{t + 7},{y}," for t, y, k in zip(T, Y, ROWS, strict=True) if k % 5 == 0]
    rows.insert(2 + (1500 // 100), "1500,,on")
    data = read(rows)
    assert data.drive is not None
    assert data.time_s[np.argmax(data.drive > 0)] == 1500 - 7  # counted from the first temperature
    assert np.interp(1493, data.time_s, data.measured_degC) == pytest.approx(20, abs=0.1)
    assert data.faults.counts["with a change of the drive only; its temperature is between its neighbours'"] == 1


@pytest.mark.parametrize("when", [local, lambda k: local(k, how="%H:%M:%S"), lambda k: 1_700_000_000 + T[k]])
def test_newest_first_is_turned_round(when: Callable[[int], object]) -> None:
    check(read(table(when, rows=ROWS[::-1])))


def test_a_local_clock_that_is_put_back_and_on_an_hour_does_not_move_the_rows() -> None:
    autumn = datetime(2026, 10, 25, 1, 0)
    check(read(table(lambda k: local(k, autumn if T[k] < 7200 else autumn - timedelta(hours=1)))))
    spring = datetime(2026, 3, 29, 0, 30)
    check(read(table(lambda k: local(k, spring if T[k] < 5400 else spring + timedelta(hours=1)))))
    a_gap = datetime(2026, 3, 24, 0, 30)  # no Sunday: an hour without rows
    data = read(table(lambda k: local(k, a_gap if T[k] < 5400 else a_gap + timedelta(hours=1))))
    assert data.duration_s == T[-1] + 3600


def test_a_clock_of_twelve_hours_goes_on_past_twelve() -> None:
    check(read(table(lambda k: local(k, how="%I:%M:%S").lstrip("0"))))


def test_rows_of_before_the_clock_was_set_are_left_out_and_said() -> None:
    data = read(table(lambda k: local(k, datetime(1970, 1, 1) if k < 9 else BEGUN)))
    check(data, slice(9, None))
    assert data.faults.counts["of before the clock was set"] == 9


@pytest.mark.parametrize(
    "when",
    [
        lambda k: f"{1_700_000_000_000_000_000 + int(T[k]) * 10**9}",
        lambda k: f"{1_700_000_000_000_000 + int(T[k]) * 10**6}",
        lambda k: (
            f"{(T[k] + 82800) // 86400} days {(T[k] // 3600 + 23) % 24:02d}:{T[k] // 60 % 60:02d}:{T[k] % 60:02d}"
        ),
        lambda k: f"{T[k] // 3600}h{T[k] // 60 % 60:02d}m{T[k] % 60:02d}s",
        lambda k: f"PT{T[k] // 3600}H{T[k] // 60 % 60}M{T[k] % 60}S",
        lambda k: local(k, datetime(1, 1, 1)).zfill(19),
    ],
    ids=["ns", "us", "days", "hms", "iso", "year 1"],
)
def test_instants_are_read(when: Callable[[int], object]) -> None:
    check(read(table(when)))


@pytest.mark.parametrize(
    ("name", "heat"),
    [
        ("temp_x10", lambda k: round(10 * Y[k])),
        ("temp (0.1 °C)", lambda k: round(10 * Y[k])),
        ("temp_cC", lambda k: round(100 * Y[k])),
        ("thermal_zone0", lambda k: round(1000 * Y[k])),
        ("temp_mK", lambda k: round(1000 * (Y[k] + 273.15))),
    ],
)
def test_small_units_are_read_by_their_name(name: str, heat: Callable[[int], object]) -> None:
    check(read(table(lambda k: T[k], heat, f"time_s,{name},heater")))


@pytest.mark.parametrize("sign", ["85.00", "0.00", "3276.7", "71.3"])
def test_signs_of_errors_are_no_temperatures(sign: str) -> None:
    data = read(table(lambda k: T[k], lambda k: sign if k % 97 == 13 else Y[k], "time_s,temp,heater"))
    assert data.measured_degC.max() < 66
    assert data.measured_degC.min() > 19.5
    assert data.faults.counts["with a temperature that is a probe's sign of an error"] == 7


def test_what_only_passes_through_a_sign_stays() -> None:
    data = read(table(lambda k: T[k], lambda k: round(Y[k] + 25, 1), "time_s,temp_C,heater"))
    assert data.measured_degC.size == T.size


@pytest.mark.parametrize(
    "line",
    [
        lambda k, on: f"{T[k]} Temperature {Y[k]} Heater {on}",
        lambda k, on: f"[{local(k)}] Temp: {Y[k]} C Heater: {on}",
        lambda k, on: f"{local(k, how='%b %e %H:%M:%S')} board heat[4]: temp={Y[k]} heater={on}",
        lambda k, on: f"ts={local(k, how='%Y-%m-%dT%H:%M:%SZ')} level=info temp={Y[k]} heater={on} n={k % 7}",
        lambda k, on: json.dumps({"ts": 1_700_000_000_000 + int(T[k]) * 1000,
                                  "at": {"oven": {"temperature": Y[k]}}, "heater": {"state": on}}),
    ],
    ids=["words between", "stamped", "system log", "logfmt", "nested"],
)  # fmt: skip
def test_lines_that_bring_their_names_are_read(line: Callable[[int, str], str]) -> None:
    found = open_log("\n".join(line(k, "on" if ON[k] else "off") for k in ROWS).encode(), "x.log")
    check(read_log(found.log))


def test_a_value_a_row_is_put_together_by_its_names() -> None:
    rows = ["last_changed,entity,state"]
    for k in ROWS:
        if k == 0 or ON[k] != ON[k - 1]:
            rows.append(f"{local(k)},switch.heater,{'on' if ON[k] else 'off'}")
        rows.append(f"{local(k)},sensor.oven_temperature,{Y[k]}")
    rows.append(f"{local(599)},switch.heater,on")
    check(read(rows))


def test_words_for_on_that_nobody_knows_are_asked_about() -> None:
    rows = ["time_s,temp,heater", *(f"{T[k]},{Y[k]},{'brr' if ON[k] and k % 100 > 5 else 'tsk'}" for k in ROWS)]
    found = open_log("\n".join(rows).encode(), "x.csv")
    [doubt] = found.guess.doubts
    assert "“brr” is taken for on" in doubt.text
    drive = read_log(found.log).drive
    assert drive is not None
    assert drive.max() == 1.0
    assert math.isclose(drive.mean(), np.mean([ON[k] and k % 100 > 5 for k in ROWS]))
