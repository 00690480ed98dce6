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
from kelvarn.engine import codes, heat, kernel
from kelvarn.engine.arrays import Arrays, to_arrays
from kelvarn.engine.run import compute
from kelvarn.model.edit import put, with_fields

DOUBLES = ctypes.POINTER(ctypes.c_double)


def pointer(array: np.ndarray, kind: Any = ctypes.c_double) -> Any:
    return array.ctypes.data_as(ctypes.POINTER(kind))


def case() -> Arrays:
    """The cabinet's PID over 4 h without events, so that all three loops do the same."""
    project = cure_cabinet()
    quiet = with_fields(project.trials[0], events=(), marks=())
    return to_arrays(project.rig, project.candidates[1].controller, quiet)


def matrices(a: Arrays) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Start, transition, push and series as the kernel makes them, for one block of eight."""
    n, size = a.inv_c.size, a.inv_c.size + heat.EXTRA + 1
    flow, lag = np.zeros((size, size)), a.probe_table[0, codes.LAG]
    for (x, y, _, one_way), (conductance, *_) in zip(a.link_ends, a.link_values, strict=True):
        heat.add_link(flow, x, y, one_way, conductance, n, a.inv_c)
    flow[n + heat.PROBE, int(a.probe_table[0, codes.SITS_IN])] = 1 / lag
    flow[n + heat.PROBE, n + heat.PROBE] = -1 / lag
    transition, series, push = np.zeros((1, 8, 1, 8)), np.zeros((1, heat.TERMS, 1, 8)), np.zeros((1, 8))
    heat.exponential(flow, a.h, transition, np.zeros((3, size, size)))
    heated = int(a.drive_table[0, codes.ACTS_ON])
    heat.drive_series(flow, heated, a.inv_c[heated], series[0])
    heat.add_power(series, 0, a.h, 1.0, push)
    start = np.zeros(8)
    start[: n + 1] = a.start
    start[n + heat.ONE], start[n + heat.PROBE] = 1.0, a.start[int(a.probe_table[0, codes.SITS_IN])]
    return start, transition.reshape(8, 8), push.reshape(8), series.reshape(heat.TERMS, 8)


def c_loop(a: Arrays, outputs: dict[str, np.ndarray]) -> Callable[[], int]:
    """The C loop, compiled here with gcc -O3 -march=native."""
    library = Path(tempfile.mkdtemp()) / "loop.so"
    source = Path(__file__).with_name("loop.c")
    subprocess.run(["gcc", "-O3", "-march=native", "-shared", "-fPIC", source, "-o", library, "-lm"], check=True)
    run = ctypes.CDLL(str(library)).run
    run.restype = ctypes.c_long
    start, m, push, series = (np.ascontiguousarray(x) for x in matrices(a))
    line_t, line_level = np.zeros(a.line_size), np.zeros(a.line_size)
    d, size = ctypes.c_double, ctypes.c_long
    drive = a.drive_table[0]
    window, shortest, resolution = (drive[k] for k in (codes.WINDOW, codes.PULSE, codes.RESOLUTION))
    step = a.probe_table[0, codes.STEP]
    arguments = (
        size(a.setpoint.size), size(a.inv_c.size), d(a.h), pointer(start), pointer(m), pointer(push), pointer(series),
        d(drive[codes.POWER_W]), d(drive[codes.DEAD_TIME]), d(window), d(shortest), d(resolution), size(a.line_size), pointer(line_t),
        pointer(line_level), d(step), pointer(a.noise), pointer(a.law_settings), pointer(a.setpoint),
        pointer(outputs["trace"]), pointer(outputs["reasons"], ctypes.c_long), pointer(outputs["bodies"]),
        pointer(outputs["energy"]),
    )  # fmt: skip
    keep = (start, m, push, series, line_t, line_level)
    return lambda keep=keep: run(*arguments)  # type: ignore[misc]


def outputs_for(a: Arrays) -> dict[str, np.ndarray]:
    """All that the kernel writes, in its order."""
    m, drives = a.setpoint.size, a.drive_table.shape[0]
    return {
        "trace": np.zeros((kernel.TRACE_ROWS, m)),
        "reasons": np.zeros(m, np.int64),
        "bodies": np.zeros((a.inv_c.size, m)),
        "readings": np.zeros((a.probe_table.shape[0], m)),
        "of_drives": np.zeros((2, drives, m)),
        "totals": np.zeros(kernel.TOTALS_SIZE),
        "drive_totals": np.zeros((drives, kernel.DRIVE_TOTALS_SIZE)),
    }


def seconds(work: Callable[[], Any]) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def compare(rounds: int = 200) -> dict[str, float]:
    """ns for one sample: kernel, C loop, plain Python; medians of interleaved rounds, so that all meet the same noise."""
    a = case()
    ours, theirs = outputs_for(a), outputs_for(a)
    theirs["trace"], theirs["energy"] = np.zeros((8, a.setpoint.size)), np.zeros(1)  # its eighth row is the power
    in_c = c_loop(a, theirs)

    def in_kernel() -> int:
        return int(kernel.run_loop(*a.arguments(), *ours.values()))

    assert in_kernel() == in_c() == -1
    difference = np.abs(ours["bodies"] - theirs["bodies"]).max()
    assert difference < 1e-9, difference
    assert np.array_equal(ours["reasons"], theirs["reasons"])
    lists = [x.tolist() for x in matrices(a)]
    python_found = np.array(plain.run(a, *lists)).T
    assert np.abs(ours["bodies"] - python_found).max() < 1e-6
    samples = a.setpoint.size
    pairs = [(seconds(in_kernel), seconds(in_c)) for _ in range(rounds)]
    kernel_ns, c_ns = (float(np.median(column)) / samples * 1e9 for column in zip(*pairs, strict=True))
    ratio = float(np.median([ours / theirs for ours, theirs in pairs]))
    slow = []
    for _ in range(9):  # the kernel before and after each, since the machine's speed changes meanwhile
        before = [seconds(in_kernel) for _ in range(20)]
        python = seconds(lambda: plain.run(a, *lists))
        after = [seconds(in_kernel) for _ in range(20)]
        slow.append((python, python / float(np.median(before + after))))
    python_s, times = (float(np.median(column)) for column in zip(*slow, strict=True))
    return {"kernel": kernel_ns, "c": c_ns, "python": python_s / samples * 1e9, "times_c": ratio, "python_times": times}


def linear() -> list[tuple[float, float]]:
    """Hours simulated and ms a run takes, the cabinet's PID read every second."""
    project = cure_cabinet()
    rig = put(project.rig, ("probes", 0, "interval_s"), 1.0)
    found = []
    for hours in (3, 6, 12, 24, 48):
        test = with_fields(project.trials[0], duration_s=hours * 3600.0, events=(), marks=())
        a = to_arrays(rig, project.candidates[1].controller, test)
        out = outputs_for(a)
        work = lambda a=a, out=out: kernel.run_loop(*a.arguments(), *out.values())  # noqa: E731
        work()
        found.append((hours, float(np.median([seconds(work) for _ in range(30)])) * 1e3))
    return found


def error_study() -> list[tuple[float, float, float, float]]:
    """Step share; largest change in K against a share of 1/64; the same for a 0.4 s heater; ms."""
    project = cure_cabinet()
    quick = put(project.rig, ("bodies", 0, "capacity_J_per_K"), 2.0)
    pid, test = (
        project.candidates[1].controller,
        with_fields(project.trials[0], duration_s=11000, events=project.trials[0].events[:1]),
    )
    best = compute(project.rig, pid, test, 1 / 64), compute(quick, pid, test, 1 / 64)
    found = []
    for share in (2.0, 1.0, 0.5, 0.25, 0.125):
        runs = compute(project.rig, pid, test, share), compute(quick, pid, test, share)
        errors = [float(np.abs(r.bodies_degC - b.bodies_degC).max()) for r, b in zip(runs, best, strict=True)]
        ms = float(np.median([seconds(lambda s=share: compute(quick, pid, test, s)) for _ in range(9)])) * 1e3
        found.append((share, *errors, ms))
    return found


if __name__ == "__main__":
    print(compare())
    print(linear())
    print(error_study())
