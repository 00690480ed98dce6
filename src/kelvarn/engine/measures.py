"""Numbers read off a run.

Judged on the temperature of the body the control probe sits in. A window runs from a setpoint change or an event to the
next one inclusive, else to the end. Highest and lowest are those of the true course, also between samples. A measure
that does not exist in a run is None with a reason, never 0 and never NaN. The definitions are those of the project's
model page and stand at each function and in `survey.py`, which reads them off.
"""

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from kelvarn.model.mark import MEASURES
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .changes import openings
from .guard_records import Ruler
from .laws.pid import FIRST_AT_LIMIT, LAST_AT_LIMIT
from .plan import setpoint_at
from .plant import NONE
from .records import rows_of
from .run import Run, Summary
from .survey import BodyFound, RunFound, SpanFound, SpanPlace

Values = dict[str, float | None]
_AT_SETPOINT = say("it starts at the setpoint")
_NO_RAMP = say("the setpoint does not ramp here")
_NO_SWING = say("it does not swing twice in the last quarter of the window")
_TOO_SHORT = say("the window is shorter than two readings")
_NOT_OF_A_STAGE = (_AT_SETPOINT, _NO_RAMP, _NO_SWING, _TOO_SHORT)
"""Reasons why a stage has no such measure that say nothing against the run."""
YEAR_S = 365.25 * 86400


@dataclass(frozen=True)
class Span:
    """One stretch of a run and its measures.

    Attributes:
        opens: what opened it; `name` is the event's, or of a named setpoint, else "setpoint".
        from_s, to_s: its span.
        setpoint_degC: setpoint it is judged against.
        values: measures by key; None where `reasons` says why.
        peak_s: when the overshoot (or, after an event, the sag) was greatest; None without one.
        setpoint_change: which change of the plan as written out opened it; −1 of an event. start_degC: what was there.
        stages: of what is gathered from several stages, the one that each measure is of.
        guard: of an event: the guard code of the first guard that ruled after it, before a trip, and how long after;
            None where none did. alarm: likewise of the first alarms. trip: the place in the rig of the first guard that
            tripped, or opened as a cut-off, after it, and how long after.
    """

    opens: Literal["setpoint", "event"]
    name: str
    from_s: float
    to_s: float
    setpoint_degC: float
    values: Values
    reasons: dict[str, str]
    peak_s: float | None
    setpoint_change: int = -1
    start_degC: float | None = None
    stages: dict[str, "Span"] = field(default_factory=dict)
    guard: tuple[int, float] | None = None
    trip: tuple[int, float] | None = None
    alarm: tuple[int, float] | None = None


@dataclass(frozen=True)
class Measures:
    """All measures of a run: windows in order of time, and those of the whole run.

    Of bodies by name: hottest and coldest, margin to the nearer limit and time beyond one, when one was first passed,
    the temperature at the end, and the highest and lowest since the event that stands last began.

    `ended`: the guard that switched the drives off for good, and when, s; None where none did. `beyond`: the changes of
    the plan, by place, that the rig has no drive for.
    """

    windows: tuple[Span, ...]
    values: Values
    reasons: dict[str, str]
    hottest_degC: dict[str, float]
    coldest_degC: dict[str, float]
    limit_margin_K: dict[str, float | None] = field(default_factory=dict)
    beyond_limit_s: dict[str, float | None] = field(default_factory=dict)
    passed_limit_s: dict[str, float | None] = field(default_factory=dict)
    end_degC: dict[str, float] = field(default_factory=dict)
    after_degC: dict[str, float] = field(default_factory=dict)
    after_low_degC: dict[str, float] = field(default_factory=dict)
    ended: tuple[str, float] | None = None
    beyond: frozenset[int] = frozenset()

    @property
    def first(self) -> Span:
        """The first setpoint window."""
        return self.windows[0]

    @property
    def stages(self) -> tuple[Span, ...]:
        """The stages of the plan that count: those that the drives can bring about, else all of them."""
        every = tuple(window for window in self.windows if window.opens == "setpoint")
        return tuple(window for window in every if window.setpoint_change not in self.beyond) or every

    @cached_property
    def main(self) -> Span:
        """Every measure at the stage of the plan in which it is worst; its place is that of the worst overshoot."""
        stages = self.stages
        if len(stages) == 1:
            return stages[0]
        values: Values = {}
        reasons: dict[str, str] = {}
        at: dict[str, Span] = {}
        for key in [key for key, kind in MEASURES.items() if kind.scope == "window"]:
            at[key] = max(stages, key=lambda stage, key=key: _badness(stage, key))  # type: ignore[misc]
            values[key] = at[key].values[key]
            if values[key] is None:
                reasons[key] = at[key].reasons[key]
        place = at["overshoot_K"]
        if place.values["overshoot_K"] is None:
            place = max(stages, key=lambda stage: stage.to_s - stage.from_s)
        return replace(place, values=values, reasons=reasons, stages=at)

    def stage(self, name: str) -> Span | None:
        """The stage whose setpoint has a name; None where the run has none."""
        return next((each for each in self.windows if each.opens == "setpoint" and each.name == name), None)

    def event(self, name: str) -> Span:
        """The window an event opens; of one that repeats, the one recovered from last. KeyError where it has none."""
        found = [window for window in self.windows if window.opens == "event" and window.name == name]
        if not found:
            raise KeyError(name)
        return max(found, key=_trouble)


