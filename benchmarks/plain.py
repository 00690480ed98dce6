"""The same loop in plain Python on lists and floats, as one would write it without a compiler."""

from math import floor, inf
from typing import Any

from kelvarn.engine.heat import between, turning


def run(of: Any) -> tuple[list[list[float]], list[float], list[float], list[int]]:
    """Run the case that is timed, with the matrices and settings of `kernel.Matrices`.

    Returns:
        Bodies by sample, how hot each got, what is noted of limits and goal (as in the C loop), codes of the law.
    """
    start, m, push, series = (x.tolist() for x in (of.start, of.m, of.push, of.series))
    kp, ki, kd, tf, b, c, bias, low, high, windup, tt, rate_per_s, integrates = of.pid().tolist()
    noise, r, h = of.noise[0].tolist(), of.setpoint.tolist(), of.h
    step, drive = of.probe.resolution_K, of.drive
    window, shortest, resolution = drive.window_s, drive.shortest_pulse_s, drive.resolution_s
    full, dead_time = drive.power_W, drive.dead_time_s
    n, z, a, heated, judged = of.n, list(start), of.a.tolist(), drive.acts_on, of.probe.sits_in
    lows, highs = of.limits.tolist()
    (goal, goal_low, goal_high), since_s = of.goal.tolist(), of.since_s
    hottest, coldest = list(start[:n]), list(start[:n])
    beyond, after_low, after_high, passed, inside = [0] * n, list(start[:n]), list(start[:n]), [-1.0] * n, 0
    slots, samples = range(len(z)), len(r)
    slope = [sum(a[j][i] * z[j] for j in slots) for i in slots]
    memory = speed = last_input = 0.0
    last = min(max(bias, low), high)
    line: list[tuple[float, float]] = []
    windows, out, level, moved = 0, 0.0, 0.0, 0.0
    changed, changes, ons, shortest_on, shortest_off = 0.0, 0, 0, inf, inf
    found, trace, reasons = [], [], []
    for k in range(samples):
        t = k * h
        y = z[n + 2] + noise[k]
        if step > 0:
            y = floor(y / step + 0.5) * step
        entry = c * r[k] - y
        if k == 0:
            memory, last_input = kp * (1 - b) * y if integrates else 0.0, entry
        speed = (tf * speed + kd * (entry - last_input)) / (tf + h)
        last_input = entry
        p = kp * (b * r[k] - y)
        asked = bias + p + memory + speed
        given, reason = min(max(asked, low), high), 20
        if rate_per_s > 0:
            if given > last + rate_per_s * h:
                given, reason = last + rate_per_s * h, 27
            elif given < last - rate_per_s * h:
                given, reason = last - rate_per_s * h, 28
        last = given
        was, error = memory, r[k] - y
        over, under = asked > given, asked < given
        frozen = windup == 1 and ((over and error > 0) or (under and error < 0))
        if integrates:
            if not frozen:
                memory += ki * h * error
            if windup == 2:
                memory += min(h / tt, 1.0) * (given - asked)
        if reason == 20 and (over or under):
            reason = 21 if not integrates or windup == 0 or (windup == 1 and not frozen) else 23 if frozen else 25
            reason += 1 if under else 0
        reasons.append(reason)
        found.append(z[:n])
        for i in range(n):
            if not -274.15 < z[i] < 20000:
                raise ValueError(i)
            if k < samples - 1:
                if not lows[i] <= z[i] <= highs[i]:
                    beyond[i] += 1
                if i == goal and goal_low <= z[i] <= goal_high:
                    inside += 1
        if k == samples - 1:
            break
        begin, since, area = windows * window, t, 0.0
        while begin < t + h - 1e-9:
            pulse = min(max(given, 0.0), 1.0) * window
            if resolution > 0:
                pulse = min(floor(pulse / resolution + 0.5) * resolution, window)
            if pulse < shortest or pulse < 1e-9:
                pulse = 0.0
            elif window - pulse < shortest or window - pulse < 1e-9:
                pulse = window
            for at, wanted in ((begin, 1.0 if pulse > 0 else 0.0), (begin + pulse, 0.0)):
                if (wanted == 0.0 and at > begin and not 0 < pulse < window) or wanted == out:
                    continue
                if changes and out > 0:
                    shortest_on = min(shortest_on, at - changed)
                elif changes:
                    shortest_off = min(shortest_off, at - changed)
                ons += 1 if wanted > 0 else 0
                area += out * (at - since)
                since = changed = at
                changes, out = changes + 1, wanted
                line.append((at + dead_time, wanted))
            windows += 1
            begin = windows * window
        put_out = (area + out * (t + h - since)) / h
        while line and line[0][0] <= t + 1e-9:
            level = line.pop(0)[1]
        watts = level * full
        before, moved_before = z, moved
        z = smooth = [sum(m[j][i] * z[j] for j in slots) + watts * push[i] for i in slots]
        moved += watts * h
        switches: list[tuple[float, float]] = []
        while line and line[0][0] < t + h - 1e-9:
            at, wanted = line.pop(0)
            rest, change = t + h - at, (wanted - level) * full
            switches.append((h - rest, change))
            z = [z[i] + rest * change * horner(series, i, rest) for i in slots]
            moved += change * rest
            level = wanted
        after = [sum(a[j][i] * z[j] for j in slots) for i in slots]
        for i in range(n):
            by = watts * series[0][i]
            rate, rate_after = slope[i] + by, after[i] + by
            low_now, high_now = min(before[i], z[i]), max(before[i], z[i])
            if switches and (i == heated or rate * rate_after < 0):  # its corners; between them its course is smooth
                end_rate = by + sum(a[j][i] * smooth[j] for j in slots)
                for at, _ in switches:
                    degC = between(before[i], rate, smooth[i], end_rate, h, at / h)
                    for earlier, change in switches:
                        if earlier < at:
                            degC += (at - earlier) * change * horner(series, i, at - earlier)
                    low_now, high_now = min(low_now, degC), max(high_now, degC)
            elif rate * rate_after < 0:
                degC = turning(before[i], rate, z[i], rate_after, h)
                low_now, high_now = min(low_now, degC), max(high_now, degC)
            hottest[i], coldest[i] = max(hottest[i], high_now), min(coldest[i], low_now)
            if t < since_s - 1e-9:
                after_low[i], after_high[i] = inf, -inf
            else:
                after_low[i], after_high[i] = min(after_low[i], low_now), max(after_high[i], high_now)
            if passed[i] == -1.0 and (high_now > highs[i] or low_now < lows[i]):
                passed[i] = t
            if i == judged:
                seen = (low_now, high_now)
        trace.append((y, r[k], given, asked, p, was, speed, 0.0, put_out, (moved - moved_before) / h, *seen, 0, 0, 0))
        slope = after
    return found, hottest, [*beyond, *after_low, *after_high, *passed, inside], reasons


def horner(series: list[list[float]], i: int, span: float) -> float:
    """Γ(span)/span of a slot."""
    g = series[-1][i]
    for q in range(len(series) - 2, -1, -1):
        g = g * span + series[q][i]
    return g
