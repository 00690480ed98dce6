"""What all commands share: one schema for their JSON, progress on a terminal, wrong use refused before all else."""

import json
import shutil
from pathlib import Path

import jsonschema
import pytest

from kelvarn.cli.results_schema import results_schema
from kelvarn.demos import find_demo
from kelvarn.files.project_file import load, save
from kelvarn.files.tables import own_key
from kelvarn.model.edit import put, with_fields
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.studies.results import result_of

from .commands import kelvarn, kelvarn_apart

ROOT = Path(__file__).parents[2]


def quick(project: Project, duration_s: float) -> Project:
    """It with its first trial alone, which is short and without events, and two candidates."""
    trial = project.first_trial
    plan = with_fields(trial.plan, changes=trial.plan.changes[:1])
    short = with_fields(trial, events=(), duration_s=duration_s, plan=plan, marks=trial.marks[:1])
    chosen = project.candidates[-1].name
    return with_fields(project, trials=(short,), candidates=project.candidates[-2:], chosen=chosen, kept=(), logs=())


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("results")
    cabinet = find_demo("cure-cabinet").build()
    for log in cabinet.logs:
        (folder / log.file).write_bytes(log.raw)
    save(cabinet, folder / "whole.kelvarn")
    save(quick(cabinet, 3600.0), folder / "x.kelvarn")
    return folder


COMMANDS = (
    "run x.kelvarn", "step x.kelvarn", "tune x.kelvarn", "tune --gain 80 --lag 600 --delay 100", "suggest x.kelvarn",
    "why x.kelvarn --chosen --measure overshoot_K", "failures x.kelvarn --chosen", "vary x.kelvarn --chosen --count 8",
    "map x.kelvarn --chosen --x kp_per_K --y ti_s --measure rise_s", "read cabinet-cold.csv", "fit cabinet-cold.csv",
    "fit cabinet-warm.csv --model whole.kelvarn", "compare whole.kelvarn cabinet-three-weeks-later.csv",
)  # fmt: skip