def _badness(stage: Span, key: str) -> tuple[int, float]:
    """How bad a measure of a stage is: that it is not there for a reason of the run is worst, of the stage least."""
    value = stage.values[key]
    if value is not None:
        return 1, abs(value)
    return (0 if stage.reasons[key] in _NOT_OF_A_STAGE else 2), 0.0


def _trouble(window: Span) -> tuple[bool, float, float]:
    """How much trouble the window of an event shows: no recovery, a late one, a large sag."""
    recovery, sag = window.values.get("recovery_s"), window.values.get("sag_K")
    return recovery is None, recovery or 0.0, sag or 0.0


class _Found:
    """Values being gathered."""

    def __init__(self) -> None:
        self.values: Values = {}
        self.reasons: dict[str, str] = {}

    def put(self, key: str, value: Any, why_not: str = "") -> None:
        self.values[key] = None if value is None else float(value)
        if value is None:
            self.reasons[key] = why_not


def measure(run: Summary) -> Measures:
    """All measures of a run."""
    rows = zip(
        openings(run.trial),
        rows_of(run.found.windows, SpanPlace),
        rows_of(run.found.in_windows, SpanFound),
        strict=True,
    )
    whole = rows_of(run.found.in_run, RunFound)[0]
    ended = None if whole.ended_s == NONE else (run.rig.guards[whole.ended_place].name, float(whole.ended_s))
    windows = tuple(
        _ended(_span(run, window, each, event, change), ended)
        for (_, _, change, event), window, each in rows
        if window.last >= 0
    )
    of_run = _Found()
    _drive(run, whole, of_run)
    if ended is not None:
        for key in _OF_DRIVING:
            of_run.put(key, None, ended_text(*ended))
    bodies = rows_of(run.found.bodies, BodyFound)
    # A response model of two lags has another body behind the one that has a name.
    highest = {body.name: found.highest_degC for body, found in zip(run.rig.all_bodies, bodies, strict=False)}
    lowest = {body.name: found.lowest_degC for body, found in zip(run.rig.all_bodies, bodies, strict=False)}
    beyond = {
        body.name: None if body.margin_K(0.0, 0.0) is None else found.beyond * run.rig.probe.interval_s
        for body, found in zip(run.rig.all_bodies, bodies, strict=False)
    }
    named = list(zip(run.rig.all_bodies, bodies, strict=False))
    return Measures(
        windows, of_run.values, of_run.reasons, highest, lowest, _margins(run.rig, lowest, highest), beyond,
        passed_limit_s={body.name: None if each.passed_s == NONE else each.passed_s for body, each in named},
        end_degC={body.name: each.end_degC for body, each in named},
        after_degC={body.name: each.after_degC for body, each in named},
        after_low_degC={body.name: each.after_low_degC for body, each in named},
        ended=ended,
        beyond=_beyond_drives(run.rig, windows),
    )  # fmt: skip


_OF_DRIVING = ("mean_drive", "time_at_limit_s", "travel", "switch_ons_per_h", "shortest_on_s", "shortest_off_s",
               "steps_per_h", "relay_life_years", "worst_over_K", "worst_under_K", "ready_s")  # fmt: skip
"""Measures of a whole run that say nothing where the drives were switched off for good in it."""
_SMALL_K = 0.1  # a change of the setpoint that takes no drive


def ended_text(name: str, at_s: float) -> str:
    """That a guard ended a run, in words."""
    return f"“{name}” switched off after {show(at_s, Quantity.DURATION)}"


