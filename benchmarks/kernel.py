"""The kernel against a C loop and a plain-Python loop of the same arithmetic, and the error study."""

import ctypes
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks import plain
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine import matrices
from kelvarn.engine.kernel import run_loop
from kelvarn.engine.laws.pid import settings_of
from kelvarn.engine.layout import lay_out, probe_record
from kelvarn.engine.measures import measure
from kelvarn.engine.memory import fresh_trace
from kelvarn.engine.prepare import prepare
from kelvarn.engine.run import PreparedRun, compute
from kelvarn.engine.survey import Trace
from kelvarn.model.edit import put, with_fields
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial


def pointer(array: np.ndarray, kind: Any = ctypes.c_double) -> Any:
    return array.ctypes.data_as(ctypes.POINTER(kind))


def case() -> tuple[Project, Trial]:
    """The cabinet's PID over 4 h without events, so that all three loops do the same."""
    project = cure_cabinet()
    return project, with_fields(project.first_trial, events=(), marks=())


class Matrices:
    """Start, transition, push and series as the kernel makes them, for one block of eight."""

    def __init__(self, project: Project, test: Trial) -> None:
        run = PreparedRun(project.rig, project.candidates[-1].controller, test)
        assert run_loop(*run.arguments(0, 1)) == 0  # one sample: all is made, nothing has changed yet
        linear = run._heat.linear
        self.m = np.ascontiguousarray(linear.transition[0].reshape(8, 8))
        self.push = np.ascontiguousarray(linear.push[0].reshape(8))
        self.series = np.ascontiguousarray(linear.series[0].reshape(matrices.TERMS, 8))
        self.a = np.ascontiguousarray(linear.rates.reshape(8, 8))
        layout, probe = lay_out(project.rig), probe_record(project.rig, project.rig.probe)
        n = len(layout.bodies)
        self.start = np.zeros(8)
        self.start[:n] = [body.start_degC for body in layout.bodies]
        self.start[n + matrices.SURROUNDINGS] = layout.outside_degC
        self.start[n + matrices.ONE], self.start[n + matrices.PROBE] = 1.0, layout.bodies[probe.sits_in].start_degC
        self.n, self.drive, self.probe, self.law = (
            n,
            layout.drives[0],
            probe,
            settings_of(project.candidates[-1].controller, project.rig.way),
        )  # type: ignore[arg-type]
        self.line_size = run._state.lines.shape[1]
        plant = prepare(project.rig, test).plant
        self.noise, self.h = plant.noise, project.rig.probe.interval_s
        rig = plant.rig[0]
        self.limits = np.array(
            [[body.low_limit_degC for body in layout.bodies], [body.limit_degC for body in layout.bodies]]
        )
        self.goal, self.since_s = (
            np.array([rig.goal_body, rig.goal_low_degC, rig.goal_high_degC], float),
            float(rig.since_s),
        )
        self.setpoint = np.full(self.noise.shape[1], test.plan.last_degC)

    def pid(self) -> np.ndarray:
        """Settings of the law in the order of the C loop."""
        law = self.law
        return np.array([law.kp_per_K, law.ki_per_Ks, law.kd_s_per_K, law.filter_s, law.weight, law.speed_weight, law.bias,
                         law.low, law.high, law.windup, law.tracking_s, law.rate_per_s, law.integrates], float)  # fmt: skip


def c_loop(of: Matrices, outputs: dict[str, np.ndarray]) -> Callable[[], int]:
    """The C loop, compiled here with gcc -O3 -march=native."""
    library = Path(tempfile.mkdtemp()) / "loop.so"
    source = Path(__file__).with_name("loop.c")
    subprocess.run(["gcc", "-O3", "-march=native", "-shared", "-fPIC", source, "-o", library, "-lm"], check=True)
    run = ctypes.CDLL(str(library)).run
    run.restype = ctypes.c_long
    line_t, line_level, settings = np.zeros(of.line_size), np.zeros(of.line_size), of.pid()
    d, size, drive, limits = ctypes.c_double, ctypes.c_long, of.drive, np.ascontiguousarray(of.limits)
    arguments = (
        size(of.setpoint.size), size(of.n), d(of.h), pointer(of.start), pointer(of.m), pointer(of.push), pointer(of.series),
        d(drive.power_W), d(drive.dead_time_s), d(drive.window_s), d(drive.shortest_pulse_s), d(drive.resolution_s),
        size(of.line_size), pointer(line_t), pointer(line_level), d(of.probe.resolution_K), pointer(of.noise),
        pointer(settings), pointer(of.setpoint), pointer(outputs["trace"]), pointer(outputs["reasons"], ctypes.c_long),
        pointer(outputs["bodies"]), pointer(outputs["energy"]), pointer(of.a), size(drive.acts_on), size(of.probe.sits_in),
        pointer(outputs["lows"]), pointer(outputs["highs"]), pointer(outputs["put_out"]), pointer(outputs["extremes"]),
        pointer(limits), pointer(of.goal), d(of.since_s), pointer(outputs["rows"]), pointer(outputs["noted"]),
    )  # fmt: skip
    keep = (line_t, line_level, settings, limits)
    return lambda keep=keep: run(*arguments)  # type: ignore[misc]


