"""The commands as a user runs them: output, exit codes, one line for every fault; the core without Qt."""

import csv
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.files.project_file import load, save
from kelvarn.model.edit import put, with_fields
from kelvarn.model.project import Project
from tests.campaigns.trials import random_project

from .commands import kelvarn, kelvarn_apart

ROOT = Path(__file__).parents[2]


@pytest.fixture
def saved(tmp_path: Path) -> Path:
    path = tmp_path / "cabinet.kelvarn"
    demo = cure_cabinet()
    save(demo.model_copy(update={"trials": demo.trials[:1]}), path)
    return path


def test_start_looks_for_files_where_the_user_is(saved: Path) -> None:
    if not (ROOT / ".venv").is_dir():
        pytest.skip("tests of an installed package have no .venv of ./start; it would be made anew, in minutes")
    done = subprocess.run(
        [str(ROOT / "start"), "check", saved.name], cwd=saved.parent, capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith(f"{saved.name} is sound")


def test_demo_without_a_window_writes_results_traces_and_pictures(tmp_path: Path) -> None:
    done = kelvarn_apart("demo", "--out", str(tmp_path / "out"))
    assert done.returncode == 0, done.stderr
    assert "Careful PID ★: 5 of 6 marks met" in done.stdout
    results = json.loads((tmp_path / "out" / "results.json").read_text())
    names = [run["candidate"] for run in results["runs"]]
    assert names == 2 * ["On/off ±1", "P", "Eager PI", "Careful PID"]
    assert (tmp_path / "out" / "cold-start-door-cold-night.png").read_bytes().startswith(b"\x89PNG")
    with (tmp_path / "out" / "cold-start-door-cold-night--careful-pid.csv").open() as stream:
        rows = list(csv.DictReader(stream))
    assert list(rows[0])[:5] == ["time_s", "setpoint_degC", "measured_degC", "drive", "power_W"]
    assert list(rows[0])[5:] == [
        "Heater mat_degC", "Air_degC", "Walls_degC", "Part_degC", "guard",
        "asked", "Mat_put_out", "Mat_W", "Probe_reads_degC",
    ]  # fmt: skip
    assert len(rows) == 7201
    assert float(rows[0]["Air_degC"]) == 19
    assert float(rows[-1]["time_s"]) == 14400


def test_run_json_has_the_keys_of_the_design_and_agrees_with_the_demo(saved: Path) -> None:
    done = kelvarn("run", str(saved), "--candidate", "Careful PID", "--json")
    assert done.returncode == 0
    [run] = json.loads(done.stdout)["runs"]
    wanted = {
        "overshoot_K", "overshoot_pct", "rise_s", "settling_s", "steady_error_K", "swing_K", "swing_period_s", "iae_Ks",
        "ise_K2s", "itae_Ks2", "energy_J", "mean_drive", "switch_ons_per_h", "shortest_on_s", "shortest_off_s",
        "time_at_limit_s", "travel", "hottest_degC", "windows",
    }  # fmt: skip
    assert wanted <= set(run["measures"])
    assert run["measures"]["settling_s"] == pytest.approx(1908, abs=2)
    assert set(run["marks"][0]) >= {"measure", "limit", "value", "met"}
    assert [w["name"] for w in run["measures"]["windows"]] == ["setpoint", "Door", "Cold night"]


def test_a_poor_terminal_and_a_closed_pipe_are_no_reason_to_fail(saved: Path) -> None:
    done = kelvarn_apart(
        "run", str(saved), LC_ALL="C", PYTHONUTF8="0", PYTHONCOERCECLOCALE="0", PYTHONIOENCODING="ascii"
    )
    assert done.returncode == 0, done.stderr
    assert "Careful PID ?: 5 of 6 marks met" in done.stdout
    assert kelvarn("--version").stdout.startswith("kelvarn ")
    closed = ["sh", "-c", f"{sys.executable} -m kelvarn run '{saved}' --candidate P >&-"]
    assert subprocess.run(closed, capture_output=True, text=True, timeout=120).stderr == ""


def test_a_refused_number_is_said_with_its_option(saved: Path) -> None:
    done = kelvarn("vary", str(saved), "--candidate", "P", "--count", "many")
    assert done.stderr == "kelvarn: --count should be a valid integer. “kelvarn --help” lists the commands.\n"
    assert kelvarn("vary").stderr == "kelvarn: Missing parameter: file. “kelvarn --help” lists the commands.\n"


def test_exit_codes(saved: Path, tmp_path: Path) -> None:
    assert kelvarn("run", str(saved)).returncode == 0
    assert kelvarn("run", str(saved), "--strict").returncode == 1
    assert kelvarn("check", str(saved)).stdout.startswith(f"{saved} is sound: “Cure cabinet”, 4 bodies")
    assert kelvarn("demos").stdout.startswith("cure-cabinet  ")
    (tmp_path / "bad.kelvarn").write_bytes(saved.read_bytes()[:300])
    (tmp_path / "file").write_text("")
    for arguments in (
        ("run",),
        ("run", "none.kelvarn"),
        ("run", str(saved), "--candidate", "Nobody"),
        ("run", str(saved), "--trial", "None"),
        ("run", str(saved), "--colour"),
        ("run", str(saved), "--out", str(tmp_path / "file")),
        ("check", str(tmp_path / "bad.kelvarn")),
        ("demo", "nothing"),
        ("frobnicate",),
        (str(saved),),
        (),
    ):
        done = kelvarn(*arguments)
        assert done.returncode == 2, arguments
        assert done.stdout == ""
        assert len(done.stderr.splitlines()) == 1, done.stderr
        assert done.stderr.startswith("kelvarn: ")


def test_core_and_commands_work_with_qt_blocked(saved: Path) -> None:
    code = (
        "import sys\n"
        "for name in ('PySide6', 'shiboken6', 'pyqtgraph'): sys.modules[name] = None\n"
        "sys.argv = ['kelvarn', 'run', sys.argv[1], '--json']\n"
        "from kelvarn.cli.app import main\nmain()\n"
    )
    done = subprocess.run([sys.executable, "-c", code, str(saved)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["runs"]


@pytest.mark.parametrize(
    ("module", "line"),
    [
        ("engine/run.py", "from kelvarn.files import tables"),
        ("model/rig.py", "import PySide6.QtCore"),
        ("files/journal.py", "from shiboken6 import isValid"),
        ("units.py", "def f():\n    from kelvarn.model import rig"),
    ],
)
def test_the_layer_contract_bites(module: str, line: str, tmp_path: Path) -> None:
    """One planted bad import each must break it."""
    package = tmp_path / "src" / "kelvarn"
    for source in (ROOT / "src" / "kelvarn").rglob("*.py"):
        target = package / source.relative_to(ROOT / "src" / "kelvarn")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(source.read_text())
    planted = package / module
    planted.write_text(f"{planted.read_text()}\n{line}\n")
    done = subprocess.run(
        [str(Path(sys.executable).with_name("lint-imports")), "--config", str(ROOT / "pyproject.toml"), "--no-cache"],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        env={**os.environ, "PYTHONPATH": str(tmp_path / "src")},
        check=False,
    )
    assert done.returncode == 1, done.stdout
    assert "BROKEN" in done.stdout


def test_step_prints_the_answer_and_its_reading(saved: Path) -> None:
    done = kelvarn("step", str(saved), "--drive", "50", "--json")
    found = json.loads(done.stdout)
    assert done.returncode == 0
    assert found["drive"] == 0.5
    assert found["reading"]["gain_K"] == pytest.approx(211.81, rel=1e-4)
    assert found["bodies_end_degC"]["Air"] == pytest.approx(19 + 0.5 * 211.8, rel=0.03)
    done = kelvarn("step", str(saved), "--from", "warm")
    assert "from warm" in done.stdout
    assert "time constant" in done.stdout


@pytest.mark.parametrize("wrong", [("--from", "hot"), ("--drive", "0"), ("--drive", "900"), ("--drive", "nan")])
def test_a_wrong_step_is_refused_in_one_line(saved: Path, wrong: tuple[str, str]) -> None:
    done = kelvarn("step", str(saved), *wrong)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.count("\n") == 1


def test_no_file_is_too_long_to_read() -> None:
    files = [path for folder in ("src", "tests", "benchmarks") for path in (ROOT / folder).rglob("*.py")]
    lines = {str(path.relative_to(ROOT)): len(path.read_text(encoding="utf-8").splitlines()) for path in files}
    assert {name: count for name, count in lines.items() if count >= 400} == {}


def test_why_says_what_a_measure_is_made_of(saved: Path) -> None:
    done = kelvarn("why", str(saved), "--candidate", "On/off ±1", "--json")
    assert (done.returncode, done.stderr) == (0, "")
    found = json.loads(done.stdout)
    assert found["measure"] == "overshoot_K"
    parts = sum(part["part"] or 0 for part in found["parts"])
    assert parts + found["together"] == pytest.approx(found["value"])
    assert {remedy["of"] for remedy in found["remedies"]} == {"control", "rig"}
    text = kelvarn("why", str(saved), "--candidate", "On/off ±1", "--measure", "recovery_s:Door")
    assert text.returncode == 0  # it never comes back for good, which can be asked about as well
    assert "Recovery: Door: never" in text.stdout
    for more, said in (
        (("--candidate", "Nobody"), "no candidate"),
        (("--candidate", "Careful PID", "--measure", "banana"), "not a measure"),
        (("--candidate", "Careful PID", "--measure", "recovery_s"), "recovery_s:Door"),
        (("--candidate", "Careful PID", "--measure", "recovery_s:Window"), "no event"),
        (("--candidate", "Careful PID", "--measure", "swing_K:Door"), "whole trial"),
        (("--candidate", "Careful PID", "--measure", "iae_Ks"), "can be asked about"),
    ):
        done = kelvarn("why", str(saved), *more)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), more
        assert said in done.stderr


def test_a_gain_map_is_printed_and_drawn(saved: Path, tmp_path: Path) -> None:
    quick = put(load(saved), ("trials", 0), with_fields(load(saved).first_trial, events=(), marks=(), duration_s=900.0))
    save(quick, tmp_path / "quick.kelvarn")
    of = ("map", str(tmp_path / "quick.kelvarn"), "--candidate", "Careful PID", "--x", "kp_per_K", "--measure")
    picture = tmp_path / "map.png"
    done = kelvarn_apart(*of, "hottest_degC:Air", "--y", "ti_s", "--json", "--out", str(picture))
    assert (done.returncode, done.stderr) == (0, "")
    found = json.loads(done.stdout)
    assert (len(found["grid"]), len(found["grid"][0])) == (len(found["y"]["points"]), len(found["x"]["points"]))
    assert found["x"]["setting"] == "kp_per_K"
    law = with_fields(quick.candidates[-1].controller, kp_per_K=found["x"]["points"][5], ti_s=found["y"]["points"][40])
    measured = measure(compute(quick.rig, law, quick.first_trial))
    assert found["grid"][40][5] == pytest.approx(measured.hottest_degC["Air"])
    assert picture.read_bytes().startswith(b"\x89PNG")
    for more, said in (
        (("overshoot_K", "--y", "kp_per_K"), "two different settings"),
        (("overshoot_K", "--y", "below_K"), "no setting of PID"),
        (("hottest_degC", "--y", "ti_s"), "hottest_degC:Heater mat"),
        (("recovery_s", "--y", "ti_s"), "has none"),
    ):
        done = kelvarn(*of, *more)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), more
        assert said in done.stderr


@pytest.mark.long
def test_a_display_that_does_not_answer_is_said_in_one_line(tmp_path: Path) -> None:
    project = cure_cabinet()
    path = tmp_path / "x.kelvarn"
    save(project, path)
    for display in (":4711", "nowhere.invalid:0", "localhost:99999", "nonsense"):
        done = kelvarn_apart(str(path), DISPLAY=display)
        assert (done.returncode, done.stdout) == (2, "")
        assert "There is no display to open a window on, or it does not answer" in done.stderr
        assert done.stderr.count("\n") == 1


def test_names_that_turn_text_round_are_shown_by_their_code(saved: Path) -> None:
    project = load(saved)
    odd = "P\u202e\u200b\u2066I"
    renamed = with_fields(project.candidates[0], name=odd)
    save(with_fields(project, candidates=(renamed,), chosen=odd), saved)
    for arguments in ((), ("--json",)):
        done = kelvarn("run", str(saved), *arguments)
        assert done.returncode == 0, done.stderr
        assert "P\\u202e\\u200b\\u2066I" in done.stdout
        assert not set("\u202e\u200b\u2066") & set(done.stdout)
    assert json.loads(done.stdout)["runs"][0]["candidate"] == odd


def test_what_goes_with_the_machine_is_written(tmp_path: Path) -> None:
    assert kelvarn("demo", "wax-pot", "--out", str(tmp_path / "out")).returncode == 0
    file = str(tmp_path / "out" / "wax-pot.kelvarn")
    law = load(Path(file)).candidates[0].name
    for what, name, holds in (("sheet", "s.html", "Open before power"), ("user", "u.html", "Stop and unplug"),
                              ("settings", "s.json", '"setpoint_degC"')):  # fmt: skip
        found = kelvarn("handover", file, "--candidate", law, "--for", what, "--out", str(tmp_path / name))
        assert found.returncode == 0, found.stderr
        text = (tmp_path / name).read_text(encoding="utf-8")
        assert holds in text
        assert "not tried" not in text or what != "user"
    again = kelvarn("handover", file, "--candidate", law, "--out", str(tmp_path / "s.html"))
    assert (again.returncode, "--force" in again.stderr) == (2, True)
    made = tmp_path / "program"
    for again in (False, True):  # never into a folder with something in it
        done = kelvarn("handover", file, "--candidate", law, "--for", "c99", "--out", str(made))
        assert done.returncode == (2 if again else 0), done.stderr
        assert ("not empty" in done.stderr) == again
    assert "the only file to edit" in (made / "settings.h").read_text(encoding="utf-8").replace("The only", "the only")
    assert "## Cases to try by hand" in (made / "README.md").read_text(encoding="utf-8")
    with_valve = tmp_path / "valve.kelvarn"  # what cannot be carried over is one sentence, and no traceback
    save(next(project for seed in range(1, 200) if has_valve(project := random_project(seed))), with_valve)
    for asked in (
        ("handover", str(with_valve), "--for", "c99", "--out", str(tmp_path / "no")),
        ("prove", str(with_valve)),
    ):
        refused = kelvarn(*asked, "--candidate", "x")
        assert (refused.returncode, "valve" in refused.stderr) == (2, True), refused.stderr
    for wrong, said in ((("--for", "nonsense"), "nonsense"), (("--candidate", "Nobody"), "Nobody")):
        refused = kelvarn("handover", file, *wrong, "--out", str(tmp_path / "x.html"))
        assert (refused.returncode, said in refused.stderr) == (2, True)


def has_valve(project: Project) -> bool:
    return any(drive.kind == "valve" for drive in project.rig.drives)
