"""Numbers read off a run.

Judged on the temperature of the body the control probe sits in. A window runs from a setpoint change or an event to the
next one, else to the end. A measure that does not exist in a run is None with a reason, never 0 and never NaN. The
definitions are those of the project's model page and stand at each function.
"""

import math
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from kelvarn.model.drives import Relay, SlowWindow
from kelvarn.model.mark import MEASURES

from . import codes
from .plan import ramp_end_s
from .reasons import AT_LIMIT
from .run import Run

Values = dict[str, float | None]
YEAR_S = 365.25 * 86400


@dataclass(frozen=True)
class Window:
    """One stretch of a run and its measures.

    Attributes:
        opens: what opened it; `name` is the event's, or "setpoint".
        from_s, to_s: its span.
        setpoint_degC: setpoint it is judged against.
        values: measures by key; None where `reasons` says why.
        peak_s: when the overshoot (or, after an event, the sag) was greatest; None without one.
    """

    opens: Literal["setpoint", "event"]
    name: str
    from_s: float
    to_s: float
    setpoint_degC: float
    values: Values
    reasons: dict[str, str]
    peak_s: float | None


@dataclass(frozen=True)
class Measures:
    """All measures of a run: windows in order of time, and those of the whole run."""

    windows: tuple[Window, ...]
    values: Values
    reasons: dict[str, str]
    hottest_degC: dict[str, float]
    limit_margin_K: dict[str, float | None] = field(default_factory=dict)

    @property
    def first(self) -> Window:
        """The first setpoint window."""
        return self.windows[0]

    @property
    def main(self) -> Window:
        """The longest setpoint window: what people mean by overshoot and settling, where a plan has several."""
        return max((w for w in self.windows if w.opens == "setpoint"), key=lambda w: w.to_s - w.from_s)

    def event(self, name: str) -> Window:
        """The window an event opens; KeyError where it has none."""
        for window in self.windows:
            if window.opens == "event" and window.name == name:
                return window
        raise KeyError(name)


class _Found:
    """Values being gathered."""

    def __init__(self) -> None:
        self.values: Values = {}
        self.reasons: dict[str, str] = {}

    def put(self, key: str, value: Any, why_not: str = "") -> None:
        self.values[key] = None if value is None else float(value)
        if value is None:
            self.reasons[key] = why_not


def measure(run: Run) -> Measures:
    """Read all measures off a run."""
    from .scan import survey

    spans = _spans(run)
    table = np.array([span.row for span in spans if span.long_enough], float).reshape(-1, 5)
    found, whole = np.empty((len(table), codes.SCAN_SIZE)), np.empty(codes.WHOLE_SIZE)
    hottest = np.empty(len(run.rig.all_bodies))
    survey(
        run.time_s, run.controlled_degC, run.setpoint_degC, run.drive, run.reason, min(AT_LIMIT), max(AT_LIMIT),
        run.bodies_degC, table, run.trial.band_K, found, whole, hottest,
    )  # fmt: skip
    rows = iter(found.tolist())
    windows = tuple(_window(run, span, next(rows) if span.long_enough else None) for span in spans)
    of_drive = _Found()
    _drive(run, whole.tolist(), of_drive)
    bodies = list(zip(run.rig.all_bodies, hottest.tolist(), strict=True))
    margins = {body.name: None if body.limit_degC is None else body.limit_degC - most for body, most in bodies}
    return Measures(windows, of_drive.values, of_drive.reasons, {body.name: most for body, most in bodies}, margins)


@dataclass(frozen=True)
class _Span:
    """A window before it is read: samples first … last−1 from an instant to another."""

    opens: Literal["setpoint", "event"]
    name: str
    index: int
    from_s: float
    to_s: float
    first: int
    last: int
    target_degC: float

    @property
    def long_enough(self) -> bool:
        return self.last - self.first >= 2

    @property
    def row(self) -> tuple[float, ...]:
        return self.first, self.last, self.from_s, self.target_degC, self.opens == "event"


def _spans(run: Run) -> list[_Span]:
    opens: list[tuple[float, int, str, int]] = [
        (change.at_s, 0, "setpoint", index) for index, change in enumerate(run.trial.plan.changes)
    ]
    opens += [(event.at_s, 1, event.name, index) for index, event in enumerate(run.trial.events)]
    opens.sort()
    end, h, samples = float(run.time_s[-1]), run.rig.probe.interval_s, run.time_s.size
    spans = []
    for place, (start, kind, name, index) in enumerate(opens):
        if start > end:
            continue
        until = min(next((o[0] for o in opens[place + 1 :] if o[0] > start), end), end)
        first = math.ceil((start - 1e-9) / h)
        # The sample at which the next window opens already has that one's setpoint; only the run's last belongs here.
        last = samples if until >= end else math.ceil((until - 1e-9) / h)
        target = float(run.setpoint_degC[max(last, 1) - 1]) if kind else run.trial.plan.changes[index].to_degC
        spans.append(_Span("event" if kind else "setpoint", name, index, start, until, first, last, target))
    return spans


