"""A rig near its setpoint as a linear loop, sampled as the device samples it.

The rig is linearised at rest at the setpoint: what each link carries more for a kelvin more, what each drive gives more
for a little more demand. The law is the difference equation that the control step computes; a slow window takes what it
asks for only where it begins.
Franklin, Powell and Workman, Digital Control of Dynamic Systems, 1998, sections 4.3 and 7.
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from kelvarn.engine.heat import carried, conductance
from kelvarn.engine.layout import Layout, lay_out, sharing_of
from kelvarn.engine.output import flow_of, outputs_of
from kelvarn.engine.plant import Drive
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.drives import SlowWindow, Valve
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.sentence import say

from .path import Complex, Path, Reals
from .process import PlantError

_NUDGE = 0.02  # of demand, by which the drives' answer is taken


@dataclass(frozen=True, eq=False)
class Loop:
    """A law on a rig near its setpoint.

    Attributes:
        paths: one for each drive that acts, with what each is multiplied by; h: sample interval in s.
        direction: 1 heats, −1 cools.
        law: its settings.
        window_s: the longest slow window, where that is longer than a sample; else 0.
        valve_s: travel time of the slowest valve; else 0.
    """

    paths: tuple[tuple[float, Path], ...]
    h: float
    direction: int
    law: Pid
    window_s: float = 0.0
    valve_s: float = 0.0

    @property
    def travel_s(self) -> float:
        """The least time in which the demand, or what a valve makes of it, goes from none to full; 0: at once."""
        return max(self.valve_s, 1 / self.law.rate_per_s if self.law.rate_per_s else 0.0)

    @property
    def period_s(self) -> float:
        """Time between two orders that change what the drive does."""
        return self.window_s or self.h

    def at(self, omega: Reals) -> Complex:
        """The loop's answer L at angular frequencies in 1/s, shape (m,)."""
        return self.closed_by_law(omega, self.readings(omega))

    def readings(self, omega: Reals) -> Complex:
        """The readings that a demand of size 1 makes, shape (m, samples in a window or 1)."""
        return np.asarray(sum(size * path.readings(omega, self.h, self.window_s) for size, path in self.paths))

    def closed_by_law(self, omega: Reals, readings: Complex) -> Complex:
        """What the law asks for on them: the loop's answer."""
        if self.window_s:
            return self.direction * self._law_at_first(omega, readings)
        return self.direction * readings[:, 0] * self._law(np.exp(1j * omega * self.h))

    def _law(self, z: Complex) -> Complex:
        law, h = self.law, self.h
        found = np.full(z.size, law.kp_per_K, complex)
        if law.integrates:
            found += law.kp_per_K * h / law.ti_s / (z - 1)
        if law.acting_td_s:
            lag = law.acting_td_s / law.filter_n
            found += law.kp_per_K * law.acting_td_s * (z - 1) / ((lag + h) * z - lag)
        return found

    def _law_at_first(self, omega: Reals, readings: Complex) -> Complex:
        """What the law asks for at the first sample of a window, of its readings at all samples, (m, count)."""
        law, count = self.law, readings.shape[1]
        h, z = self.window_s / count, np.exp(1j * omega * self.window_s)
        found = law.kp_per_K * readings[:, 0]
        if law.integrates:
            found = found + law.kp_per_K * h / law.ti_s * readings.sum(axis=1) / (z - 1)
        if law.acting_td_s:
            lag = law.acting_td_s / law.filter_n
            kept, gain = lag / (lag + h), law.kp_per_K * law.acting_td_s / (lag + h)
            before = readings / z[:, None]  # those of the window before
            backwards = np.concatenate([readings[:, :1], before[:, :0:-1], before[:, :1]], axis=1)
            changes = backwards[:, :-1] - backwards[:, 1:]
            found = found + gain * (changes @ kept ** np.arange(count)) / (1 - kept**count / z)
        return found


def loop_of(rig: Rig, law: Pid, setpoint_degC: float, demand: float | None = None) -> Loop:
    """A law on a rig near a setpoint.

    Args:
        rig, law, setpoint_degC: what.
        demand: round which the drives are asked; None: that which holds the setpoint.

    Raises:
        PlantError: a drive is either on or off, a little more demand changes nothing there, or what it changes does not
            reach the probe.
    """
    if any(drive.kind == "relay" for drive in rig.drives):
        raise PlantError(say("A relay is either on or off; the reserve is that of a drive that can be in between."))
    layout = lay_out(rig)
    degC, holding = _rest(rig, setpoint_degC)
    asked = holding if demand is None else demand
    a = _slopes(rig, layout, degC, holding)
    probe = rig.probe
    slope = probe.slope * (probe.correction.slope if probe.correction is not None else 1.0)
    given = [_gives(rig, layout, degC, asked, d) for d in range(len(layout.drives))]
    if not any(each.any() for each in given):
        raise PlantError(
            say("At this setpoint a little more demand changes nothing (a floor, a stall or an end "
                "stop): the loop can only switch there, and has no reserve to speak of.")
        )  # fmt: skip
    at = layout.entry[probe.body] if rig.response is None else 0
    if not any(_reaches(a, each, at) for each in given):
        raise PlantError(say("Nothing that the drives do reaches {probe}, so that there is no loop.", probe=probe.name))
    ratio = law.cooling_ratio if law.low < 0 and asked < 0 else 1.0
    paths = [
        _path(a, b, at, drive, probe.lag_s, slope, drive.dead_time_s + probe.dead_time_s, output)
        for b, drive, output in zip(
            given, layout.drives, outputs_of(layout.drives, sharing_of(rig), asked), strict=True
        )
        if b.any()
    ]
    acting = [drive for drive, each in zip(rig.drives, given, strict=True) if each.any()]
    window_s = max((drive.window_s for drive in acting if isinstance(drive, SlowWindow)), default=0.0)
    valve_s = max((drive.travel_s for drive in acting if isinstance(drive, Valve)), default=0.0)
    return Loop(
        tuple((ratio, path) for path in paths), probe.interval_s, 1 if rig.heats else -1, law,
        window_s if window_s >= probe.interval_s else 0.0, valve_s,
    )  # fmt: skip


