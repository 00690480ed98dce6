"""Tuning rules, as published, each with its source and the range of L/T that it was published for.

K is the gain in kelvins at full drive, T the lag, L the dead time, k the rise of an integrating rig in K/s; settings
are of the standard form Kp (1 + 1/(Ti s) + Td s). Outside its range a rule gives no settings but the reason. A rule is
made of K, T and L of the rig as it was read; how it then does on the rig itself is found by running it.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from .process import FirstOrder, Integrating, Plant, check
from .ultimate import Ultimate, ultimate

Terms = Literal["P", "PI", "PID"]
_NO_DELAY = "it needs a dead time, and there is none"


class Gains(NamedTuple):
    """Settings of the standard form: 1/K, s, s; None where a term does not act."""

    kp_per_K: float
    ti_s: float | None = None
    td_s: float | None = None


@dataclass(frozen=True)
class Starting:
    """What a rule gives for a rig.

    Attributes:
        rule, terms: which it is.
        source: where it was published.
        gains: the settings; None where it does not apply, and `reason` says why.
    """

    rule: str
    terms: Terms
    source: str
    gains: Gains | None
    reason: str = ""

    @property
    def strategy(self) -> str:
        """Strategy of the candidate that it makes."""
        return self.terms


@dataclass(frozen=True)
class _Rule:
    """A rule: what it is called, where it was published, for which L/T, and its formulas by terms."""

    name: str
    source: str
    least: float
    most: float
    of_lag: dict[Terms, Callable[[float, float, float], Gains]]
    of_ramp: dict[Terms, Callable[[float, float], Gains]]


def _cohen_coon(terms: Terms) -> Callable[[float, float, float], Gains]:
    def p(K: float, T: float, L: float) -> Gains:
        return Gains(T / (K * L) * (1 + L / (3 * T)))

    def pi(K: float, T: float, L: float) -> Gains:
        r = L / T
        return Gains(T / (K * L) * (0.9 + r / 12), L * (30 + 3 * r) / (9 + 20 * r))

    def pid(K: float, T: float, L: float) -> Gains:
        r = L / T
        return Gains(T / (K * L) * (4 / 3 + r / 4), L * (32 + 6 * r) / (13 + 8 * r), 4 * L / (11 + 2 * r))

    return {"P": p, "PI": pi, "PID": pid}[terms]


def _simc(K: float, T: float, L: float) -> Gains:
    return Gains(T / (K * 2 * L), min(T, 8 * L))  # with the closed-loop time constant equal to L


_LEAST_OF_LAG = 0.2  # of the lag: the paper's least closed-loop time constant, beside that by the dead time


def _imc_pi(K: float, T: float, L: float) -> Gains:
    wanted = max(1.7 * L, _LEAST_OF_LAG * T)
    return Gains((2 * T + L) / (2 * K * wanted), T + L / 2)


def _imc_pid(K: float, T: float, L: float) -> Gains:
    wanted = max(0.8 * L, _LEAST_OF_LAG * T)
    return Gains((2 * T + L) / (K * (2 * wanted + L)), T + L / 2, T * L / (2 * T + L))


def _lambda(K: float, T: float, L: float) -> Gains:
    return Gains(T / (K * (T + L)), T)  # with the closed-loop time constant equal to T


def _amigo_pi(K: float, T: float, L: float) -> Gains:
    return Gains(
        0.15 / K + (0.35 - L * T / (L + T) ** 2) * T / (K * L),
        0.35 * L + 13 * L * T * T / (T * T + 12 * L * T + 7 * L * L),
    )


def _amigo_pid(K: float, T: float, L: float) -> Gains:
    return Gains((0.2 + 0.45 * T / L) / K, L * (0.4 * L + 0.8 * T) / (L + 0.1 * T), 0.5 * L * T / (0.3 * L + T))


def _powers(a: float, b: float, c: float, d: float, e: float, f: float, *, setpoint: bool) -> Callable[..., Gains]:
    """Rules by powers of L/T: Kp = a/K·r^b; Ti = T/(c + d·r) for a setpoint, T/c·r^−d for a load; Td = e·T·r^f."""

    def made(K: float, T: float, L: float) -> Gains:
        r = L / T
        ti = None
        if c:
            ti = T / (c + d * r) if setpoint else T / c * r**-d
        return Gains(a / K * r**b, ti, e * T * r**f if e else None)

    return made


_ANY = math.inf
_RULES: tuple[_Rule, ...] = (
    _Rule(
        "Ziegler–Nichols, step", "Ziegler and Nichols, Trans. ASME 64, 1942", 0.1, 1.0,
        {
            "P": lambda K, T, L: Gains(T / (K * L)),
            "PI": lambda K, T, L: Gains(0.9 * T / (K * L), L / 0.3),
            "PID": lambda K, T, L: Gains(1.2 * T / (K * L), 2 * L, 0.5 * L),
        },
        {
            "P": lambda k, L: Gains(1 / (k * L)),
            "PI": lambda k, L: Gains(0.9 / (k * L), L / 0.3),
            "PID": lambda k, L: Gains(1.2 / (k * L), 2 * L, 0.5 * L),
        },
    ),
    _Rule(
        "Cohen–Coon", "Cohen and Coon, Trans. ASME 75, 1953", 0.05, 4.0,
        {"P": _cohen_coon("P"), "PI": _cohen_coon("PI"), "PID": _cohen_coon("PID")}, {},
    ),
    _Rule(
        "Chien–Hrones–Reswick, setpoint, no overshoot", "Chien, Hrones and Reswick, Trans. ASME 74, 1952", 0.1, 1.0,
        {
            "P": lambda K, T, L: Gains(0.3 * T / (K * L)),
            "PI": lambda K, T, L: Gains(0.35 * T / (K * L), 1.2 * T),
            "PID": lambda K, T, L: Gains(0.6 * T / (K * L), T, 0.5 * L),
        }, {},
    ),
    _Rule(
        "Chien–Hrones–Reswick, setpoint, 20 % over", "Chien, Hrones and Reswick, Trans. ASME 74, 1952", 0.1, 1.0,
        {
            "P": lambda K, T, L: Gains(0.7 * T / (K * L)),
            "PI": lambda K, T, L: Gains(0.6 * T / (K * L), T),
            "PID": lambda K, T, L: Gains(0.95 * T / (K * L), 1.4 * T, 0.47 * L),
        }, {},
    ),
    _Rule(
        "Chien–Hrones–Reswick, load, no overshoot", "Chien, Hrones and Reswick, Trans. ASME 74, 1952", 0.1, 1.0,
        {
            "P": lambda K, T, L: Gains(0.3 * T / (K * L)),
            "PI": lambda K, T, L: Gains(0.6 * T / (K * L), 4 * L),
            "PID": lambda K, T, L: Gains(0.95 * T / (K * L), 2.4 * L, 0.42 * L),
        }, {},
    ),
    _Rule(
        "Chien–Hrones–Reswick, load, 20 % over", "Chien, Hrones and Reswick, Trans. ASME 74, 1952", 0.1, 1.0,
        {
            "P": lambda K, T, L: Gains(0.7 * T / (K * L)),
            "PI": lambda K, T, L: Gains(0.7 * T / (K * L), 2.3 * L),
            "PID": lambda K, T, L: Gains(1.2 * T / (K * L), 2 * L, 0.42 * L),
        }, {},
    ),
    _Rule(
        "Lambda, as quick as the rig", "Dahlin, Instruments and Control Systems 41, 1968", 0.0, _ANY,
        {"PI": _lambda}, {},
    ),
    _Rule(
        "IMC", "Rivera, Morari and Skogestad, Ind. Eng. Chem. Process Des. Dev. 25, 1986", 0.01, _ANY,
        {"PI": _imc_pi, "PID": _imc_pid}, {},
    ),
    _Rule(
        "SIMC", "Skogestad, Journal of Process Control 13, 2003", 0.0, _ANY,
        {"PI": _simc}, {"PI": lambda k, L: Gains(1 / (k * 2 * L), 8 * L)},
    ),
    _Rule(
        "AMIGO", "Åström and Hägglund, Journal of Process Control 14, 2004", 0.0, _ANY,
        {"PI": _amigo_pi, "PID": _amigo_pid},
        {"PI": lambda k, L: Gains(0.35 / (k * L), 13.4 * L), "PID": lambda k, L: Gains(0.45 / (k * L), 8 * L, 0.5 * L)},
    ),
    _Rule(
        "ITAE, setpoint", "Rovira, Murrill and Smith, Instruments and Control Systems 42, 1969", 0.1, 1.0,
        {
            "PI": _powers(0.586, -0.916, 1.03, -0.165, 0, 0, setpoint=True),
            "PID": _powers(0.965, -0.85, 0.796, -0.1465, 0.308, 0.929, setpoint=True),
        }, {},
    ),
    _Rule(
        "ITAE, load", "Lopez, Miller, Smith and Murrill, Instrumentation Technology 14, 1967", 0.1, 1.0,
        {
            "P": _powers(0.49, -1.084, 0, 0, 0, 0, setpoint=False),
            "PI": _powers(0.859, -0.977, 0.674, -0.68, 0, 0, setpoint=False),
            "PID": _powers(1.357, -0.947, 0.842, -0.738, 0.381, 0.995, setpoint=False),
        }, {},
    ),
)  # fmt: skip

_OF_ULTIMATE: tuple[tuple[str, str, dict[Terms, tuple[float, float, float]]], ...] = (
    (
        "Ziegler–Nichols, ultimate", "Ziegler and Nichols, Trans. ASME 64, 1942",
        {"P": (0.5, 0, 0), "PI": (0.45, 1 / 1.2, 0), "PID": (0.6, 0.5, 0.125)},
    ),
    (
        "Tyreus–Luyben", "Tyreus and Luyben, Ind. Eng. Chem. Res. 31, 1992",
        {"PI": (1 / 3.2, 2.2, 0), "PID": (1 / 2.2, 2.2, 1 / 6.3)},
    ),
)  # fmt: skip
"""Shares of the ultimate gain, and of the ultimate period for integral and derivative time."""


def rule_sources() -> dict[str, str]:
    """Where each rule was published."""
    return {rule.name: rule.source for rule in _RULES} | {name: source for name, source, _ in _OF_ULTIMATE}


def starting_points(plant: Plant, at: Ultimate | None = None) -> list[Starting]:
    """Every rule's settings for a rig, or why it gives none.

    Args:
        plant: as its open-loop step was read.
        at: its ultimate point where that is known better than of the plant, such as of the rig itself.

    Raises:
        PlantError: a figure of the rig is not above 0.
    """
    check(plant)
    found = [
        _by_rule(rule, terms, plant)
        for rule in _RULES
        for terms in (rule.of_lag if isinstance(plant, FirstOrder) else rule.of_lag | rule.of_ramp)
    ]
    return found + _by_ultimate(at or ultimate(plant))


def _by_rule(rule: _Rule, terms: Terms, plant: Plant) -> Starting:
    reason = _why_not(rule, terms, plant)
    if reason:
        return Starting(rule.name, terms, rule.source, None, reason)
    if isinstance(plant, Integrating):
        gains = rule.of_ramp[terms](plant.rise_K_per_s, plant.dead_time_s)
    else:
        gains = rule.of_lag[terms](plant.gain_K, plant.lag_s, plant.dead_time_s)
    return Starting(rule.name, terms, rule.source, gains)


def _why_not(rule: _Rule, terms: Terms, plant: Plant) -> str:
    """Why a rule does not apply; empty where it does."""
    if isinstance(plant, Integrating) and terms not in rule.of_ramp:
        return "it was published for rigs that come to rest by themselves"
    if plant.dead_time_s == 0 and not (rule.name.startswith("Lambda") and isinstance(plant, FirstOrder)):
        return _NO_DELAY
    if isinstance(plant, FirstOrder) and not rule.least <= plant.ratio <= rule.most:
        of = f"of at least {rule.least:g}" if rule.most == _ANY else f"from {rule.least:g} to {rule.most:g}"
        return f"published for L/T {of}; here {plant.ratio:.1g}"
    return ""


def _by_ultimate(at: Ultimate | None) -> list[Starting]:
    found = []
    for name, source, shares in _OF_ULTIMATE:
        for terms, (of_gain, of_ti, of_td) in shares.items():
            if at is None:
                found.append(Starting(name, terms, source, None, "without a dead time the loop never oscillates"))
                continue
            ti, td = of_ti * at.period_s or None, of_td * at.period_s or None
            found.append(Starting(name, terms, source, Gains(of_gain * at.gain_per_K, ti, td)))
    return found


def names(found: Sequence[Starting]) -> list[str]:
    """Names of rules, each once, in order."""
    return list(dict.fromkeys(each.rule for each in found))
