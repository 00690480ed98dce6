"""A rig near its setpoint as a linear loop, sampled as the device samples it, and how much that loop stands.

The rig is linearised at rest at the setpoint: what each link carries more for a kelvin more, what each drive gives more
for a little more demand. Between samples the drive holds, so that the sampled answer is exact (zero-order hold; dead
times need not be whole samples). The law is the difference equation that the control step computes.
Franklin, Powell and Workman, Digital Control of Dynamic Systems, 1998, sections 4.3 and 7.
"""

import cmath
import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.linalg import expm
from scipy.optimize import brentq

from kelvarn.engine.heat import carried, conductance
from kelvarn.engine.layout import Layout, lay_out, sharing_of
from kelvarn.engine.output import flow_of, outputs_of
from kelvarn.engine.plant import Drive
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig

from .plant import PlantError
from .ultimate import Ultimate

Complex = npt.NDArray[np.complex128]
Reals = npt.NDArray[np.float64]
_SMALL_GAIN = 1e-3
_NUDGE = 0.02  # of demand, by which the drives' answer is taken
_POINTS = 3000  # of the frequencies looked at first


@dataclass(frozen=True, eq=False)
class Path:
    """What one drive does to the reading: dx/dt = A x + B u, y = C x, where u comes so much later.

    Attributes:
        a, b, c: shapes (k, k), (k,), (k,).
        dead_time_s: of drive and probe together.
    """

    a: Reals
    b: Reals
    c: Reals
    dead_time_s: float

    def at(self, omega: Reals, h: float) -> Complex:
        """Its answer at angular frequencies in 1/s, sampled every h seconds, shape (m,)."""
        whole, part = divmod(self.dead_time_s + 1e-12 * h, h)
        k = self.b.size
        through, held = _hold(self.a, self.b, h - part)
        phi = expm(self.a * h)
        _, before = _hold(self.a, self.b, part)
        early = through @ before  # of what was asked for one sample earlier still
        z = np.exp(1j * omega * h)
        inner = np.linalg.solve(
            z[:, None, None] * np.eye(k) - phi, (held[None, :] + early[None, :] / z[:, None])[..., None]
        )[..., 0]
        found: Complex = (inner @ self.c) * z ** -int(whole)
        return found


def _hold(a: Reals, b: Reals, span_s: float) -> tuple[Reals, Reals]:
    """e^(A·span), and the integral of it times B: what a held input brings in a span."""
    k = b.size
    block = np.zeros((k + 1, k + 1))
    block[:k, :k], block[:k, k] = a * span_s, b * span_s
    found = expm(block)
    return found[:k, :k], found[:k, k]


@dataclass(frozen=True, eq=False)
class Loop:
    """A law on a rig near its setpoint.

    Attributes:
        paths: one for each drive; h: sample interval in s.
        direction: 1 heats, −1 cools.
        law: its settings.
    """

    paths: tuple[Path, ...]
    h: float
    direction: int
    law: Pid

    def at(self, omega: Reals) -> Complex:
        """The loop's answer L at angular frequencies in 1/s, shape (m,)."""
        rig = sum((path.at(omega, self.h) for path in self.paths), start=np.zeros(omega.size, complex))
        return self.direction * rig * self._law(np.exp(1j * omega * self.h))

    def _law(self, z: Complex) -> Complex:
        law, h = self.law, self.h
        found = np.full(z.size, law.kp_per_K, complex)
        if law.integrates:
            found += law.kp_per_K * h / law.ti_s / (z - 1)
        if law.acting_td_s:
            lag = law.acting_td_s / law.filter_n
            found += law.kp_per_K * law.acting_td_s * (z - 1) / ((lag + h) * z - lag)
        return found


@dataclass(frozen=True)
class Reserve:
    """How much more a loop stands before it rings.

    Attributes:
        gain_factor: by which the gain may grow; below 1 it rings already; None where no gain makes it ring.
        period_s: of that ringing; None likewise.
        delay_s: that may be added; None where the loop has no gain left at any frequency.
        phase_deg: phase margin, likewise.
        ms: peak sensitivity.
    """

    gain_factor: float | None
    period_s: float | None
    delay_s: float | None
    phase_deg: float | None
    ms: float