@pytest.mark.parametrize("command", COMMANDS)
def test_what_a_command_prints_is_as_the_schema_says(
    command: str, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(folder)
    done = kelvarn(*command.split(), "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    jsonschema.Draft202012Validator(results_schema()).validate(found)
    assert found["command"] == command.split()[0]
    of_project = "x.kelvarn" in command or found["command"] == "compare"
    assert (found["project"] == "Cure cabinet") == of_project
    assert (found["fingerprint"] is not None) == of_project


def test_of_another_quantity_keys_end_in_its_unit(tmp_path: Path) -> None:
    project = quick(find_demo("cure-cabinet").build(), 3600.0)
    model = ResponseModel(name="Box", kind="one_lag", gain_K=40.0, lag_s=300.0, unit="% RH")
    drive = project.rig.drives[0]
    rig = with_fields(
        project.rig, bodies=(), links=(), response=model, guards=(), permits=(), goal=None, draw_offs=(),
        drives=(put(drive, ("body",), "Box"),), probes=(put(project.rig.probe, ("body",), "Box"),), set_aside=(),
    )  # fmt: skip
    save(with_fields(project, rig=rig), tmp_path / "x.kelvarn")
    done = kelvarn("run", tmp_path / "x.kelvarn", "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    jsonschema.Draft202012Validator(results_schema("pct_RH")).validate(found)
    assert own_key("overshoot_K", "pct_RH") in found["runs"][0]["measures"]


def test_the_schemas_in_the_documents_are_those_that_are_printed() -> None:
    for name, more in (("project", ()), ("results", ("--results",))):
        assert (ROOT / "docs" / f"{name}.schema.json").read_text() == kelvarn("schema", *more).stdout


def test_what_takes_long_is_told_on_a_terminal_alone(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kelvarn.cli.common._QUIET_S", 0.0)
    monkeypatch.setattr("kelvarn.cli.common._TELLS_S", 0.0)
    asked = ("failures", folder / "x.kelvarn", "--chosen")
    shown, piped = kelvarn(*asked, terminal=True), kelvarn(*asked)
    assert shown.stdout == piped.stdout
    assert piped.stderr == ""
    steps = [line.strip() for line in shown.stderr.split("\r") if line.strip()]
    assert len(steps) > 3
    assert all(line.startswith("trying failures: ") and line.endswith("%") for line in steps)
    assert shown.stderr.endswith("\r")  # it is wiped away


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        ("run x.kelvarn --strict", "--strict needs marks"),
        ("run x.kelvarn --chosen --candidate Nobody", "not both"),
        ("failures x.kelvarn", "give --chosen; there are: Bare PID"),
        ("failures x.kelvarn --chosen", "No candidate of “Bare” is chosen"),
        ("map x.kelvarn --candidate BarePID --x kp_per_K --y ti_s --measure overshoot_K", "there are: Bare PID"),
        ("fit log.csv --skip 9-3", "--skip 9-3 is no span"),
        ("fit log.csv --skip morning", "write where it begins and ends"),
        ("runs x.kelvarn", "did you mean “kelvarn run”?"),
        ("frobnicate", "“kelvarn --help” lists the commands"),
    ],
)
def test_wrong_use_is_refused_before_anything_runs(
    arguments: str, says: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    bare = quick(find_demo("cure-cabinet").build(), 3600.0)
    bare = put(put(with_fields(bare, chosen=None, name="Bare"), ("trials", 0, "marks"), ()), ("notes",), "")
    save(put(bare, ("candidates", 0, "name"), "Bare PID"), tmp_path / "x.kelvarn")
    (tmp_path / "log.csv").write_bytes(find_demo("cure-cabinet").build().logs[0].raw)
    monkeypatch.setattr("kelvarn.engine.run.run_loop.many", lambda *_: pytest.fail("something was run"))
    done = kelvarn(*arguments.split())
    assert (done.returncode, done.stdout) == (2, "")
    assert says in done.stderr
    assert len([line for line in done.stderr.splitlines() if line.startswith("kelvarn: ")]) == 1


def test_spans_of_a_log_are_left_out(folder: Path) -> None:
    log = folder / "cabinet-cold.csv"
    whole, less = (
        json.loads(kelvarn("fit", log, "--json", *more).stdout) for more in ((), ("--skip", "0:30:00-1:00:00"))
    )
    assert whole["gain_K"] != less["gain_K"]
    assert less["gain_K"] == pytest.approx(whole["gain_K"], rel=0.25)


def test_a_shell_can_complete_commands() -> None:
    done = kelvarn_apart(_KELVARN_COMPLETE="complete_bash", COMP_WORDS="kelvarn fai", COMP_CWORD="1")
    assert done.stdout.split() == ["failures"]


@pytest.mark.long
def test_where_a_map_says_that_all_marks_are_met_a_run_meets_them(folder: Path) -> None:
    asked = ("map", folder / "x.kelvarn", "--chosen", "--x", "kp_per_K", "--y", "ti_s", "--measure", "overshoot_K")
    found = json.loads(kelvarn(*asked, "--json").stdout)
    project, met = load(folder / "x.kelvarn"), found["met_grid"]
    law = project.candidate(project.chosen or "").controller
    across, up = found["x"]["points"], found["y"]["points"]
    apart = [(i, j) for j in range(len(up)) for i in range(len(across)) if met[j][i] != met[i][j]]
    assert len(apart) > 10
    for i, j in apart[:: len(apart) // 5]:
        there = with_fields(law, kp_per_K=across[i], ti_s=up[j])
        result = result_of(project.rig, there, project.first_trial)
        assert (result.met == len(result.verdicts)) == met[j][i]


@pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
def test_a_proof_says_what_it_put_the_program_through(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name, count in (("_RIGS", 3), ("_MOST_SAMPLES", 200), ("_CUTS", 5), ("_ODD_SAMPLES", 60)):
        monkeypatch.setattr(f"kelvarn.handover.checks.{name}", count)
    asked = ("prove", folder / "x.kelvarn", "--chosen")
    told, found = kelvarn(*asked), json.loads(kelvarn(*asked, "--json").stdout)
    assert (told.returncode, found["differing"]) == (0, 0), told.stdout
    assert told.stdout.startswith(f"No difference in {found['decisions']:,} decisions")
    left = [check["name"] for check in found["checks"] if check["left_because"]]
    assert "on a chip" in left
    assert all(check["decisions"] for check in found["checks"] if check["name"] not in left)
    monkeypatch.setattr("kelvarn.handover.twin.same", lambda *_: False)
    monkeypatch.setattr("kelvarn.handover.comparing.same", lambda *_: False)
    differs = kelvarn(*asked)
    assert (differs.returncode, " decisions differ, first in " in differs.stdout) == (1, True)
    monkeypatch.setattr("kelvarn.handover.toolchain.shutil.which", lambda _: None)
    without = kelvarn(*asked)
    assert (without.returncode, "install gcc" in without.stderr) == (2, True)