def _reaches(a: Reals, b: Reals, at: int) -> bool:
    """Whether what is pushed by b comes to a place by way of the slopes a; shapes (n, n) and (n,)."""
    touched = b != 0.0
    for _ in range(b.size):
        touched = touched | ((a != 0.0) @ touched)
    return bool(touched[at])


def mixed(one: Loop, other: Loop, share: float) -> Loop:
    """A loop that has a share of another.

    Args:
        one, other: loops.
        share: of the other one, 0…1.
    """
    paths = [(size * (1 - share), path) for size, path in one.paths]
    paths += [(size * share, path) for size, path in other.paths]
    return replace(
        one,
        paths=tuple(paths),
        window_s=max(one.window_s, other.window_s),
        valve_s=max(one.valve_s, other.valve_s),
    )


def _rest(rig: Rig, setpoint_degC: float) -> tuple[Reals, float]:
    """Temperatures at rest at a setpoint, and the demand that holds it, away from its ends."""
    verdict = can_hold(rig, setpoint_degC)
    demand = 0.5 if verdict is None or verdict.holding_drive is None else verdict.holding_drive
    demand = math.copysign(min(max(abs(demand), 2 * _NUDGE), 1 - 2 * _NUDGE), demand)
    found = rest_degC(rig, demand)
    degC = np.full(len(lay_out(rig).bodies), setpoint_degC)
    if found is not None:  # a response model of two lags has one body more than names
        degC[: found.size] = found
    return degC, demand


def _path(
    a: Reals, b: Reals, at: int, drive: Drive, probe_lag_s: float, slope: float, dead_time_s: float, output: float
) -> Path:  # fmt: skip
    """Bodies, a lag of the drive's speed before them, and that of the probe behind them."""
    n = b.size
    whole = np.zeros((n + 2, n + 2))
    whole[:n, :n] = a
    into, out = np.zeros(n + 2), np.zeros(n + 2)
    kept = list(range(n))
    if drive.speed_lag_s > 0:
        whole[:n, n], whole[n, n], into[n] = b, -1 / drive.speed_lag_s, 1 / drive.speed_lag_s
        kept.append(n)
    else:
        into[:n] = b
    if probe_lag_s > 0:
        whole[n + 1, at], whole[n + 1, n + 1], out[n + 1] = 1 / probe_lag_s, -1 / probe_lag_s, slope
        kept.append(n + 1)
    else:
        out[at] = slope
    return Path(whole[np.ix_(kept, kept)], into[kept], out[kept], dead_time_s, output)


def _slopes(rig: Rig, layout: Layout, degC: Reals, demand: float) -> Reals:
    """How fast each body warms for a kelvin more at each, 1/s."""
    n = len(layout.bodies)
    flows = [
        flow_of(d, o) for d, o in zip(layout.drives, outputs_of(layout.drives, sharing_of(rig), demand), strict=True)
    ]
    outside = np.append(degC, layout.outside_degC)
    per_K = np.zeros((n + 1, n + 1))
    for link in layout.links:
        g = conductance(link, flows[link.mover] if link.mover >= 0 else 0.0)
        _, by_a, by_b = carried(link, g, outside[link.a], outside[link.b])
        if not link.one_way:
            per_K[link.a, link.a] -= by_a
            per_K[link.a, link.b] += by_b
        per_K[link.b, link.b] -= by_b
        per_K[link.b, link.a] += by_a
    for draw_off in rig.draw_offs:
        if draw_off.always:
            per_K[layout.entry[draw_off.body], layout.entry[draw_off.body]] -= draw_off.flow_W_per_K
    found: Reals = per_K[:n, :n] * _per_capacity(layout, degC)[:, None]
    return found


def _per_capacity(layout: Layout, degC: Reals) -> Reals:
    """K/J of each body; what melts takes its latent heat along."""
    found = np.array([body.per_capacity_K_per_J for body in layout.bodies])
    for i, body in enumerate(layout.bodies):
        if body.latent_K > 0 and body.melts_from_degC < degC[i] < body.melted_at_degC:
            found[i] /= 1 + body.latent_K / (body.melted_at_degC - body.melts_from_degC)
    return found


def _gives(rig: Rig, layout: Layout, degC: Reals, demand: float, d: int) -> Reals:
    """How fast each body warms for full demand more by way of one drive, K/s."""
    sharing, n = sharing_of(rig), len(layout.bodies)
    outside = np.append(degC, layout.outside_degC)
    heat = np.zeros((2, n + 1))
    drive = layout.drives[d]
    nudge = math.ceil(_NUDGE * drive.steps) / drive.steps if drive.steps else _NUDGE  # whole steps of PWM
    for row, asked in enumerate((demand - nudge, demand + nudge)):
        flow = flow_of(drive, outputs_of(layout.drives, sharing, asked)[d])
        if drive.acts_on >= 0:
            heat[row, drive.acts_on] += drive.power_W * flow
        for link in layout.links:
            if link.mover == d:
                watts, _, _ = carried(link, conductance(link, flow), outside[link.a], outside[link.b])
                heat[row, link.a] += watts
                heat[row, link.b] -= watts
    found: Reals = (heat[1] - heat[0])[:n] / (2 * nudge) * _per_capacity(layout, degC)
    return found