def seconds(work: Callable[[], Any]) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def prepared_seconds(project: Project, test: Trial, kept: Trace | None = None, *, measured: bool = True) -> float:
    """Time of the compiled part of one run; with its last sample all measures are read.

    `kept` is room for its course that was written before, as for the C loop and in studies: pages of memory that are
    new cost as much as computing does.
    """
    run = PreparedRun(project.rig, project.candidates[-1].controller, test, trace=kept)
    arguments = run.arguments(0, prepare(project.rig, test).plant.noise.shape[1] - (0 if measured else 1))
    return seconds(lambda: run_loop(*arguments))


def compare(rounds: int = 200) -> dict[str, float]:
    """ns for one sample: kernel, C loop, plain Python; medians of interleaved rounds, so that all meet the same noise."""
    project, test = case()
    of = Matrices(project, test)
    samples = of.setpoint.size
    theirs = {"trace": np.zeros((8, samples)), "reasons": np.zeros(samples, np.int64), "bodies": np.zeros((of.n, samples)),
              "energy": np.zeros(1), "lows": np.zeros(samples), "highs": np.zeros(samples), "put_out": np.zeros(samples),
              "extremes": np.zeros(2 * of.n), "rows": np.zeros((4, samples)), "noted": np.zeros(4 * of.n + 1)}  # fmt: skip
    in_c = c_loop(of, theirs)
    assert in_c() == -1
    ours = compute(project.rig, project.candidates[-1].controller, test)
    difference = np.abs(ours.bodies_degC - theirs["bodies"]).max()
    assert difference < 1e-9, difference
    assert np.array_equal(ours.law_code, theirs["reasons"])
    for name, course in (("lows", ours.lowest_degC), ("highs", ours.highest_degC), ("put_out", ours.put_out[0])):
        assert np.abs(course[:-1] - theirs[name][:-1]).max() < 1e-9, name
    hottest = list(measure(ours).hottest_degC.values())
    assert np.abs(np.array(hottest) - theirs["extremes"][of.n :]).max() < 1e-9
    assert np.abs(theirs["noted"] - _noted(project, test)).max() < 1e-9
    python_found, python_highest, python_noted, python_reasons = plain.run(of)
    assert np.abs(ours.bodies_degC - np.array(python_found).T).max() < 1e-6
    assert np.abs(np.array(python_highest) - hottest).max() < 1e-6
    assert np.abs(np.array(python_noted) - theirs["noted"]).max() < 1e-6
    assert np.array_equal(ours.law_code, python_reasons)
    kept = fresh_trace(prepare(project.rig, test), of.n)
    pairs = [(prepared_seconds(project, test, kept, measured=False), seconds(in_c)) for _ in range(rounds)]
    kernel_ns, c_ns = (float(np.median(column)) / samples * 1e9 for column in zip(*pairs, strict=True))
    ratio = float(np.median([ours / theirs for ours, theirs in pairs]))
    slow = []
    for _ in range(9):  # the kernel before and after each, since the machine's speed changes meanwhile
        before = [prepared_seconds(project, test, kept, measured=False) for _ in range(20)]
        python = seconds(lambda: plain.run(of))
        after = [prepared_seconds(project, test, kept, measured=False) for _ in range(20)]
        slow.append((python, python / float(np.median(before + after))))
    python_s, times = (float(np.median(column)) for column in zip(*slow, strict=True))
    return {"kernel": kernel_ns, "c": c_ns, "python": python_s / samples * 1e9, "times_c": ratio, "python_times": times}


def _noted(project: Project, test: Trial) -> np.ndarray:
    """What the kernel noted of limits and goal, in the order of the C loop."""
    run = PreparedRun(project.rig, project.candidates[-1].controller, test)
    assert run_loop(*run.arguments(0, prepare(project.rig, test).plant.noise.shape[1])) == 0
    bodies = run._state.bodies
    of_bodies = [bodies[name] for name in ("beyond", "after_low_degC", "after_degC", "passed_s")]
    return np.array([*np.concatenate(of_bodies), run._state.loop[0].inside], float)


def linear() -> list[tuple[float, float]]:
    """Hours simulated and ms a run takes, the cabinet's PID read every second."""
    project = cure_cabinet()
    project = with_fields(project, rig=put(project.rig, ("probes", 0, "interval_s"), 1.0))
    found = []
    for hours in (3, 6, 12, 24, 48):
        test = with_fields(project.first_trial, duration_s=hours * 3600.0, events=(), marks=())
        kept = fresh_trace(prepare(project.rig, test), len(project.rig.bodies))
        prepared_seconds(project, test, kept)
        found.append((hours, float(np.median([prepared_seconds(project, test, kept) for _ in range(30)])) * 1e3))
    return found


def error_study() -> list[tuple[float, float, float, float]]:
    """Step share; largest change in K against a share of 1/64; the same for a 0.4 s heater; ms."""
    project = cure_cabinet()
    quick = put(project.rig, ("bodies", 0, "capacity_J_per_K"), 2.0)
    pid, test = (
        project.candidates[-1].controller,
        with_fields(project.first_trial, duration_s=11000, events=project.first_trial.events[:1]),
    )
    best = compute(project.rig, pid, test, 1 / 8), compute(quick, pid, test, 1 / 8)
    found = []
    for share in (2.0, 1.0, 0.5, 0.25):
        runs = compute(project.rig, pid, test, share), compute(quick, pid, test, share)
        errors = [float(np.abs(r.bodies_degC - b.bodies_degC).max()) for r, b in zip(runs, best, strict=True)]
        ms = float(np.median([seconds(lambda s=share: compute(quick, pid, test, s)) for _ in range(9)])) * 1e3
        found.append((share, *errors, ms))
    return found


if __name__ == "__main__":
    print(compare())
    print(linear())
    print(error_study())
