"""A second opinion: setpoint and drive worked out another way, with instants and sums in place of ages and memories.

It is written from the model's equations and not from the engine, so that a fault of the engine does not prove itself.
It knows on/off, P, PI and PID, trips and plans that do not wait; `unknown_to` says what else a candidate has.
Source: Åström and Hägglund, Advanced PID Control, 2006, ch. 3 and 13.
"""

import math
from collections.abc import Callable
from itertools import pairwise

from kelvarn.model.guards import Alarm, Trip
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.trial import Plan

from .carry import Carried

_EPS = 1e-9


def unknown_to(carried: Carried) -> str:
    """What of a candidate it does not know, in a sentence; empty where it knows all."""
    rig, law, plan = carried.project.rig, carried.candidate.controller, carried.trial.plan
    others = [guard.name for guard in rig.guards if not isinstance(guard, Trip | Alarm)]
    if isinstance(law, Pid):
        more = (law.rate_per_s, law.zone_K, law.setpoint_rate_K_per_s, law.feed_per_K, law.memory_low, law.memory_high)
        plain = all(each is None for each in more) and law.low >= 0.0
    else:
        plain = isinstance(law, OnOff) and not law.once and law.notation == "edges" and law.decide_every_s == 0.0
    reasons = [
        (not rig.heats or rig.cools, "a rig that cools"), (not plain, "this law with all that it has"),
        (bool(others), f"“{', '.join(others)}”"), (bool(rig.permits), "permits"),
        (bool(plan.week) or plan.again_s is not None or any(each.waits for each in plan.changes), "a plan that waits, "
         "repeats or goes by the clock"), (len(rig.probes) > 1, "several probes"),
        (rig.probe.converter is not None or rig.probe.correction is not None, "a probe with a converter or correction"),
    ]  # fmt: skip
    found = [reason for holds, reason in reasons if holds]
    return f"The second opinion does not know {' and '.join(found)}." if found else ""


class SecondOpinion:
    """Decides sample by sample.

    Args:
        carried: what is decided; `unknown_to` must have nothing to say of it.
    """

    def __init__(self, carried: Carried) -> None:
        self._plan, self._law, self._rig = carried.trial.plan, carried.candidate.controller, carried.project.rig
        self._h = self._rig.probe.interval_s
        self._trips = [guard for guard in self._rig.guards if isinstance(guard, Trip)]
        self._beyond_s: list[float | None] = [None] * len(self._trips)
        self._tripped = [False] * len(self._trips)
        self._y: float | None = None
        self._begun_s = self._start_degC = self._last_s = 0.0
        law = self._law
        self._drive: Callable[[float, float, float], float] = self._on_off if isinstance(law, OnOff) else self._pid
        self._on, self._switched_s = False, 0.0
        self._passed_s: float | None = None
        self._sum, self._speed, self._input, self._asked, self._p = 0.0, 0.0, 0.0, 0.0, 0.0

    def step(self, t: float, reading: float | None, reset: bool) -> tuple[float, float] | None:
        """Setpoint and drive at an instant in s; None before the first reading."""
        probe = self._rig.probe
        if reading is not None:
            first = self._y is None
            self._y = min(max(reading, probe.lowest_degC), probe.highest_degC)
            if first:
                self._begun_s, self._start_degC, self._switched_s, self._last_s = t, self._y, t, t
        if self._y is None:
            return None
        r = _setpoint(self._plan, t - self._begun_s, self._start_degC)
        wanted = self._drive(t, r, self._y)
        blind = reading is None
        given = 0.0 if blind or self._any_trip(t, self._y, reset) else wanted
        if isinstance(self._law, OnOff):
            if (given >= 0.5) != self._on:
                self._on, self._switched_s = given >= 0.5, t
        else:
            self._learn(t, r, self._y, given, ruled=blind or any(self._tripped))
        self._last_s = t
        return r, given

    def _any_trip(self, t: float, y: float, reset: bool) -> bool:
        for place, trip in enumerate(self._trips):
            over = y - trip.at_degC if trip.side == "above" else trip.at_degC - y
            since = self._beyond_s[place]
            self._beyond_s[place] = (t if since is None else since) if over >= 0.0 else None
            since = self._beyond_s[place]
            if since is not None and t - since >= trip.delay_s - _EPS:
                self._tripped[place] = True
            elif over < (0.0 if trip.latches else -trip.hysteresis_K) and (reset or not trip.latches):
                self._tripped[place] = False
        return any(tripped for tripped, trip in zip(self._tripped, self._trips, strict=True) if trip.does != "load")

    def _on_off(self, t: float, r: float, y: float) -> float:
        law = self._law
        assert isinstance(law, OnOff)
        want = True if y <= r - law.below_K else False if y >= r + law.above_K else self._on
        if want == self._on:
            self._passed_s = None
            return float(want)
        self._passed_s = t if self._passed_s is None else self._passed_s
        shortest_s = law.shortest_on_s if self._on else law.shortest_off_s
        if t - self._passed_s < law.confirm_s - _EPS or t - self._switched_s < shortest_s - _EPS:
            return float(self._on)
        self._passed_s = None
        return float(want)

    def _pid(self, t: float, r: float, y: float) -> float:
        law = self._law
        assert isinstance(law, Pid)
        b, c = law.acting_weight, law.derivative_weight
        h = t - self._last_s if t > self._begun_s else self._h
        if t == self._begun_s:
            self._sum = law.kp_per_K * (1 - b) * y if law.integrates else 0.0
            self._input = c * r - y
        if law.acting_td_s > 0.0:  # backward difference of Kp·Td·s/(1 + s·Td/N)
            smooth = law.acting_td_s / law.filter_n
            change = c * r - y - self._input
            self._speed = smooth / (smooth + h) * self._speed + law.kp_per_K * law.acting_td_s / (smooth + h) * change
            self._input = c * r - y
        self._p = law.kp_per_K * (b * r - y)
        self._asked = law.bias + self._p + self._sum + self._speed
        return min(max(self._asked, law.low), law.high)

    def _learn(self, t: float, r: float, y: float, given: float, *, ruled: bool) -> None:
        law = self._law
        assert isinstance(law, Pid)
        if not law.integrates:
            return
        h = t - self._last_s if t > self._begun_s else self._h
        if ruled:
            self._sum = given - law.bias - self._p - self._speed
            return
        error = r - y
        winds = (self._asked > given and error > 0) or (self._asked < given and error < 0)
        if not (law.anti_windup == "hold" and winds):
            self._sum += law.kp_per_K / law.ti_s * h * error
        if law.anti_windup == "back_calculation":
            self._sum += min(h / law.acting_tracking_s, 1.0) * (given - self._asked)


def _setpoint(plan: Plan, t: float, start_degC: float) -> float:
    """The setpoint at an instant: each ramp goes from where the one before it had got to."""
    degC = start_degC
    ends = [*(change.at_s for change in plan.changes[1:]), math.inf]
    for (change, until), _ in pairwise([*zip(plan.changes, ends, strict=True), (plan.changes[0], 0.0)]):
        if change.at_s > t + _EPS:
            break
        for_s = min(t, until) - change.at_s
        gap = change.to_degC - degC
        moved = math.inf if change.ramp_K_per_s is None else change.ramp_K_per_s * max(for_s, 0.0)
        degC = change.to_degC if abs(gap) <= moved else degC + math.copysign(moved, gap)
    return plan.limited(degC)
