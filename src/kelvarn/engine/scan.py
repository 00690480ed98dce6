"""The numbers of a run, read off its samples in one go; `measures` says what they mean."""

import math

from .codes import (
    AFTER_EVENT,
    AT_LIMIT_SAMPLES,
    BEYOND_AT,
    BEYOND_K,
    DRIVE_TRAVEL,
    FIRST,
    IAE,
    ISE,
    ITAE,
    LAST,
    MEAN_DRIVE,
    NINE_TENTHS_S,
    NONE,
    OUTSIDE_AT,
    SETTLED_S,
    STARTS_S,
    STEADY,
    SWING,
    SWING_PERIOD_S,
    TARGET,
    TENTH_S,
    WORST_AT,
    WORST_K,
)
from .jit import compiled, part, subroutine


@part
def _between(t0, y0, t1, y1, level):
    """Instant at which a straight line from one sample to the next passes a level."""
    return t0 + (t1 - t0) * (level - y0) / (y1 - y0)


@subroutine
def _window(t, y, plan, start_s, target, band, after_event, found):
    """Read a window of at least two samples; arguments as in `survey`, all of the window alone."""
    last = t.size - 1
    for slot in range(found.size):
        found[slot] = NONE
    gap = target - y[0]
    sign = 1.0 if gap > 0 else -1.0
    beyond, worst = -math.inf, -1.0
    total = squares = weighted = 0.0
    outside = -1
    tenth = nine_tenths = -1
    steady_from, late_from = t[last] - (t[last] - t[0]) / 10, t[last] - (t[last] - t[0]) / 4
    steady, steady_count = 0.0, 0
    late, low, high, late_mean = -1, math.inf, -math.inf, 0.0
    for k in range(last + 1):
        error = y[k] - plan[k]
        size = abs(error)
        if size > worst:
            worst, found[WORST_AT] = size, k
        weight = 0.5 if k == 0 or k == last else 1.0  # trapezium rule
        total += weight * size
        squares += weight * error * error
        weighted += weight * size * (t[k] - start_s)
        if (size if after_event else abs(y[k] - target)) > band:
            outside = k
        if gap != 0.0:
            way = (y[k] - y[0]) / gap
            if tenth < 0 and way >= 0.1:
                tenth = k
            if nine_tenths < 0 and way >= 0.9:
                nine_tenths = k
            if sign * (y[k] - target) > beyond:
                beyond, found[BEYOND_AT] = sign * (y[k] - target), k
        if t[k] >= steady_from:
            steady += error
            steady_count += 1
        if t[k] >= late_from:
            late = k if late < 0 else late
            late_mean += y[k]
            low, high = min(low, y[k]), max(high, y[k])
    h = t[1] - t[0]
    found[IAE], found[ISE], found[ITAE] = h * total, h * squares, h * weighted
    found[WORST_K], found[BEYOND_K], found[OUTSIDE_AT] = worst, beyond, outside
    found[STEADY], found[SWING] = steady / steady_count, high - low
    if nine_tenths >= 0:
        for slot, k, share in ((TENTH_S, tenth, 0.1), (NINE_TENTHS_S, nine_tenths, 0.9)):
            level = y[0] + share * gap
            found[slot] = t[k] if k == 0 else _between(t[k - 1], y[k - 1], t[k], y[k], level)
    if 0 <= outside < last:
        base, following = (plan[outside], plan[outside + 1]) if after_event else (target, target)
        before, after = y[outside] - base, y[outside + 1] - following
        found[SETTLED_S] = _between(t[outside], before, t[outside + 1], after, math.copysign(band, before)) - start_s
    late_mean /= last + 1 - late
    ups, first_up, last_up = 0, 0.0, 0.0
    for k in range(late, last):
        if y[k] < late_mean <= y[k + 1]:
            last_up = _between(t[k], y[k], t[k + 1], y[k + 1], late_mean)
            first_up = last_up if ups == 0 else first_up
            ups += 1
    if ups > 1:
        found[SWING_PERIOD_S] = (last_up - first_up) / (ups - 1)


@compiled("d1r d1r d1r d1r q1r q q d2r d2r d d2 d1 d1")
def survey(t, y, plan, drive, reasons, lowest, highest, bodies, windows, band, found, whole, hottest):
    """Read all of a run.

    Args:
        t, y, plan, drive: instants in s, temperature and setpoint in degC, drive, shape (m,); at least two samples.
        reasons: codes, shape (m,); those from `lowest` to `highest` are of a drive at its limit.
        bodies: degC of each, shape (n, m).
        windows: one row each, slots of `codes`: first sample, one after the last (two or more in all), when it opens
            in s, the setpoint it is judged against, whether settling is judged by the distance from the plan instead.
        band: half width of the tolerance band, K.
        found: shape (windows, SCAN_SIZE), filled; slots of `codes`.
        whole: of the run without its last sample, shape (WHOLE_SIZE,), filled.
        hottest: degC of each body, shape (n,), filled.
    """
    for w in range(windows.shape[0]):
        first, last = int(windows[w, FIRST]), int(windows[w, LAST])
        _window(
            t[first:last], y[first:last], plan[first:last], windows[w, STARTS_S], windows[w, TARGET], band,
            windows[w, AFTER_EVENT] > 0.0, found[w],
        )  # fmt: skip
    total = travel = 0.0
    count = 0
    for k in range(t.size - 1):
        total += drive[k]
        travel += abs(drive[k + 1] - drive[k])
        if lowest <= reasons[k] <= highest:
            count += 1
    whole[MEAN_DRIVE], whole[DRIVE_TRAVEL], whole[AT_LIMIT_SAMPLES] = total / (t.size - 1), travel, count
    for i in range(bodies.shape[0]):
        most = bodies[i, 0]
        for k in range(1, t.size):
            most = max(most, bodies[i, k])
        hottest[i] = most