def loop_of(rig: Rig, law: Pid, setpoint_degC: float) -> Loop:
    """A law on a rig near a setpoint.

    Raises:
        PlantError: a drive is either on or off, or a little more demand changes nothing there.
    """
    if any(drive.kind == "relay" for drive in rig.drives):
        raise PlantError("A relay is either on or off; the reserve is that of a drive that can be in between.")
    layout = lay_out(rig)
    degC, demand = _rest(rig, setpoint_degC)
    a = _slopes(rig, layout, degC, demand)
    probe = rig.probe
    slope = probe.slope * (probe.correction.slope if probe.correction is not None else 1.0)
    given = [_gives(rig, layout, degC, demand, d) for d in range(len(layout.drives))]
    if not any(each.any() for each in given):
        raise PlantError(
            "At this setpoint a little more demand changes nothing (a floor, a stall or an end stop): "
            "the loop can only switch there, and has no reserve to speak of."
        )
    at = layout.entry[probe.body] if rig.response is None else 0
    paths = [
        _path(a, b, at, drive, probe.lag_s, slope, drive.dead_time_s + probe.dead_time_s)
        for b, drive in zip(given, layout.drives, strict=True)
    ]
    return Loop(tuple(paths), probe.interval_s, 1 if rig.heats else -1, law)


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


def _path(a: Reals, b: Reals, at: int, drive: Drive, probe_lag_s: float, slope: float, dead_time_s: float) -> Path:
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
    return Path(whole[np.ix_(kept, kept)], into[kept], out[kept], dead_time_s)


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
    for row, nudge in enumerate((-_NUDGE, _NUDGE)):
        drive = layout.drives[d]
        flow = flow_of(drive, outputs_of(layout.drives, sharing, demand + nudge)[d])
        if drive.acts_on >= 0:
            heat[row, drive.acts_on] += drive.power_W * flow
        for link in layout.links:
            if link.mover == d:
                watts, _, _ = carried(link, conductance(link, flow), outside[link.a], outside[link.b])
                heat[row, link.a] += watts
                heat[row, link.b] -= watts
    found: Reals = (heat[1] - heat[0])[:n] / (2 * _NUDGE) * _per_capacity(layout, degC)
    return found


def reserve(loop: Loop) -> Reserve:
    """How much more gain or delay a loop stands, and its peak sensitivity."""
    omega = np.geomspace(1e-7 / loop.h, math.pi / loop.h * (1 - 1e-9), _POINTS)
    answer = loop.at(omega)

    def one(w: float) -> complex:
        return complex(loop.at(np.array([w]))[0])

    edges: list[tuple[float, float]] = []  # gain factors, and the periods of what rings there
    turns = np.flatnonzero((np.sign(answer.imag[1:]) != np.sign(answer.imag[:-1])) & (answer.real[1:] < 0))
    for k in turns:
        w = float(brentq(lambda w: one(w).imag, omega[k], omega[k + 1], xtol=1e-300, rtol=1e-12))
        if one(w).real < 0:
            edges.append((-1 / one(w).real, 2 * math.pi / w))
    if answer[-1].real < 0:  # at half the sampling rate the answer is real: it may ring from sample to sample
        edges.append((-1 / float(answer[-1].real), 2 * loop.h))
    margins = []
    for k in np.flatnonzero((np.abs(answer[1:]) < 1) != (np.abs(answer[:-1]) < 1)):
        w = float(brentq(lambda w: abs(one(w)) - 1, omega[k], omega[k + 1], xtol=1e-300, rtol=1e-12))
        margins.append(((math.pi + cmath.phase(one(w))) % (2 * math.pi), w))
    factor, period_s = min(edges, default=(None, None))
    return Reserve(
        factor,
        period_s,
        min((phase / w for phase, w in margins), default=None),
        math.degrees(min(phase for phase, _ in margins)) if margins else None,
        float((1 / np.abs(1 + answer)).max()),
    )


def ultimate_of(rig: Rig, setpoint_degC: float) -> Ultimate | None:
    """The ultimate point of a P controller on the rig itself, sampled as it is; None where no gain makes it ring.

    Raises:
        PlantError: as for `loop_of`.
    """
    found = reserve(loop_of(rig, Pid(terms="P", kp_per_K=_SMALL_GAIN), setpoint_degC))
    if found.gain_factor is None or found.period_s is None:
        return None
    return Ultimate(_SMALL_GAIN * found.gain_factor, found.period_s)
