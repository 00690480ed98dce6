"""The control step in C: it decides what the engine decides, compiles without a warning, refuses what it lacks."""

import random
import re
import shutil
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.compiled import part
from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.records import Table
from kelvarn.engine.run import compute
from kelvarn.handover.board_rows import RowsOfRuns, plain_row, random_row
from kelvarn.handover.carry import Carried
from kelvarn.handover.checks import Prover
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.files import program_files
from kelvarn.handover.proof import prove
from kelvarn.handover.proof_records import Compared
from kelvarn.handover.toolchain import build
from kelvarn.handover.translate.known import Known
from kelvarn.handover.translate.program import TranslateError, read_function
from kelvarn.handover.twin import Twin
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Alarm, NoRise, ProbeFaultAction, Restart, Trip
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from tests.campaigns.trials import random_project

gcc = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")


def guarded(*guards: object, law: Controller | None = None) -> Carried:
    """The cabinet's PI with guards."""
    demo = find_demo("cure-cabinet").build()
    rig = with_fields(demo.rig, guards=guards)
    candidate = Candidate(name="Try", controller=law or Pid(terms="PI", kp_per_K=0.12, ti_s=1320))
    project = with_fields(demo, rig=rig, candidates=(candidate,), chosen=None)
    return Carried(project, candidate, project.first_trial)


def differences(carried: Carried, folder: Path, rows: list[list[float]]) -> int:
    """Samples at which a program tells something else than the engine."""
    program = build(carried, folder)
    twin = Twin(carried)
    told = [found for row in rows if (found := twin.row(row)) is not None]
    assert len(told) > len(rows) / 2
    return int((program.run(np.array(rows)) != np.array(told)).any(axis=1).sum())


@gcc
@pytest.mark.parametrize("seed", range(1, 9))
def test_random_candidates_decide_in_c_what_they_decide_here(seed: int, tmp_path: Path) -> None:
    """Random laws, guards, permits and plans; readings that come and go, people at the buttons."""
    project, draw = random_project(seed), random.Random(seed)
    carried = Carried(project, project.candidates[0], project.first_trial)
    interval_ms = round(1000 * project.rig.probe.interval_s)
    levels = [project.first_trial.plan.last_degC, *(getattr(each, "at_degC", 20.0) for each in project.rig.guards)]
    try:
        rows = [random_row(carried, k * interval_ms, levels, draw) for k in range(400)]
        assert differences(carried, tmp_path, rows) == 0
    except HandoverError as error:
        assert "valve" in str(error)


@gcc
@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_every_demo_decides_in_c_what_its_run_decided(demo: str, tmp_path: Path) -> None:
    project = find_demo(demo).build()
    for place, candidate in enumerate(project.candidates[:2]):
        carried = Carried(project, candidate, project.first_trial)
        run = compute(project.rig, candidate.controller, project.first_trial)
        program = build(carried, tmp_path / str(place))
        samples, rows = RowsOfRuns(carried).of(run)[0]
        told = program.run(rows)
        assert np.abs(told[:, 0] - run.setpoint_degC[samples]).max() < 1e-9
        assert np.abs(told[:, 2] - run.drive[samples]).max() < 1e-9
        by_software = run.guard_code[samples] % RULERS != Ruler.THERMAL_CUT_OFF
        assert (told[:, 4] == run.guard_code[samples])[by_software].all()