def _window(run: Run, span: _Span, read: list[float] | None) -> Window:
    found = _Found()
    opens, target = span.opens, span.target_degC
    peak_s: float | None = None
    if read is None:
        for key, kind in MEASURES.items():
            if kind.scope in ("window", "event"):
                found.put(key, None, "the window is shorter than two readings")
        return Window(opens, span.name, span.from_s, span.to_s, target, found.values, found.reasons, None)
    if opens == "setpoint":
        over = _approach(target - float(run.controlled_degC[span.first]), read, found)
        peak_s = None if over is None else float(run.time_s[span.first + over])
        _settling(span, read, "settling_s", found)
        _tracking(run, span, found)
    else:
        found.put("sag_K", read[codes.WORST_K])
        peak_s = float(run.time_s[span.first + int(read[codes.WORST_AT])])
        _settling(span, read, "recovery_s", found)
    found.put("steady_error_K", read[codes.STEADY])
    found.put("swing_K", read[codes.SWING])
    period = read[codes.SWING_PERIOD_S]
    found.put(
        "swing_period_s",
        None if period == codes.NONE else period,
        "it does not swing twice in the last quarter of the window",
    )
    found.put("iae_Ks", read[codes.IAE])
    found.put("ise_K2s", read[codes.ISE])
    found.put("itae_Ks2", read[codes.ITAE])
    return Window(opens, span.name, span.from_s, span.to_s, target, found.values, found.reasons, peak_s)


def _approach(gap: float, read: list[float], found: _Found) -> int | None:
    """Rise time and overshoot; `gap` is Δ = r − y0. Returns the sample of the greatest overshoot."""
    if abs(gap) < 1e-9:
        for key in ("rise_s", "overshoot_K", "overshoot_pct"):
            found.put(key, None, "it starts at the setpoint")
        return None
    if read[codes.NINE_TENTHS_S] == codes.NONE:
        found.put("rise_s", None, "it does not get nine tenths of the way")
    else:
        found.put("rise_s", read[codes.NINE_TENTHS_S] - read[codes.TENTH_S])
    over = max(0.0, read[codes.BEYOND_K])
    found.put("overshoot_K", over)
    found.put("overshoot_pct", 100 * over / abs(gap))
    return int(read[codes.BEYOND_AT]) if over > 0 else None


def _settling(span: _Span, read: list[float], key: str, found: _Found) -> None:
    """From the start to the last instant outside ±band; none if outside at the end or inside for too short a while.

    Too short is less than ten samples or a twentieth of the window, whichever is more.
    """
    samples, outside = span.last - span.first, int(read[codes.OUTSIDE_AT])
    if outside == samples - 1:
        found.put(key, None, "it is outside the band at the end of the window")
    elif samples - (outside + 1) < max(10, 0.05 * samples):
        found.put(key, None, "it is inside the band for too short a while to call it settled")
    else:
        found.put(key, 0.0 if outside < 0 else read[codes.SETTLED_S])


def _tracking(run: Run, span: _Span, found: _Found) -> None:
    """Largest and rms distance from the plan along a ramp, after the first reach."""
    change = run.trial.plan.changes[span.index]
    keys = ("tracking_max_K", "tracking_rms_K")
    if change.ramp_K_per_s is None or span.index == 0:
        for key in keys:
            found.put(key, None, "the setpoint does not ramp here")
        return
    part = slice(span.first, span.last)
    error = run.controlled_degC[part] - run.setpoint_degC[part]
    along = run.time_s[part] <= ramp_end_s(run.trial.plan, span.index)
    reached = np.flatnonzero(np.abs(error) <= run.trial.band_K)
    if not reached.size or not along[reached[0]]:
        for key in keys:
            found.put(key, None, "it does not reach the ramp")
        return
    error = error[reached[0] : int(np.flatnonzero(along)[-1]) + 1]
    found.put(keys[0], np.abs(error).max())
    found.put(keys[1], np.sqrt(np.mean(error * error)))


def _drive(run: Run, whole: list[float], found: _Found) -> None:
    """What the run asked of the drive, over the whole of it."""
    duration = float(run.time_s[-1])
    found.put("energy_J", run.energy_J)
    found.put("mean_drive", whole[codes.MEAN_DRIVE])
    found.put("time_at_limit_s", whole[codes.AT_LIMIT_SAMPLES] * run.rig.probe.interval_s)
    found.put("travel", whole[codes.DRIVE_TRAVEL])
    switching = [(drive, found) for drive, found in zip(run.rig.drives, run.switching, strict=True)
                 if isinstance(drive, Relay | SlowWindow)]  # fmt: skip
    if not switching:
        for key in ("switch_ons_per_h", "shortest_on_s", "shortest_off_s", "relay_life_years"):
            found.put(key, None, "no drive of the rig switches slowly enough to count")
        return
    found.put("switch_ons_per_h", max(each.ons for _, each in switching) / duration * 3600)
    shortest_on = [each.shortest_on_s for _, each in switching if each.shortest_on_s is not None]
    shortest_off = [each.shortest_off_s for _, each in switching if each.shortest_off_s is not None]
    found.put("shortest_on_s", min(shortest_on, default=None), "there is no complete on-time")
    found.put("shortest_off_s", min(shortest_off, default=None), "there is no complete off-time")
    relays = [(drive, each.ons) for drive, each in switching if isinstance(drive, Relay)]
    lives = [drive.rated_operations / (ons / duration * YEAR_S) for drive, ons in relays if ons > 0]
    why_not = "the relay never switches on" if relays else "no drive is a relay"
    found.put("relay_life_years", min(lives, default=None), why_not)


def at_limit(run: Run) -> np.typing.NDArray[np.bool_]:
    """Samples at which more or less was asked than the drive could give."""
    low, high = min(AT_LIMIT), max(AT_LIMIT)  # the codes stand in one block
    return (run.reason >= low) & (run.reason <= high)
