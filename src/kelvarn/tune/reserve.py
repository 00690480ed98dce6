"""How much more gain or delay a loop stands before it rings, and where in a trial it stands least.

Stable or not is told by how often 1 + L turns round 0 (Nyquist 1932, for sampled loops as in Franklin, Powell and
Workman, 1998, section 7.5). What can only move so fast, a valve or a limited drive, lags the more the further it
swings: its describing function (Gelb and Vander Velde, Multiple-Input Describing Functions, 1968, section 2.3) is
looked at for every swing.
"""

import cmath
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache, lru_cache

import numpy as np
import scipy

from kelvarn.engine.steady import can_hold
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say

from .loop import Loop, loop_of, mixed
from .path import Complex, Path, Reals
from .process import PlantError
from .ultimate import Ultimate

_SMALL_GAIN = 1e-3
_POINTS = 2000  # of the frequencies looked at first, on a log scale
_EVEN_POINTS = 2000  # besides, evenly: long dead times turn the answer often
_SWINGS, _TRAVELS, _STEPS = 40, 100, 1000  # of the table of what moves only so fast
_MIXES = 4  # of what a swing has of the one and of the other side
_SWING = 0.5  # of the drive: one that swings further is held back by its limits
_SAME_DRIVE = 0.005
_ANY_LAW = Pid()  # what a rig reads does not depend on it
_OTHER_SIDE = (0.04, 0.25, 0.5, 0.75)  # demands that are looked at on the side that does not hold
_SAME_K = 1e-6
_Edge = tuple[float, float]  # gain factor at which it rings, and the period of that, s


@dataclass(frozen=True)
class Reserve:
    """How much more a loop stands before it rings.

    Attributes:
        gain_factor: by which the gain may grow; 1 or less: it rings as it is, and stands so much of its gain (0: none
            of it); None where no gain makes it ring.
        period_s: of that ringing; None likewise.
        delay_s: that may be added; None where the loop has no gain left at any frequency, or rings as it is.
        phase_deg: phase margin, likewise.
        ms: peak sensitivity; None where it rings as it is.
    """

    gain_factor: float | None
    period_s: float | None
    delay_s: float | None
    phase_deg: float | None
    ms: float | None

    @property
    def size(self) -> float:
        """Its gain factor to compare by; inf where no gain makes it ring."""
        return math.inf if self.gain_factor is None else self.gain_factor


@dataclass(frozen=True)
class LeastReserve:
    """The smallest reserve of trials' stages, and the setpoint at which it is."""

    reserve: Reserve
    setpoint_degC: float


def reserve(loop: Loop) -> Reserve:
    """How much more gain or delay a loop stands, and its peak sensitivity."""
    omega, answer = _answer(loop)

    def one(w: float) -> complex:
        return complex(loop.at(np.array([w]))[0])

    edges: list[_Edge] = []
    for k in _turns(answer):
        w = float(scipy.optimize.brentq(lambda w: one(w).imag, omega[k], omega[k + 1], xtol=1e-300, rtol=1e-12))
        if (real := one(w).real) < 0:
            edges.append((-1 / real, 2 * math.pi / w))
    factor, period_s = _first_edge(loop, omega, answer, edges)
    if factor is not None and factor <= 1:
        return Reserve(factor, period_s, None, None, None)
    margins = []
    for j in np.flatnonzero((np.abs(answer[1:]) < 1) != (np.abs(answer[:-1]) < 1)):
        w = float(scipy.optimize.brentq(lambda w: abs(one(w)) - 1, omega[j], omega[j + 1], xtol=1e-300, rtol=1e-12))
        margins.append(((math.pi + cmath.phase(one(w))) % (2 * math.pi), w))
    return Reserve(
        factor,
        period_s,
        min((phase / w for phase, w in margins), default=None),
        math.degrees(min(phase for phase, _ in margins)) if margins else None,
        float((1 / np.abs(1 + answer)).max()),
    )


def gain_factor(loop: Loop) -> float:
    """The gain factor alone, to about a thousandth: what a search asks of many laws on the same rig; inf for any."""
    omega, answer = _answer(loop)
    factor, _ = _first_edge(loop, omega, answer, _between(omega, answer, _turns(answer)))
    return math.inf if factor is None else factor


