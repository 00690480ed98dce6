"""Many runs: a map of gains and 500 variants of the cabinet's 4 h trial, on one thread and on two; and 14 days at 1 s."""

import resource
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.run import Stopped, compute
from kelvarn.model.edit import put, with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.studies.batch import Case, run_many


def gain_map(project: Project, side: int = 48) -> Iterator[Case]:
    """Gain and integral time on log scales."""
    base = project.candidates[-1].controller
    assert isinstance(base, Pid)
    for k, kp in enumerate(np.geomspace(0.02, 1.0, side)):
        for j, ti in enumerate(np.geomspace(100, 5000, side)):
            law = base.model_copy(update={"kp_per_K": float(kp), "ti_s": float(ti)})
            yield Case((k, j), project.rig, law, project.first_trial)


def variants(project: Project, count: int = 500) -> Iterator[Case]:
    """The cabinet with heat capacities, losses, power and seed a little different each time."""
    rng, rig = np.random.default_rng(1), project.rig
    for k in range(count):
        bodies = tuple(
            b.model_copy(update={"capacity_J_per_K": b.capacity_J_per_K * float(rng.uniform(0.9, 1.1))})
            for b in rig.bodies
        )
        links = tuple(
            x.model_copy(update={"conductance_W_per_K": x.conductance_W_per_K * float(rng.uniform(0.9, 1.1))})
            for x in rig.links
        )
        other = rig.model_copy(update={"bodies": bodies, "links": links})
        for name in ("all_bodies", "all_links", "body_names"):
            other.__dict__.pop(name, None)  # what the model keeps once worked out
        yield Case(k, other, project.candidates[-1].controller, with_fields(project.first_trial, seed=k))


def timed(cases: Iterator[Case], threads: int) -> tuple[float, float]:
    """Seconds of a study, and until its first result."""
    with ThreadPoolExecutor(threads) as pool:
        begin = time.perf_counter()
        first = 0.0
        for k, _ in enumerate(run_many(cases, threads=pool)):
            if k == 0:
                first = time.perf_counter() - begin
        return time.perf_counter() - begin, first


def stopping_s(project: Project) -> float:
    """Seconds from the wish to stop until the study has ended and its threads are idle; the longest of ten."""
    found = []
    for _ in range(10):
        with ThreadPoolExecutor(2) as pool:
            wanted: list[float] = []
            until = time.perf_counter() + 0.2

            def go_on(until: float = until, wanted: list[float] = wanted) -> bool:
                if time.perf_counter() < until:
                    return True
                wanted.append(time.perf_counter())
                return False

            try:
                for _result in run_many(gain_map(project), go_on, pool):
                    pass
            except Stopped:
                pass
        found.append(time.perf_counter() - until)
    return max(found)


def python_loop_s() -> float:
    """Seconds of a million turns of a plain loop, median of 5: how fast this machine is just now."""
    found = []
    for _ in range(5):
        begin, total = time.perf_counter(), 0
        for k in range(1_000_000):
            total += k * k
        found.append(time.perf_counter() - begin)
    return sorted(found)[2]


def study() -> dict[str, float]:
    """All figures; times in s. `loop_s` is what the plain loop takes, mean of before, between and after."""
    project = cure_cabinet()
    loops = [python_loop_s()]
    timed(gain_map(project, 6), 2)
    one, _ = timed(gain_map(project), 1)
    two, first = timed(gain_map(project), 2)
    loops.append(python_loop_s())
    again_one, _ = timed(gain_map(project), 1)
    again_two, again_first = timed(gain_map(project), 2)
    few, _ = timed(variants(project), 2)
    loops.append(python_loop_s())
    return {
        "loop_s": sum(loops) / len(loops),
        "map_s": min(two, again_two), "map_one_s": min(one, again_one), "first_s": min(first, again_first),
        "times": (one + again_one) / (two + again_two), "variants_s": few, "stop_s": stopping_s(project),
    }  # fmt: skip


def fortnight() -> tuple[float, float]:
    """Seconds of a run of 14 days at 1 s, and the most memory of the program that computed it, MB."""
    code = (
        "import time, resource\n"
        "from benchmarks.studies import fortnight_run\n"
        "print(fortnight_run(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)"
    )
    shown = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True).stdout.split()
    return float(shown[0]), float(shown[1])


def fortnight_run() -> float:
    """Seconds of one such run; the second one of the program, whose noise is known already."""
    project = cure_cabinet()
    rig = put(project.rig, ("probes", 0, "interval_s"), 1.0)
    test = with_fields(project.first_trial, duration_s=14 * 86400.0)
    took = 0.0
    for _ in range(2):
        begin = time.perf_counter()
        run = compute(rig, project.candidates[-1].controller, test)
        took = time.perf_counter() - begin
        del run
    return took


if __name__ == "__main__":
    print(study())
    print(fortnight())
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
