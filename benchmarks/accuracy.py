"""The demo's runs against an independent integration of high order."""

from itertools import pairwise

import numpy as np
from scipy.integrate import solve_ivp

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.run import Run, compute
from kelvarn.model.fields import SURROUNDINGS


def against_solve_ivp() -> dict[str, float]:
    """Largest difference in K of each candidate's run."""
    project = cure_cabinet()
    return {
        candidate.name: difference(compute(project.rig, candidate.controller, project.trials[0]))
        for candidate in project.candidates
    }


def difference(run: Run) -> float:
    """Largest difference of any body at any sample. The pulses are rebuilt from the recorded demand."""
    rig, drive = run.rig, run.rig.drive
    assert drive.kind == "slow_window"
    n = len(rig.bodies)
    pulses = np.minimum(
        np.floor(run.drive * drive.window_s / drive.resolution_s + 0.5) * drive.resolution_s, drive.window_s
    )
    switch = [(t + drive.dead_time_s, p) for t, p in zip(run.time_s[:-1], pulses, strict=False) if p > 1e-9]
    edges = (
        {t for t, _ in switch}
        | {t + p for t, p in switch}
        | {e.at_s for e in run.trial.events}
        | set(run.time_s.tolist())
    )
    edges |= {e.at_s + e.lasts_s for e in run.trial.events if e.lasts_s is not None}
    times = np.array(sorted(t for t in edges if t <= run.time_s[-1]))
    c = np.array([body.capacity_J_per_K for body in rig.bodies])
    links = [(rig.body_index(k.a), rig.body_index(k.b), k.conductance_W_per_K) for k in rig.links]
    heated, step = rig.body_index(drive.body), rig.probe.interval_s
    x, worst, sample = run.bodies_degC[:, 0].copy(), 0.0, 1
    on_until = 0.0
    starts = dict(switch)
    for begin, end in pairwise(times):
        if begin in starts:
            on_until = begin + starts[begin]
        if end - begin < 1e-9:
            continue
        middle = (begin + end) / 2
        outside, power = run.surroundings_at(middle), drive.power_W if middle < on_until else 0.0
        doors = [run.door_at(body.name, SURROUNDINGS, middle) for body in rig.bodies]

        def heat(
            t: float, x: np.ndarray, outside: float = outside, power: float = power, doors: list[float] = doors
        ) -> np.ndarray:
            full, q = np.append(x, outside), np.zeros(n + 1)
            for a, b, g in links:
                q[a] += g * (full[b] - full[a])
                q[b] -= g * (full[b] - full[a])
            q[:n] += np.array(doors) * (outside - x)
            q[heated] += power
            return q[:n] / c

        x = solve_ivp(heat, (begin, end), x, method="DOP853", rtol=1e-12, atol=1e-12).y[:, -1]
        if abs(end - sample * step) < 1e-9:
            worst = max(worst, float(np.abs(x - run.bodies_degC[:, sample]).max()))
            sample += 1
    assert sample == run.time_s.size  # every sample was compared
    return worst


if __name__ == "__main__":
    print(against_solve_ivp())
