"""Times of the failure table, of variants and of long trials: `python -m benchmarks.trials`."""

import resource
import statistics
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.run import compute, warm
from kelvarn.model.edit import with_fields
from kelvarn.model.tolerances import parameters, varied
from kelvarn.studies.batch import Case, run_many
from kelvarn.studies.failures import failure_table
from kelvarn.studies.variants import vary

from .studies import python_loop_s

_TURNS = 3


def median_s(work: Callable[[], object], turns: int = _TURNS) -> float:
    """Median time of some turns, s."""
    took = []
    for _ in range(turns):
        begun = time.perf_counter()
        work()
        took.append(time.perf_counter() - begun)
    return statistics.median(took)


def main() -> None:
    """Print a table for RESULTS.md."""
    warm()
    print(f"plain loop: {1000 * python_loop_s():.0f} ms")
    print("| demo | failures × moments | table | 500 variants |\n|---|---|---|---|")
    for demo in DEMOS:
        project = demo.build()
        law = (project.candidate(project.chosen) if project.chosen else project.candidates[0]).controller
        asked = (project.rig, law, project.first_trial)
        table = failure_table(*asked)
        took = median_s(lambda asked=asked: failure_table(*asked))  # type: ignore[misc]
        cost = "–" if demo.name == "lemon-shed" else f"{median_s(lambda a=asked: list(vary(*a)), 1):.2f} s"  # type: ignore[misc]
        print(f"| {demo.title} | {table.runs} runs | {took:.2f} s | {cost} |")
        sys.stdout.flush()
    project = find_demo("cure-cabinet").build()
    law, trial = project.candidates[-1].controller, project.first_trial
    moved = parameters(project.rig)
    rigs = [varied(project.rig, moved, [(-1) ** k * k / 500] * len(moved)) for k in range(500)]
    for threads in (1, 2):
        with ThreadPoolExecutor(threads) as pool:
            cases = [Case(k, rig, law, trial, 240) for k, rig in enumerate(rigs)]
            print(f"500 variants on {threads}: {median_s(lambda: list(run_many(cases, threads=pool))):.2f} s")
    rig = with_fields(project.rig, probes=(with_fields(project.rig.probe, interval_s=1.0),))
    fortnight = with_fields(trial, duration_s=14 * 86400.0)
    compute(rig, law, trial)
    print(f"14 days at 1 s: {1000 * median_s(lambda: compute(rig, law, fortnight)):.0f} ms")
    print(f"largest memory: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