@gcc
def test_a_proof_finds_no_difference_and_reaches_every_line(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kelvarn.handover.checks._RIGS", 4)
    monkeypatch.setattr("kelvarn.handover.checks._MOST_SAMPLES", 300)
    monkeypatch.setattr("kelvarn.handover.checks._CUTS", 40)
    carried = guarded(
        Trip(name="Too hot", probe="Probe", at_degC=75.0), Restart(name="Restart", delay_s=10.0, setpoint="stored"),
        ProbeFaultAction(name="Probe fault", action="off"),
    )  # fmt: skip
    trial = with_fields(carried.trial, duration_s=900.0, events=(), marks=())
    proof = prove(carried.project, carried.candidate, trial)
    assert not proof.differs, proof
    assert proof.verdict().startswith("No difference in ")
    left = [check.name for check in proof.checks if not check.found.samples]
    assert left == ["a second opinion", "settings written while it runs", "on a chip"]
    assert "Probe fault" in proof.checks[0].left  # of which that knows nothing
    assert len(proof.not_reached) <= 6, proof.not_reached


@gcc
@pytest.mark.parametrize(
    "law",
    [
        OnOff(notation="edges", below_K=1, above_K=0.5, shortest_on_s=20, shortest_off_s=30, confirm_s=6),
        Pid(terms="PI", kp_per_K=0.3, ti_s=100, anti_windup="none"),
        Pid(terms="PID", kp_per_K=0.3, ti_s=300, td_s=40, setpoint_weight=0.4, anti_windup="hold"),
    ],
)
def test_equations_worked_out_apart_agree(law: Controller, tmp_path: Path) -> None:
    hot = Trip(name="Hot", probe="Probe", at_degC=62.0, delay_s=4.0, latches=False, hysteresis_K=1.0)
    prover = Prover(guarded(hot, Trip(name="Hotter", probe="Probe", at_degC=66.0), law=law), tmp_path)
    found = prover.second_opinion()
    assert (found.found.samples, found.found.differing, found.left) == (3000, 0, "")
    other = Prover(guarded(hot, law=law), tmp_path / "other")
    other.carried = prover.carried  # the program of another rig
    assert other.second_opinion().found.differing > 0


@gcc
def test_a_slip_in_the_program_is_found(tmp_path: Path) -> None:
    """What a proof is for: each of these would pass a look."""
    carried = guarded(Trip(name="Too hot", probe="Probe", at_degC=75.0, delay_s=4.0))
    files, draw = program_files(carried), random.Random(3)
    rows = [random_row(carried, 2000 * k, [60.0, 75.0], draw) for k in range(600)]
    slips = [
        ("control.c", "return b > a ? b : a;", "return b < a ? b : a;"),
        ("control.c", "beyond >= REAL(0.0)", "beyond > REAL(3.0)"),
        ("control.c", "age_ms + passed_ms", "age_ms + passed_ms + 1"),
        ("settings.h", "TI_S REAL(1320.0)", "TI_S REAL(1321.0)"),
        ("program.c", "order(&device.outputs, device.control.decision.given, device.control.decision.alone);", ""),
        ("program.c", "drives_cut) {\n        return REAL(0.0);", "drives_cut) {\n        return REAL(1.0);"),
    ]
    twin = Twin(carried)
    told = np.array([each for row in rows if (each := twin.row(row)) is not None])
    for place, (name, before, after) in enumerate(slips):
        assert files[name].count(before) == 1, before
        slipped = {name: files[name].replace(before, after)}
        found = build(carried, tmp_path / str(place), slipped=slipped).run(np.array(rows))
        assert (found != told).any(), before


@gcc
def test_a_program_that_a_sanitizer_stops_is_a_fault(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    carried = guarded(Trip(name="Too hot", probe="Probe", at_degC=75.0, delay_s=4.0))
    files = program_files(carried)
    wild = files["control.c"].replace("passed_ms > OLDEST_MS - age_ms", "passed_ms > OLDEST_MS")
    assert wild != files["control.c"]
    monkeypatch.setattr("kelvarn.handover.toolchain.program_files", lambda _: {**files, "control.c": wild})
    monkeypatch.setattr(Prover, "checks", lambda self: (("ten years", self.ten_years),))
    checks = Prover(carried, tmp_path).prove(lambda _: True)
    assert "overflow" in next(check.what for check in checks if check.found.differing)


@gcc
def test_a_trip_outlives_a_power_cut_and_a_torn_memory(tmp_path: Path) -> None:
    carried = guarded(Trip(name="Too hot", probe="Probe", at_degC=75.0, does="off"))
    program, memory = build(carried, tmp_path), tmp_path / "memory"

    def gives(*degC: float, cut_after: int = -1) -> list[float]:
        rows = [plain_row(carried, 2000 * k, [each]) for k, each in enumerate(degC)]
        told = program.run(np.array(rows), memory=memory, cut_after=cut_after)
        return [float(each) for each in told[:, 2]]

    assert gives(20.0, 20.0)[-1] == 1.0
    assert gives(20.0, 80.0, 20.0)[1:] == [0.0, 0.0]  # it trips
    assert gives(20.0, 20.0, 20.0) == [0.0, 0.0, 0.0]  # and is so after the cut
    for cut_after in range(1, 30):  # what is torn leaves the slot before
        assert set(gives(20.0, 20.0, cut_after=cut_after)) <= {0.0}
    memory.write_bytes(bytes(len(memory.read_bytes())))
    assert gives(20.0)[0] == 1.0  # nothing was stored: from the start


@gcc
def test_where_32_bits_round_on_an_edge_is_told_and_all_else_is_a_difference(tmp_path: Path) -> None:
    made = guarded(Trip(name="Too hot", probe="Probe", at_degC=75.3), law=OnOff(below_K=0.4, above_K=0.7))
    trial = with_fields(made.trial, band_K=0.4)
    setpoint = trial.plan.last_degC
    near = [setpoint - 0.4, setpoint + 0.4, setpoint + 0.7, setpoint, setpoint, setpoint - 3.0]
    chance = random.Random(3)

    def reading() -> float | None:
        """On an edge, nearer to it than 32 bits tell, further off than that, between edges, or none."""
        return None if chance.random() < 0.2 else chance.choice(near) + chance.choice((0.0, 1e-6, -1e-6, 4e-4, -4e-4))

    readings = [reading() for _ in range(600)] + [75.2996, 75.3]  # at last, since what is tripped stays so
    rows = [plain_row(made, 2000 * k, [degC]) for k, degC in enumerate(readings)]

    def compared(real: str, at: str, slips: dict[str, tuple[str, str]] | None = None) -> Compared:
        carried = Carried(made.project, made.candidate, trial, real)  # type: ignore[arg-type]
        prover = Prover(carried, tmp_path / at)
        files = program_files(carried)
        for name, (before, after) in (slips or {}).items():
            assert before in files[name], before
            slipped = {name: files[name].replace(before, after)}
            prover.program = build(carried, tmp_path / f"{at}-slipped", slipped=slipped)
            prover.covered = None
        return prover.compare(rows)

    whole, rounded = compared("double", "whole"), compared("float", "rounded")
    assert (whole.differing, whole.edges) == (0, 0)
    assert rounded.differing == 0
    assert rounded.edges > 0
    for k, (before, after) in enumerate((("REAL(0.4)", "REAL(0.4005)"), ("REAL(75.3)", "REAL(75.2995)"))):
        assert compared("float", f"slip{k}", {"settings.h": (before, after)}).differing > 0, before
    assert compared("double", "slip", {"settings.h": ("REAL(75.3)", "REAL(75.30000001)")}).differing > 0


def test_settings_have_their_unit_their_range_and_what_more_does() -> None:
    files = program_files(guarded(Trip(name="Too hot", probe="Probe", at_degC=75.0), law=Pid(kp_per_K=0.2, ti_s=300)))
    text = files["settings.h"]
    assert "#define KP_PER_K REAL(0.2)" in text
    assert "More: faster, then overshoot. In 1/K." in " ".join(text.split())
    assert "#define KI_PER_KS (KP_PER_K / TI_S)" in text
    assert re.search(r"#define TOO_HOT_LEVEL_DEGC REAL\(75\.0\)", text)
    assert "KP_PER_K >= REAL(1e-06) && KP_PER_K <= REAL(10000.0)" in files["settings.c"]
    assert "0.2" not in files["control.c"]


def test_what_is_not_used_is_not_there() -> None:
    plain, full = (
        guarded(),
        guarded(
            Trip(name="Too hot", probe="Probe", at_degC=75.0),
            NoRise(name="No rise"),
            ProbeFaultAction(name="Probe fault"),
        ),
    )
    assert len(program_files(plain)["control.c"]) < len(program_files(full)["control.c"])
    for absent in ("on_off", "curve", "watch_rise", "in_week"):
        assert absent not in program_files(plain)["control.c"]
    assert "watch_rise" in program_files(full)["control.c"]
    assert len(program_files(full)["control.c"].splitlines()) < 500


def test_what_cannot_be_carried_over_is_refused_with_its_place() -> None:
    with pytest.raises(TranslateError, match=r"test_translate\.py, line \d+: such a statement"):
        read_function(_with_a_try)
    with pytest.raises(TranslateError, match="a loop that is no range"):
        read_function(_with_a_strange_loop)
    beyond = guarded(law=Pid(terms="P", kp_per_K=1e-6))
    tiny = Carried(beyond.project, beyond.candidate, beyond.trial, "float")
    assert "REAL(1e-06)" in program_files(tiny)["settings.h"]
    valve = next(project for seed in range(1, 200) if _has_valve(project := random_project(seed)))
    with pytest.raises(HandoverError, match="valve"):
        program_files(Carried(valve, valve.candidates[0], valve.first_trial))


def test_without_a_compiler_it_says_how_to_get_one(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(shutil, "which", lambda _: None)
    with pytest.raises(HandoverError, match="install gcc"):
        build(guarded(Alarm(name="Warm", probe="Probe", at_degC=70.0)), tmp_path)


def _has_valve(project: Project) -> bool:
    return any(drive.kind == "valve" for drive in project.rig.drives)


@part
def _with_a_try(a: float) -> float:
    """No."""
    try:
        return a
    finally:
        pass


@part
def _with_a_strange_loop(a: Table[Known]) -> None:
    """No."""
    for _ in a:
        pass
