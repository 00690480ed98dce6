"""The same loop in plain Python on lists and floats, as one would write it without a compiler."""

from math import floor
from typing import Any

from kelvarn.engine.heat import between, turning


def run(of: Any) -> tuple[list[list[float]], list[float]]:
    """Run the case that is timed, with the matrices and settings of `kernel.Matrices`.

    Returns bodies by sample,
    and how hot each got.
    """
    start, m, push, series = (x.tolist() for x in (of.start, of.m, of.push, of.series))
    kp, ki, kd, tf, b, c, bias, low, high, _, tt, _, _ = of.pid().tolist()
    noise, r, h = of.noise[0].tolist(), of.setpoint.tolist(), of.h
    step, drive = of.probe.resolution_K, of.drive
    window, shortest, resolution = drive.window_s, drive.shortest_pulse_s, drive.resolution_s
    full, dead_time = drive.power_W, drive.dead_time_s
    n, z, a, heated = of.n, list(start), of.a.tolist(), drive.acts_on
    hottest = list(start[: of.n])
    slots = range(len(z))
    slope = [sum(a[j][i] * z[j] for j in slots) for i in slots]
    memory = speed = last_input = 0.0
    line: list[tuple[float, float]] = []
    windows, out, level, moved = 0, 0.0, 0.0, 0.0
    found, trace = [], []
    for k in range(len(r)):
        t = k * h
        y = floor((z[n + 2] + noise[k]) / step + 0.5) * step
        entry = c * r[k] - y
        if k == 0:
            memory, last_input = kp * (1 - b) * y, entry
        speed = (tf * speed + kd * (entry - last_input)) / (tf + h)
        last_input = entry
        p = kp * (b * r[k] - y)
        asked = bias + p + memory + speed
        given = min(max(asked, low), high)
        trace.append((y, given, asked, p, memory, speed))
        memory += ki * h * (r[k] - y) + min(h / tt, 1.0) * (given - asked)
        found.append(z[:n])
        begin = windows * window
        while begin < t + h - 1e-9:
            pulse = min(floor(given * window / resolution + 0.5) * resolution, window)
            if pulse < shortest or pulse < 1e-9:
                pulse = 0.0
            wanted = 1.0 if pulse > 0 else 0.0
            if wanted != out:
                line.append((begin + dead_time, wanted))
                out = wanted
            if 0 < pulse < window:
                line.append((begin + pulse + dead_time, 0.0))
                out = 0.0
            windows += 1
            begin = windows * window
        while line and line[0][0] <= t + 1e-9:
            level = line.pop(0)[1]
        watts = level * full
        before = z
        z = smooth = [sum(m[j][i] * z[j] for j in slots) + watts * push[i] for i in slots]
        moved += watts * h
        switches: list[tuple[float, float]] = []
        while line and line[0][0] < t + h - 1e-9:
            at, wanted = line.pop(0)
            rest, change = t + h - at, (wanted - level) * full
            switches.append((h - rest, change))
            z = [z[i] + rest * change * horner(series, i, rest) for i in slots]
            level = wanted
        after = [sum(a[j][i] * z[j] for j in slots) for i in slots]
        if k < len(r) - 1:
            for i in range(n):
                by = watts * series[0][i]
                rate, rate_after, high_now = slope[i] + by, after[i] + by, max(before[i], z[i])
                if switches and i == heated:  # its corners; between them its course is smooth
                    end_rate = by + sum(a[j][i] * smooth[j] for j in slots)
                    for at, _ in switches:
                        degC = between(before[i], rate, smooth[i], end_rate, h, at / h)
                        for earlier, change in switches:
                            if earlier < at:
                                degC += (at - earlier) * change * horner(series, i, at - earlier)
                        high_now = max(high_now, degC)
                elif rate > 0 > rate_after:
                    high_now = max(high_now, turning(before[i], rate, z[i], rate_after, h))
                hottest[i] = max(hottest[i], high_now)
        slope = after
    return found, hottest


def horner(series: list[list[float]], i: int, span: float) -> float:
    """Γ(span)/span of a slot."""
    g = series[-1][i]
    for q in range(len(series) - 2, -1, -1):
        g = g * span + series[q][i]
    return g
