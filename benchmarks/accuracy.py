"""Runs of all demos against an independent integration: scipy's Radau between all switchings, sharing only the data."""

from itertools import pairwise

import numpy as np
from scipy.integrate import solve_ivp

from kelvarn.demos import DEMOS
from kelvarn.engine.run import Run, compute
from kelvarn.model.drives import Fan, Relay, SlowWindow
from kelvarn.model.fields import SURROUNDINGS

SIGMA = 5.670374419e-8


def against_solve_ivp() -> dict[str, float]:
    """Largest difference in K of any body at any sample, by demo and candidate."""
    found = {}
    for demo in DEMOS:
        project = demo.build()
        for candidate in project.candidates:
            run = compute(project.rig, candidate.controller, project.trials[0])
            found[f"{project.name}, {candidate.name}"] = difference(run)
    return found


def switchings(run: Run) -> list[tuple[float, float]]:
    """Instants and levels of the main drive, rebuilt from the recorded demand alone."""
    drive, h = run.rig.drive, run.rig.probe.interval_s
    found: list[tuple[float, float]] = []
    before = 0.0
    for t, u in zip(run.time_s[:-1], run.drive[:-1], strict=True):
        if isinstance(drive, SlowWindow):
            assert drive.window_s == h
            pulse = min(np.floor(u * h / drive.resolution_s + 0.5) * drive.resolution_s, h)
            if pulse > 1e-9:
                found += [(t + drive.dead_time_s, 1.0), (t + drive.dead_time_s + pulse, 0.0)]
        elif isinstance(drive, Relay):
            changed = found[-1][0] if found else -1e9
            want = 1.0 if u >= 0.5 else 0.0
            waits = drive.shortest_off_s if before == 0 else drive.shortest_on_s
            if want != before and t - changed >= waits - 1e-9:
                found.append((t, want))
                before = want
        else:
            assert isinstance(drive, Fan)
            level = (
                0.0 if u < drive.acting_off_below else np.floor(min(max(u, drive.floor), drive.top) * drive.steps + 0.5)
            )
            level /= drive.steps if level else 1.0
            if before == 0.0 and level > 0 and drive.kick_start_s > 0:
                found += [(t, drive.top), (t + drive.kick_start_s, level)]
            elif level != before and not (found and found[-1][0] > t):
                found.append((t, level))
            before = level
    return sorted(found, key=lambda change: change[0])


def difference(run: Run) -> float:
    """Largest difference of any body at any sample."""
    rig, drive, n = run.rig, run.rig.drive, len(run.rig.bodies)
    c = np.array([body.capacity_J_per_K for body in rig.bodies])
    own = np.array([body.own_heat_W for body in rig.bodies])
    melts = [(i, b.melting, b.melting.latent_J / c[i]) for i, b in enumerate(rig.bodies) if b.melting is not None]
    changes = switchings(run)
    edges = {t for t, _ in changes} | {float(t) for t in run.time_s} | {e.at_s for e in run.trial.events}
    edges |= {e.at_s + e.lasts_s for e in run.trial.events if e.lasts_s is not None}
    times = sorted(t for t in edges if 0 <= t <= run.time_s[-1])

    def degC(theta: np.ndarray) -> np.ndarray:
        found = theta.copy()
        for i, m, extra in melts:
            share = (theta[i] - m.from_degC) / (m.to_degC - m.from_degC + extra)
            inside = m.from_degC + share * (m.to_degC - m.from_degC)
            found[i] = theta[i] if share <= 0 else inside if share < 1 else theta[i] - extra
        return found

    def theta_of(t: np.ndarray) -> np.ndarray:
        found = t.copy()
        for i, m, extra in melts:
            found[i] += extra * min(max((t[i] - m.from_degC) / (m.to_degC - m.from_degC), 0.0), 1.0)
        return found

    def slopes(t: float, x: np.ndarray, level: float, middle: float) -> np.ndarray:
        temp, flow = degC(x[:n]), max(x[n], 0.0)
        outside = run.surroundings_at(middle)
        full, q = np.append(temp, outside), np.zeros(n + 1)
        for link in rig.links:
            a, b = rig.body_index(link.a), rig.body_index(link.b)
            g = link.conductance_W_per_K + run.door_at(link.a, link.b, middle)
            if link.driven_by is not None:
                g += link.full_W_per_K * flow**link.flow_exponent
            heat = g * (full[b] - full[a])
            heat += SIGMA * link.radiating_m2 * ((full[b] + 273.15) ** 4 - (full[a] + 273.15) ** 4)
            q[a] += heat
            q[b] -= heat
        for event in run.trial.events:
            on = event.at_s <= middle < event.at_s + (event.lasts_s or 1e12)
            if on and event.kind == "load":
                q[rig.body_index(event.body)] += event.power_W
            if on and event.kind == "door" and rig.link_between(event.body, SURROUNDINGS) is None:
                q[rig.body_index(event.body)] += run.door_at(event.body, SURROUNDINGS, middle) * (
                    outside - temp[rig.body_index(event.body)]
                )
        for draw_off in rig.draw_offs:
            if run.drawn_at(draw_off, middle):
                i = rig.body_index(draw_off.body)
                inlet = rig.surroundings.temperature_degC if draw_off.inlet_degC is None else draw_off.inlet_degC
                q[i] += draw_off.flow_W_per_K * (inlet - temp[i])
        speed = 0.0
        if isinstance(drive, Fan):
            target = level if level >= drive.stalls_below else 0.0
            speed = (target - x[n]) / drive.speed_lag_s
        else:
            q[rig.body_index(drive.body or "")] += level * drive.power_W
        return np.append((q[:n] + own) / c, speed)

    x = np.append(theta_of(run.bodies_degC[:, 0].copy()), 0.0)
    worst, sample, k, level = 0.0, 1, 0, 0.0
    for begin, end in pairwise(times):
        while k < len(changes) and changes[k][0] <= begin + 1e-9:
            level, k = changes[k][1], k + 1
        if end - begin > 1e-9:
            x = solve_ivp(
                slopes, (begin, end), x, method="Radau", rtol=1e-9, atol=1e-9, args=(level, (begin + end) / 2)
            ).y[:, -1]
        if sample < run.time_s.size and abs(end - run.time_s[sample]) < 1e-9:
            worst = max(worst, float(np.abs(degC(x[:n]) - run.bodies_degC[:, sample]).max()))
            sample += 1
    assert sample == run.time_s.size
    return worst


if __name__ == "__main__":
    for name, kelvin in against_solve_ivp().items():
        print(f"{name}: {kelvin:.1e} K", flush=True)
