"""What is shown live: measured beside expected, their difference in words, measures beside what the trial promised."""

from typing import NamedTuple

import numpy as np

from kelvarn.engine.layout import Floats, lay_out
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .expected import Expected
from .observer import Future
from .provoking import Provocation
from .session import Session

_OFF_K = 0.5
_SETTLES_S = 300.0


class Live(NamedTuple):
    """What the live strip is made of."""

    session: Session
    expected: Expected | None
    future: tuple[float, Future] | None
    scale: Scale
    provoked: Provocation | None = None


def known_of(time_s: Floats, values: Floats) -> tuple[Floats, Floats]:
    """Instants and values without those that are none."""
    there = np.isfinite(values)
    return time_s[there], values[there]


def difference(live: Live) -> tuple[Floats, Floats]:
    """Measured less expected, K, and when; shape (m,) each. Empty where nothing is expected."""
    if live.expected is None:
        return np.empty(0), np.empty(0)
    run, from_s = live.expected.run, live.expected.from_s
    time_s, measured = known_of(live.session.history.of("time_s"), live.session.history.of("measured_degC"))
    inside = (time_s >= from_s) & (time_s <= from_s + run.time_s[-1])
    at = time_s[inside]
    return at, measured[inside] - np.interp(at - from_s, run.time_s, run.measured_degC)


def difference_words(at: Floats, off: Floats, scale: Scale) -> str:
    """What the difference says; empty where it is small."""
    if off.size < 5 or float(np.abs(off).max()) < _OFF_K:
        return ""
    worst = int(np.argmax(np.abs(off)))
    size, when = show(abs(float(off[worst])), Quantity.DIFFERENCE, scale), show(float(at[worst]), Quantity.DURATION)
    if off[worst] < 0:
        text = say("{size} cooler at {when}", size=size, when=when)
    else:
        text = say("{size} warmer at {when}", size=size, when=when)
    late = off[max(0, off.size - off.size // 5) :]
    if float(np.abs(np.median(late))) < 0.3 * abs(float(off[worst])):
        return say("{difference}, the same again since", difference=text)
    return text


def watts_of(rig: Rig, way: int | None = None) -> float:
    """Power at full drive of all drives, or of those that go a way: 1 heats, −1 cools; a fan heats nothing."""
    drives = lay_out(rig).drives
    return float(sum(abs(each.power_W) for each in drives if not each.moves and way in (None, each.direction)))


def measures_of(live: Live) -> list[tuple[str, str, str]]:
    """Each measure with its value so far ("…" where it cannot be said yet) and what was expected."""
    if live.expected is None:
        return [(say("Nothing is expected of it yet."), "", "")]
    session, scale, run = live.session, live.scale, live.expected.run
    rig, band = session.carried.project.rig, session.carried.trial.band_K
    history, from_s = session.history, live.expected.from_s
    time_s, measured, setpoint = (history.of(name) for name in ("time_s", "measured_degC", "setpoint_degC"))
    inside = (time_s >= from_s) & np.isfinite(measured)
    time_s, measured, setpoint = time_s[inside] - from_s, measured[inside], setpoint[inside]
    if time_s.size < 2:
        return []
    upto = run.time_s <= time_s[-1]
    over, expected_over = (overshoot_of(y, r, band) for y, r in
                           ((measured, setpoint), (run.measured_degC, run.setpoint_degC)))  # fmt: skip
    settled = _settled(time_s, np.abs(measured - setpoint), band)
    promised = _settled(run.time_s, np.abs(run.measured_degC - run.setpoint_degC), band)
    watts = watts_of(rig, 1 if rig.heats else -1)
    given = np.abs(history.of("given")[inside])
    energy_J = float(np.trapezoid(given, time_s)) * watts
    promised_J = float(np.trapezoid(np.abs(run.drive[upto]), run.time_s[upto])) * watts
    rows: list[tuple[str, str, str]] = [
        (
            say("Overshoot"),
            _said(over, Quantity.DIFFERENCE, scale),
            _said(expected_over, Quantity.DIFFERENCE, scale, ""),
        ),
        (say("Settled"), _said(settled, Quantity.DURATION, scale), _said(promised, Quantity.DURATION, scale, "")),
    ]
    hottest, expected_hottest = float(measured.max()), float(run.measured_degC.max())
    rows.append((say("Hottest: {probe}", probe=rig.probe.name), show(hottest, Quantity.TEMPERATURE, scale),
                 show(expected_hottest, Quantity.TEMPERATURE, scale)))  # fmt: skip
    if watts:
        rows.append((say("Energy so far"), show(energy_J, Quantity.ENERGY), show(promised_J, Quantity.ENERGY)))
    off = float(np.sqrt(np.mean((measured - np.interp(time_s, run.time_s, run.measured_degC)) ** 2)))
    rows.append((say("Off the expected"), say("{off} rms", off=show(off, Quantity.DIFFERENCE, scale)), ""))
    return rows


def overshoot_of(y: Floats, r: Floats, band: float) -> float | None:
    """By how much it went past the setpoint, seen from where it began; None as long as the peak is not behind it."""
    side = 1.0 if y[0] <= r[0] else -1.0
    ahead = side * (y - r)
    there = np.flatnonzero(ahead >= -band)
    if not there.size:
        return None
    after = ahead[there[0] :]
    peak = int(np.argmax(after))
    if peak == after.size - 1 or float(after[peak] - after[-1]) < 0.1 * band:
        return None
    return max(float(after[peak]), 0.0)


def _settled(time_s: Floats, off: Floats, band: float) -> float | None:
    """Since when it stays inside the band; None where it does not, or not for long enough to say so."""
    outside = np.flatnonzero(off > band)
    first = 0 if not outside.size else int(outside[-1]) + 1
    if first >= time_s.size or time_s[-1] - time_s[first] < min(_SETTLES_S, 0.1 * max(float(time_s[-1]), 1.0)):
        return None
    return float(time_s[first])


def _said(value: float | None, quantity: Quantity, scale: Scale, otherwise: str = "…") -> str:
    return otherwise if value is None else show(value, quantity, scale)
