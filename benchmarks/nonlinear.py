"""Error and cost of the adaptive integration: demos that radiate, melt or have a fan, and a stiff furnace."""

import time

import numpy as np

from kelvarn.demos import find_demo
from kelvarn.engine.prepare import TOLERANCE_K
from kelvarn.engine.run import PreparedRun, compute
from kelvarn.model.edit import put, with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project

TOLERANCES_K = (1e-3, 1e-4, 1e-5, 1e-6, 1e-7)
BEST_K = 1e-9


def cases() -> dict[str, Project]:
    """Projects by name; each runs its chosen candidate."""
    kiln = find_demo("enamelling-kiln").build()
    stiff = put(kiln, ("rig", "bodies", 0, "capacity_J_per_K"), 0.5)  # elements that follow within a tenth of a second
    hot = with_fields(kiln.first_trial.plan, changes=(with_fields(kiln.first_trial.plan.changes[0], to_degC=1000),))
    return {
        "heatsink fan": find_demo("heatsink-fan").build(),
        "wax pot": find_demo("wax-pot").build(),
        "kiln": kiln,
        "kiln to 1000 °C": put(kiln, ("trials", 0, "plan"), hot),
        "kiln, 0.5 J/K elements": stiff,
    }


def study() -> list[tuple[str, float, list[tuple[float, float, float]]]]:
    """Name, samples, and for each tolerance: largest change in K against the finest, ms of the kernel call, ns a sample.

    The controller is a PI without noise and steps of the probe: with them the smallest change sooner or later flips a
    reading by a step, and the runs differ by what the controller makes of that.
    """
    found = []
    for name, project in cases().items():
        probes = tuple(with_fields(p, noise_K=0, resolution_K=0, converter=None) for p in project.rig.probes)
        rig = with_fields(project.rig, probes=probes)
        chosen = project.candidate(project.chosen or project.candidates[0].name).controller
        if not isinstance(chosen, Pid):
            chosen = Pid(terms="PI", kp_per_K=0.1, ti_s=900, td_s=0)
            drive = rig.drive.model_dump(include={"name", "body", "power_W"})
            rig = with_fields(rig, drives=({"kind": "pwm", **drive},))
        trial = with_fields(project.first_trial, marks=())
        best = compute(rig, chosen, trial, tolerance_K=BEST_K).bodies_degC
        rows = []
        for tolerance in TOLERANCES_K:
            error = float(np.abs(compute(rig, chosen, trial, tolerance_K=tolerance).bodies_degC - best).max())
            times = []
            for _ in range(9):
                begun = PreparedRun(rig, chosen, trial, tolerance_K=tolerance)
                begin = time.perf_counter()
                begun.advance()
                times.append(time.perf_counter() - begin)
            took = float(np.median(times))
            rows.append((error, took * 1e3, took / best.shape[1] * 1e9))
        found.append((name, best.shape[1], rows))
    return found


if __name__ == "__main__":
    print("in use:", TOLERANCE_K)
    for name, samples, rows in study():
        print(name, samples)
        for tolerance, (error, ms, ns) in zip(TOLERANCES_K, rows, strict=True):
            print(f"  {tolerance:.0e}: {error:.1e} K  {ms:.1f} ms  {ns:.0f} ns")
