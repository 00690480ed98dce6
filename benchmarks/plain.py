"""The same loop in plain Python on lists and floats, as one would write it without a compiler."""

from math import floor
from typing import Any

from kelvarn.engine import codes


def run(
    a: Any, start: list[float], m: list[list[float]], push: list[float], series: list[list[float]]
) -> list[list[float]]:
    """Run the case that is timed; arguments as for the C loop, settings from `Arrays`. Returns bodies by sample."""
    kp, ki, kd, tf, b, c, bias, low, high, _, tt, _, _ = a.law_settings.tolist()
    noise, r, h = a.noise[0].tolist(), a.setpoint.tolist(), a.h
    drive, step = a.drive_table[0].tolist(), float(a.probe_table[0, codes.STEP])
    window, shortest, resolution = drive[codes.WINDOW], drive[codes.PULSE], drive[codes.RESOLUTION]
    full, dead_time = drive[codes.POWER_W], drive[codes.DEAD_TIME]
    n, z = len(a.inv_c), list(start)
    slots = range(len(z))
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
        z = [sum(m[j][i] * z[j] for j in slots) + watts * push[i] for i in slots]
        moved += watts * h
        while line and line[0][0] < t + h - 1e-9:
            at, wanted = line.pop(0)
            rest, change = t + h - at, (wanted - level) * full
            for i in slots:
                g = series[-1][i]
                for q in range(len(series) - 2, -1, -1):
                    g = g * rest + series[q][i]
                z[i] += rest * change * g
            level = wanted
    return found