def _ended(window: Span, ended: tuple[str, float] | None) -> Span:
    """A window as it is where a guard switched the drives off before its end: nothing is measured any more."""
    if ended is None or window.to_s <= ended[1]:
        return window
    kept = ("trip_s", "act_s")
    gone = [key for key in window.values if key not in kept]
    return replace(
        window,
        values={**window.values, **dict.fromkeys(gone)},
        reasons={**window.reasons, **dict.fromkeys(gone, ended_text(*ended))},
        peak_s=None,
    )


def _beyond_drives(rig: Rig, windows: tuple[Span, ...]) -> frozenset[int]:
    """Changes of the plan that the rig has no drive for: a fall that nothing cools, a rise that nothing heats."""
    found = set()
    for window in windows:
        if window.opens == "setpoint" and window.start_degC is not None:
            way = window.setpoint_degC - window.start_degC
            if (way < -_SMALL_K and not rig.cools) or (way > _SMALL_K and not rig.heats):
                found.add(window.setpoint_change)
    return frozenset(found)


def _margins(rig: Rig, lowest: dict[str, float], highest: dict[str, float]) -> dict[str, float | None]:
    return {body.name: body.margin_K(lowest[body.name], highest[body.name]) for body in rig.all_bodies}


def _span(run: Summary, window: SpanPlace, read: SpanFound, event: int, change: int) -> Span:
    found = _Found()
    opens: Literal["setpoint", "event"] = "event" if window.after_event else "setpoint"
    named = None if window.after_event else run.trial.course[change].named
    name = run.trial.occurrences[event].name if window.after_event else named or "setpoint"
    if window.last <= window.first:
        for key, kind in MEASURES.items():
            if kind.scope in ("window", "event"):
                found.put(key, None, _TOO_SHORT)
        target = window.target_degC
        if window.after_event:
            start = run.rig.surroundings.temperature_degC
            target = float(setpoint_at(run.trial.course, np.array([window.from_s]), start)[0])
        return Span(opens, name, window.from_s, window.to_s, target, found.values, found.reasons, None, change)
    if window.after_event:
        found.put("sag_K", read.sag_K)
        found.put("trip_s", None if read.trip_s == NONE else read.trip_s, say("nothing trips after it"))
        why_not = say("the rig has no goal") if run.rig.goal is None else say("the goal is kept, or was not before")
        found.put("act_s", None if read.act_s == NONE else read.act_s, why_not)
        peak_s: float | None = read.sag_s
        _settling(run, window, read, "recovery_s", found)
    else:
        peak_s = _approach(read, found)
        _settling(run, window, read, "settling_s", found)
        _tracking(window, read, found)
    found.put("steady_error_K", read.steady_error_K)
    found.put("swing_K", read.swing_K)
    period = None if read.swing_period_s == NONE else read.swing_period_s
    found.put("swing_period_s", period, _NO_SWING)
    found.put("iae_Ks", read.iae_Ks)
    found.put("ise_K2s", read.ise_K2s)
    found.put("itae_Ks2", read.itae_Ks2)
    guard = trip = alarm = None
    if window.after_event:
        guard = None if read.guard_s == NONE else (int(read.guard_code), float(read.guard_s))
        alarm = None if read.alarm_s == NONE else (int(read.alarm_code), float(read.alarm_s))
        trip = None if read.trip_s == NONE else (int(read.trip_place), float(read.trip_s))
    return Span(
        opens,
        name,
        window.from_s,
        window.to_s,
        read.target_degC,
        found.values,
        found.reasons,
        peak_s,
        change,
        read.start_degC,
        guard=guard,
        trip=trip,
        alarm=alarm,
    )


def _approach(read: SpanFound, found: _Found) -> float | None:
    """Rise time and overshoot, Δ = r − y0. Returns the instant of the greatest overshoot in s."""
    gap = read.target_degC - read.start_degC
    if abs(gap) < 1e-9:
        for key in ("rise_s", "overshoot_K", "overshoot_pct"):
            found.put(key, None, _AT_SETPOINT)
        return None
    if read.nine_tenths_s == NONE:
        found.put("rise_s", None, say("it covers less than 90 % of the way"))
    else:
        found.put("rise_s", read.nine_tenths_s - read.tenth_s)
    over = max(0.0, read.beyond_K)
    found.put("overshoot_K", over)
    found.put("overshoot_pct", 100 * over / abs(gap))
    return read.beyond_s if over > 0 else None