def _first_edge(
    loop: Loop, omega: Reals, answer: Complex, edges: Iterable[_Edge]
) -> tuple[float | None, float | None]:  # fmt: skip
    """The gain factor at which it rings first, and the period of that; of one that rings, what it stood last.

    Args:
        loop, omega, answer: it, and its answer at frequencies.
        edges: where the answer passes the negative real axis.
    """
    found = [*edges]
    if answer[-1].real < 0:  # at half the sampling rate the answer is real: it may ring from sample to sample
        found.append((-1 / float(answer[-1].real), 2 * loop.period_s))
    if not _settles(omega, answer):
        return max((edge for edge in found if edge[0] <= 1), default=(0.0, None))
    found = [edge for edge in found if edge[0] > 1] + [*_edges_by_swing(loop, omega, answer)]
    return min(found, default=(None, None))


def _answer(loop: Loop) -> tuple[Reals, Complex]:
    """Frequencies that are looked at, and the loop's answer at them."""
    omega = _frequencies(loop.period_s)
    return omega, loop.closed_by_law(omega, _readings(loop))


@lru_cache(maxsize=8)
def _frequencies(period_s: float) -> Reals:
    top = math.pi / period_s * (1 - 1e-9)
    return np.union1d(np.geomspace(1e-7 / period_s, top, _POINTS), np.linspace(top / _EVEN_POINTS, top, _EVEN_POINTS))


def _readings(loop: Loop) -> Complex:
    """What a rig reads at all of them: the same for all laws."""
    of_paths = (size * _readings_of(path, loop.h, loop.window_s) for size, path in loop.paths)
    return np.asarray(sum(of_paths))


@lru_cache(maxsize=48)
def _readings_of(path: Path, h: float, window_s: float) -> Complex:
    return path.readings(_frequencies(window_s or h), h, window_s)


def _turns(answer: Complex) -> Sequence[int]:
    """Places after which the answer passes the negative real axis."""
    passes = (np.sign(answer.imag[1:]) != np.sign(answer.imag[:-1])) & (answer.real[1:] < 0)
    return [int(k) for k in np.flatnonzero(passes)]


def _between(omega: Reals, answer: Complex, turns: Sequence[int]) -> Iterator[_Edge]:
    """Gain factors and periods where it passes, straight between two frequencies."""
    for k in turns:
        share = answer.imag[k] / (answer.imag[k] - answer.imag[k + 1])
        real = float(answer.real[k] + share * (answer.real[k + 1] - answer.real[k]))
        if real < 0:
            yield -1 / real, 2 * math.pi / float(omega[k] + share * (omega[k + 1] - omega[k]))


def _settles(omega: Reals, answer: Complex) -> bool:
    """Whether the closed loop is stable: 1 + L must not turn round 0 on its way from standstill to half the rate."""
    poles = round(math.log(abs(answer[0]) / abs(answer[1])) / math.log(omega[1] / omega[0]))  # that integrate
    phase = np.unwrap(np.angle(1 + answer))
    begins = -poles * math.pi / 2
    phase += 2 * math.pi * round((begins - phase[0]) / (2 * math.pi))
    return bool(abs(phase[-1]) < math.pi / 2)


def _edges_by_swing(loop: Loop, omega: Reals, answer: Complex) -> Iterator[_Edge]:
    """The same where the drive moves only so fast, for every swing of what is asked."""
    if not loop.travel_s:
        return
    at, slowed = _slowed()
    for row in slowed:
        found = answer * (np.interp(np.log(omega * loop.travel_s), at, row.real)
                          + 1j * np.interp(np.log(omega * loop.travel_s), at, row.imag))  # fmt: skip
        yield from _between(omega, found, [k for k in _turns(found) if found.imag[k + 1] > 0])


@cache
def _slowed() -> tuple[Reals, Complex]:
    """The describing function of a drive between none and full that takes so long for the way: followed in small steps.

    Returns:
        Logarithms of angular frequency times travel time, and the function at them for each swing asked.
    """
    travel = np.geomspace(0.02, 500.0, _TRAVELS)
    swing = np.geomspace(0.02, 20.0, _SWINGS)[:, None]
    reach = 2 * math.pi / _STEPS / travel
    place, total = np.zeros((_SWINGS, _TRAVELS)), np.zeros((_SWINGS, _TRAVELS), complex)
    for k in range(4 * _STEPS):
        angle = 2 * math.pi * k / _STEPS
        place = np.clip(np.clip(swing * math.sin(angle), -0.5, 0.5), place - reach, place + reach)
        if k >= 3 * _STEPS:
            total += place * cmath.exp(-1j * angle)
    return np.log(travel), total * 2j / _STEPS / swing


