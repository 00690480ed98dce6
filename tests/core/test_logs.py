"""Logs of any board: how they are laid out, what their columns are, which rows count."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.demos import DEMOS
from kelvarn.files.faults import FileError
from kelvarn.files.logs.cells import clock_s, date_time
from kelvarn.files.logs.made import log_of_run
from kelvarn.files.logs.otherwise import with_form, with_role
from kelvarn.files.logs.reader import Opened, look_again, open_log, open_path, read_log, rows_at
from kelvarn.files.logs.text import MOST_BYTES
from kelvarn.model.edit import with_fields
from kelvarn.model.kept_run import KeptRun
from kelvarn.model.log import FORMS, Log, LogColumn
from kelvarn.model.log_data import LogData

from .foreign import Foreign, foreign_files, is_right

FILES = foreign_files()


def opened(text: str, name: str = "log.csv") -> Opened:
    return open_log(text.encode(), name)


def read(text: str) -> LogData:
    return read_log(opened(text).log)


def roles(found: Opened) -> list[tuple[str, str]]:
    return [(column.role, column.form) for column in found.log.reading.columns]


def rows(count: int = 40, every: float = 2.0) -> list[tuple[float, float, int]]:
    return [(every * k, round(20 + 0.3 * max(k - 5, 0), 2), 100 if k >= 5 else 0) for k in range(count)]


def table(head: str = "time_s,temp_C,duty_%", line: str = "{0:.1f},{1},{2}", count: int = 40) -> str:
    return "\n".join([head, *(line.format(*row) for row in rows(count))]) + "\n"


# Shapes


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.name)
def test_foreign_file_is_read_for_what_it_says(file: Foreign) -> None:
    found = open_log(file.raw, f"{file.name}.csv")
    data = read_log(found.log)
    right = is_right(file, data.time_s, data.measured_degC, data.drive)
    assert right, (roles(found), found.guess.doubts)


def test_there_are_sixty_shapes_and_each_column_has_a_reason() -> None:
    assert len(FILES) == 60
    for file in FILES:
        found = open_log(file.raw, "x.csv")
        assert len(found.guess.why) == len(found.log.reading.columns)
        assert all(found.guess.why)


@pytest.mark.parametrize(
    ("head", "line", "about"),
    [
        ("ticks,temp_C,duty_%", "{0:.0f},{1},{2}", "seconds or milliseconds"),
        ("time_s,temp_C,duty", "{0:.1f},{1},45", ""),
        ("time_s,oven,duty_%", "{0:.1f},{3:.1f},{2}", "°F"),
        ("time_s,temp_C,duty_%", "{0:.1f},{4:.2f},{2}", "kelvin"),
        ("time_s,temp_C,duty_%", "{0:.1f},{1},{5}", "says %"),
    ],
)
def test_what_cannot_be_told_is_in_doubt_and_one_way_of_the_doubt_is_right(head: str, line: str, about: str) -> None:
    made = [line.format(t, y, u, y * 1.8 + 32, y + 273.15, 2 * u) for t, y, u in rows()]
    found = opened("\n".join([head, *made]))
    doubts = [doubt for doubt in found.guess.doubts if about in doubt.text]
    assert doubts
    assert all(len(doubt.choices) >= 2 for doubt in doubts)
    for _, reading in doubts[0].choices:
        read_log(with_fields(found.log, reading=reading))  # each way can be read


def test_dates_say_whether_day_or_month_comes_first_or_are_in_doubt() -> None:
    days = [f"{day:02d}/03/2026 12:00:00,{20 + day},{50 * (day % 2)}" for day in range(1, 29)]
    found = opened("\n".join(["date,temp_C,duty_%", *days]))
    assert found.log.reading.day_first
    assert read_log(found.log).duration_s == pytest.approx(27 * 86400)
    few = opened("\n".join(["date,temp_C,duty_%", *days[:10]]))
    assert any("day or the month" in doubt.text for doubt in few.guess.doubts)


@pytest.mark.parametrize(
    ("head", "line", "wanted"),
    [
        ("t;a0;p", "{0:.0f};{1};{3}", ["time", "temperature", "drive"]),  # one letter is no name
        ("time_s,state,temp_C,out", "{0:.1f},RUN,{1},{4}", ["time", "left_out", "temperature", "drive"]),
        ("time_s,heap,probe 3,y", "{0:.1f},{5},{1},{4}", ["time", "left_out", "temperature", "drive"]),
        ("uptime\tstate\treading\tfan duty", "{0:.0f},0\tRUN\t{6}\t{4}", ["time", "left_out", "temperature", "drive"]),
        (
            "time_s,target duty %,T_out,bean temp",
            "{0:.1f},{2},21.5,{1}",
            ["time", "drive", "surroundings", "temperature"],
        ),
        ("loop;s;x", "{7};{0:.1f};{1}", ["left_out", "time", "temperature"]),
    ],
)
def test_columns_that_were_guessed_wrongly_once(head: str, line: str, wanted: list[str]) -> None:
    made = [
        line.format(
            t, y, u, 255 if u else 0, "on" if u else "off", 21000 - 8 * (k % 7), f"{y:.2f}".replace(".", ","), k
        )
        for k, (t, y, u) in enumerate(rows(80))
    ]
    assert [role for role, _ in roles(opened("\n".join([head, *made])))] == wanted


def test_a_share_that_calls_itself_per_cent_is_in_doubt() -> None:
    found = opened("\n".join(["time_s,temp_C,duty_%", *(f"{t},{y},{u / 100}" for t, y, u in rows())]))
    assert ("drive", "share") in roles(found)
    assert any("says %" in doubt.text for doubt in found.guess.doubts)


@pytest.mark.parametrize(
    ("cell", "seconds"),
    [("12:05 AM", 300), ("12:05 PM", 43500), ("1:00:30 pm", 46830), ("23:59:59,5", 86399.5), ("0:00:01", 1)],
)
def test_times_of_day_are_read_with_and_without_halves(cell: str, seconds: float) -> None:
    assert clock_s(cell) == seconds


def test_zones_are_moved_to_one_clock() -> None:
    at = [
        date_time(text, day_first=True)
        for text in ("2026-03-04T12:00:00+02:00", "2026-03-04 10:00:00Z", "4.3.2026 10:00:00")
    ]
    assert at[0] == at[1] == at[2]
    assert date_time("31.02.2026 10:00", day_first=True) is None


def test_counts_go_through_the_converter() -> None:
    found = opened("\n".join(["s,raw,duty_%", *(f"{k}.5,{612 - k},{100 * (k > 4)}" for k in range(40))]))
    assert ("temperature", "counts") in roles(found)
    log = found.log
    other = with_fields(log.reading, converter=with_fields(log.reading.converter, beta_K=3000.0))
    at = read_log(log).measured_degC, read_log(with_fields(log, reading=other)).measured_degC
    assert not np.allclose(*at)
    counts, full = 612.0, log.reading.full_counts
    ohm = 10_000 * counts / (full - counts)
    assert at[0][0] == pytest.approx(1 / (1 / 298.15 + np.log(ohm / 10_000) / 3950) - 273.15)


# Rows that need care


def test_rows_are_counted_by_what_is_the_matter_and_skipped_by_rule() -> None:
    lines = table().splitlines()
    lines[10] = "18.0,,100"  # no reading
    lines[12] = "22.0,-127,100"  # nothing there
    lines[14] = ",22.4,100"  # no time
    lines[16] = "30.0,23.0"  # too few
    lines.insert(21, lines[20])  # twice
    data = read("\n".join(lines))
    assert data.faults.counts == {
        "with too few or too many fields": 1,
        "without a reading": 2,
        "without a time": 1,
        "with a repeated time (last row used)": 1,
    }
    assert data.faults.skipped == 5
    assert data.time_s.size == 41 - 5
    assert [bad.row for bad in data.faults.first] == [11, 13, 15, 17, 21]
    assert "5 of 41 rows need care" in data.faults.text


def test_of_two_rows_at_one_instant_the_last_counts() -> None:
    lines = table().splitlines()
    lines.insert(21, lines[20].replace(lines[20].split(",")[1], "99.5"))
    assert read("\n".join(lines)).measured_degC[19] == 99.5


def test_rows_in_disorder_are_sorted_and_said() -> None:
    lines = table().splitlines()
    lines[7], lines[8] = lines[8], lines[7]
    data = read("\n".join(lines))
    assert (np.diff(data.time_s) > 0).all()
    assert data.faults.counts == {"out of order, sorted": 1}


def test_a_board_that_began_anew_leaves_its_longest_stretch() -> None:
    lines = table().splitlines()
    data = read("\n".join([*lines[:15], *lines[1:]]))
    assert data.time_s.size == 40
    assert data.faults.counts == {"of another start of the board": 14}


def test_a_clock_that_is_coarser_than_the_rows_is_spread_evenly() -> None:
    made = [f"12:00:{k // 4:02d},{20 + k / 10},{100 * (k > 8)}" for k in range(60)]
    data = read("\n".join(["time,temp_C,duty_%", *made]))
    assert data.time_s.size == 60
    assert np.diff(data.time_s) == pytest.approx(0.25)


def test_a_missing_drive_stays_what_it_was() -> None:
    lines = table().splitlines()
    lines[20] = lines[20].rsplit(",", 1)[0] + ","
    data = read("\n".join(lines))
    assert data.drive is not None
    assert data.drive[19] == 1.0
    assert data.faults.counts == {"without a drive, which stays as it was": 1}


def test_notes_of_the_file_stand_at_their_moments() -> None:
    lines = ["time_s,temp_C,duty_%,status"]
    lines += [f"{t},{y},{u},{'door' if 30 <= t < 36 else 'OK'}" for t, y, u in rows()]
    assert read("\n".join(lines)).said == ((30.0, "door"),)


def test_bad_rows_can_be_shown_as_they_stand_in_the_file() -> None:
    lines = table().splitlines()
    lines[10] = "18.0,,100"
    log = opened("\n".join(lines)).log
    bad = read_log(log).faults.first[0]
    assert rows_at(log, [bad.row]) == [(11, ["18.0", "", "100"])]


# What a click does


def test_a_column_can_be_taken_for_something_else_and_of_most_roles_there_is_one() -> None:
    found = opened("\n".join(["time_s,temp_C,a,duty_%", *(f"{t},{y},{y / 2},{u}" for t, y, u in rows())]))
    changed = with_role(found.log.reading, 2, "drive")
    assert [column.role for column in changed.columns] == ["time", "temperature", "drive", "left_out"]
    fitted = with_role(found.log.reading, 2, "temperature")
    assert [column.role for column in fitted.columns][1:3] == ["left_out", "temperature"]
    as_f = with_form(found.log.reading, 1, "degF")
    data = read_log(with_fields(found.log, reading=as_f))
    assert data.measured_degC[0] == pytest.approx((20 - 32) / 1.8)


def test_every_role_has_forms_and_no_other_form_is_taken() -> None:
    for role, forms in FORMS.items():
        for form in forms:
            LogColumn(role=role, form=form)
        wrong = "degC" if "degC" not in forms else "percent"
        with pytest.raises(ValueError, match="cannot be"):
            LogColumn(role=role, form=wrong)  # type: ignore[arg-type]


def test_a_kept_run_is_a_log_like_any_other() -> None:
    from kelvarn.model.on_off import OnOff
    from kelvarn.model.trial import Plan, SetpointChange, Trial

    trial = Trial(name="T", duration_s=20, plan=Plan(changes=(SetpointChange(at_s=0, to_degC=50),)))
    run = KeptRun(name="Kept", controller=OnOff(), trial=trial, every_s=2.0, degC=(20.0, 21.5, 23.0),
                  setpoint_degC=(50.0, 50.0, 50.0), drive=(0.0, 1.0, 1.0))  # fmt: skip
    log = log_of_run(run, ["Kept"])
    data = read_log(log)
    assert log.name == "Kept 2"
    assert data.measured_degC.tolist() == [20.0, 21.5, 23.0]
    assert data.drive is not None
    assert data.drive.tolist() == [0.0, 1.0, 1.0]
    assert look_again(log).guess.reading.columns == log.reading.columns


# What is refused


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "is empty"),
        (b"\n\n  \n", "is empty"),
        (bytes(range(256)) * 30, "is no text"),
        (b"time,temp,duty\n", "no rows of values"),
        (b"a,b\nc,d\ne,f\n", "no numbers"),
        (b"t,temp,duty\n" + b"".join(b"%d,2%d,5,1%d,0\n" % (k, k % 9, k % 9) for k in range(30)), "commas"),
        (b"time_s,temp_C,duty\n1,20,30\n", "rows"),
        (b"x" * 30_000 + b"\n1,2,3\n", "line of more than"),
        (
            b"a;b\n1;2\n" + b"".join(b"%d" % k + b",1" * (k % 5 + 1) + b"\n" for k in range(30)),
            "different numbers of fields",
        ),
        (b"20.1\n20.2\n20.4\n20.9\n", "time column"),
    ],
)
def test_what_is_no_log_is_refused_in_one_sentence(raw: bytes, says: str) -> None:
    with pytest.raises(FileError) as caught:
        read_log(open_log(raw, "x.csv").log)
    text = str(caught.value)
    assert says in text
    assert "\n" not in text
    assert len(text) < 300


def test_a_file_larger_than_any_log_is_refused_before_it_is_read(tmp_path: Path) -> None:
    path = tmp_path / "huge.csv"
    with path.open("wb") as stream:
        stream.truncate(4 * 1024**3)  # a hole: it takes no room
    with pytest.raises(FileError, match=r"4,295 MB; a log may have"):
        open_path(path)
    with pytest.raises(FileError, match="a log may have"):
        open_log(b"1" * (MOST_BYTES + 1), "x.csv")


@pytest.mark.parametrize("name", [".", "missing.csv"])
def test_a_path_that_is_no_file_is_refused(tmp_path: Path, name: str) -> None:
    with pytest.raises(FileError):
        open_path(tmp_path / name)


_SPOILS = [b"", b"nan", b",", b'"', b"\n", b"\x00", b"1e999", b"\xff", b"-"]


@pytest.mark.long
@settings(max_examples=150, deadline=None)
@given(
    st.integers(0, len(FILES) - 1),
        st.lists(st.tuples(st.integers(0, 30_000), st.sampled_from(_SPOILS)), min_size=1, max_size=12),
)  # fmt: skip
def test_a_spoilt_file_is_read_or_refused_and_never_gives_nonsense(which: int, cuts: list[tuple[int, bytes]]) -> None:
    raw = bytearray(FILES[which].raw)
    for at, put in cuts:
        at %= len(raw)
        raw[at : at + len(put) + 1] = put
    try:
        data = read_log(open_log(bytes(raw), "x.csv").log)
    except FileError:
        return
    assert np.isfinite(data.time_s).all()
    assert (np.diff(data.time_s) >= 0).all()
    assert np.isfinite(data.measured_degC).all()
    assert data.drive is None or (np.abs(data.drive) <= 1).all()


# In the project


def test_demo_logs_are_read_without_a_doubt_left() -> None:
    for demo in DEMOS:
        for log in demo.build().logs:
            data = read_log(log)
            assert data.drive is not None
            assert data.time_s.size > 500
            assert data.faults.skipped < 5


def test_a_log_is_no_part_of_the_document_but_tells_logs_apart() -> None:
    one = opened(table()).log
    other = with_fields(one, raw=one.raw + b"80.0,30,100\n")
    assert one != other
    assert "raw" not in json.loads(one.model_dump_json())
    assert isinstance(one, Log)