def _settling(run: Summary, window: SpanPlace, read: SpanFound, key: str, found: _Found) -> None:
    """From the start to the last instant outside ±band; none if outside at the end or inside for too short a while.

    Too short is less than ten samples or a twentieth of the window, whichever is more.
    """
    if read.inside_s < 0:
        found.put(key, None, say("it is outside the band at the end of the window"))
    elif read.inside_s < max(10 * run.rig.probe.interval_s, 0.05 * (window.to_s - window.from_s)) - 1e-9:
        swings = read.swing_K > 2 * run.trial.band_K
        too_short = say("it is inside the band for too short a while to call it settled")
        found.put(key, None, say("it swings through the band and does not stay") if swings else too_short)
    else:
        found.put(key, read.settled_s)


def _tracking(window: SpanPlace, read: SpanFound, found: _Found) -> None:
    """Largest and rms distance from the plan along a ramp, after the first reach."""
    why_not = say("it does not reach the ramp") if window.ramp_K_per_s else _NO_RAMP
    for key, value in (("tracking_max_K", read.tracking_max_K), ("tracking_rms_K", read.tracking_rms_K)):
        found.put(key, None if value == NONE else value, why_not)


def _drive(run: Summary, read: RunFound, found: _Found) -> None:
    """What the run asked of the drives, over the whole of it."""
    duration = run.duration_s
    found.put("energy_J", run.energy_J)
    found.put("mean_drive", read.mean_drive)
    limited = None if run.controller.switches else read.samples_at_limit * run.rig.probe.interval_s
    found.put("time_at_limit_s", limited, say("does not apply to on/off"))
    found.put("travel", read.travel)
    found.put("switch_ons_per_h", max(each.ons for each in run.switching) / duration * 3600)
    shortest_on = [each.shortest_on_s for each in run.switching if each.shortest_on_s is not None]
    shortest_off = [each.shortest_off_s for each in run.switching if each.shortest_off_s is not None]
    found.put("shortest_on_s", min(shortest_on, default=None), say("there is no complete on-time"))
    found.put("shortest_off_s", min(shortest_off, default=None), say("there is no complete off-time"))
    taken = read.steps_taken / duration * 3600 if run.controller.has_steps else None
    found.put("steps_per_h", taken, say("only a curve has steps to take"))
    why_not = say("the setpoint is never reached")
    found.put("worst_over_K", None if read.worst_over_K == NONE else read.worst_over_K, why_not)
    found.put("worst_under_K", None if read.worst_under_K == NONE else read.worst_under_K, why_not)
    found.put("inside_share", None if run.rig.goal is None else read.inside_share, say("the rig has no goal"))
    found.put("alarms", read.alarms)
    found.put("alarm_s", read.alarm_samples * run.rig.probe.interval_s)
    found.put("trips", read.trips)
    found.put("ready_s", None if read.ready_s == NONE else read.ready_s, say("it is not ready at the end"))
    relays = [
        (drive, each.ons) for drive, each in zip(run.rig.drives, run.switching, strict=True) if drive.kind == "relay"
    ]
    lives = [drive.rated_operations / (ons / duration * YEAR_S) for drive, ons in relays if ons > 0]
    why_not = say("the relay never switches on") if relays else say("no drive is a relay")
    found.put("relay_life_years", min(lives, default=None), why_not)
    found.put("most_ice_kg", run.most_ice_kg, say("nothing ices"))
    found.put("ice_left_kg", run.ice_left_kg, say("nothing ices"))


def worst_after(run: Run, measures: Measures) -> tuple[float, str] | None:
    """The largest distance from the setpoint after an event that began inside the band, and the event's name.

    In K, above 0 where it is above the setpoint; on the true course, where it is larger than the overshoot of the main
    window; None where none is.
    """
    over = measures.main.values.get("overshoot_K") or 0.0
    found: tuple[float, str] | None = None
    for window in measures.windows:
        if window.opens != "event":
            continue
        first, last = run.sample_at(window.from_s), run.sample_at(window.to_s)
        here = slice(first, max(last, first + 1))
        setpoint = run.setpoint_degC[here]
        if abs(float(run.judged_degC[first] - setpoint[0])) > run.trial.band_K:
            continue
        above, below = float((run.highest_degC[here] - setpoint).max()), float((setpoint - run.lowest_degC[here]).max())
        away = above if above >= below else -below
        if abs(away) > max(over, run.trial.band_K) and (found is None or abs(away) > abs(found[0])):
            found = away, window.name
    return found


def at_limit(run: Run) -> np.typing.NDArray[np.bool_]:
    """Samples at which more or less was asked than the drive could give."""
    at_limit: np.typing.NDArray[np.bool_] = (run.law_code >= FIRST_AT_LIMIT) & (run.law_code <= LAST_AT_LIMIT)
    return at_limit & (run.guard_code == Ruler.LAW)