def loops_at(rig: Rig, law: Pid, setpoint_degC: float) -> list[Loop]:
    """The loops of a law near a setpoint: of the drive that holds it, and of swings that reach to the other side.

    What heats on one side and cools on the other has, for a swing, the one share of the one and the other of the other
    (the describing function of a gain that changes at 0; Gelb and Vander Velde, section 2.2).

    Raises:
        PlantError: there is none, as for `loop_of`.
    """
    both = rig.way.both and law.low < 0
    found = _loops_at(rig, setpoint_degC, both, law.cooling_ratio if both else 1.0)
    return [replace(each, law=law) for each in found]


@lru_cache(maxsize=16)
def _loops_at(rig: Rig, setpoint_degC: float, both: bool, ratio: float) -> tuple[Loop, ...]:
    """The same for any law: they are asked for again and again, of many."""
    law = Pid(low=-1.0, cooling_ratio=ratio) if both else _ANY_LAW
    holds = loop_of(rig, law, setpoint_degC)
    if not both:
        return (holds,)
    verdict = can_hold(rig, setpoint_degC)
    drive = 0.5 if verdict is None or verdict.holding_drive is None else verdict.holding_drive
    away, side = min(abs(drive), 1.0), 1.0 if drive >= 0 else -1.0
    least, most = _share_beyond(1.0) if away > _SAME_DRIVE else 0.5, _share_beyond(min(away / _SWING, 1.0))
    found = [holds] if away > _SAME_DRIVE else []
    for demand in _OTHER_SIDE:
        try:
            other = loop_of(rig, law, setpoint_degC, -side * demand)
        except PlantError:
            continue
        shares = np.unique(np.linspace(least, most, _MIXES))
        found += [mixed(holds, other, float(share)) for share in shares if share > 0]
    return tuple(found) or (holds,)


def _share_beyond(ratio: float) -> float:
    """Share of a wave's fundamental that lies beyond 0, where 0 is so many swings from its middle."""
    return 0.5 - (math.asin(ratio) + ratio * math.sqrt(1 - ratio * ratio)) / math.pi


def setpoints_of(trials: Sequence[Trial]) -> list[float]:
    """Setpoints of trials, each once, degC."""
    found: list[float] = []
    for change in (change for trial in trials for change in trial.course):
        if all(abs(change.to_degC - known) > _SAME_K for known in found):
            found.append(change.to_degC)
    return found


def least_reserve(rig: Rig, law: Pid, trials: Sequence[Trial]) -> LeastReserve:
    """The smallest reserve of a law over all stages of trials, whichever way the drives push there.

    Args:
        rig, law: what.
        trials: whose setpoints are looked at; those that the drives cannot hold only where they can hold none.

    Raises:
        PlantError: it has none at any of them; as for `loop_of`.
    """
    setpoints = setpoints_of(trials)
    held = [each for each in setpoints if (verdict := can_hold(rig, each)) is None or verdict.can]
    found: list[tuple[Loop, float]] = []
    why_not: PlantError | None = None
    for setpoint in held or setpoints:
        try:
            found += [(loop, setpoint) for loop in loops_at(rig, law, setpoint)]
        except PlantError as error:
            why_not = why_not or error
    if not found:
        raise why_not or PlantError(say("The trials have no setpoint."))
    loop, setpoint = min(found, key=lambda each: gain_factor(each[0]))
    return LeastReserve(reserve(loop), setpoint)


def ultimate_of(rig: Rig, setpoint_degC: float) -> Ultimate | None:
    """The ultimate point of a P controller on the rig itself, sampled as it is; None where no gain makes it ring.

    Raises:
        PlantError: as for `loop_of`.
    """
    low = -1.0 if rig.way.both else 0.0
    loops = loops_at(rig, Pid(terms="P", kp_per_K=_SMALL_GAIN, low=low), setpoint_degC)
    found = reserve(min(loops, key=gain_factor))
    if found.gain_factor is None or found.period_s is None:
        return None
    return Ultimate(_SMALL_GAIN * found.gain_factor, found.period_s)
