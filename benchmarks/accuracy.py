"""Runs of all demos and of random rigs of every part in the model against a second engine (`reference.py`)."""

import os
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from benchmarks.reference import Reference
from benchmarks.rigs import random_case
from kelvarn.demos import DEMOS
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Run, compute


@dataclass(frozen=True)
class Apart:
    """Largest differences of a run from the reference in K: bodies at samples, setpoint, extremes of the true course."""

    bodies_K: float
    setpoint_K: float
    extremes_K: float


def compare(run: Run) -> Apart:
    """A run against the reference."""
    answer, found = Reference(run).solve(), measure(run)
    names = run.rig.body_names
    hottest = [found.hottest_degC[name] - answer.hottest_degC[i] for i, name in enumerate(names)]
    coldest = [found.coldest_degC[name] - answer.coldest_degC[i] for i, name in enumerate(names)]
    return Apart(
        float(np.abs(answer.bodies_degC - run.bodies_degC).max()),
        float(np.abs(answer.setpoint_degC - run.setpoint_degC).max()),
        float(np.abs([*hottest, *coldest]).max()),
    )


def of_demo(place: tuple[int, int]) -> tuple[str, Apart]:
    """A candidate of a demo on its whole trial."""
    project = DEMOS[place[0]].build()
    candidate = project.candidates[place[1]]
    return f"{project.name}, {candidate.name}", compare(compute(project.rig, candidate.controller, project.first_trial))


def of_seed(seed: int) -> Apart:
    """A random rig over five minutes, or sixty samples where that is longer."""
    return compare(compute(*random_case(seed, lasts_s=300.0)))


def study(count: int = 200) -> tuple[dict[str, Apart], list[Apart]]:
    """Demos by name, and so many random rigs."""
    places = [(d, c) for d, demo in enumerate(DEMOS) for c in range(len(demo.build().candidates))]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        demos = dict(pool.map(of_demo, places))
        return demos, list(pool.map(of_seed, range(5000, 5000 + count), chunksize=5))


if __name__ == "__main__":
    of_demos, of_rigs = study()
    for name, apart in of_demos.items():
        print(name, apart)
    for field in ("bodies_K", "setpoint_K", "extremes_K"):
        values = sorted(getattr(each, field) for each in of_rigs)
        print(field, "median", values[len(values) // 2], "worst", values[-1])
