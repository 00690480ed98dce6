"""How each measure and each tuning rule is worked out, as text for the page of words.

Those of rules are expressions that can be computed: a test does so and compares them with what the rules give.
"""

from collections.abc import Iterator

from kelvarn.model.mark import MEASURES
from kelvarn.tune.rules import Terms, rule_sources

MEASURE_FORMULAS: dict[str, str] = {
    "overshoot_K": "max(0, max of sign(Δ) (y − r))",
    "overshoot_pct": "100 × overshoot / |Δ|",
    "rise_s": "t(y0 + 0.9 Δ) − t(y0 + 0.1 Δ), first crossings",
    "settling_s": "last instant outside ± band, less t0; none where it is outside at the end, or inside for less than "
                  "10 readings or 5 % of the window",
    "steady_error_K": "mean of y − r over the last tenth of the window",
    "swing_K": "max y − min y over the last quarter of the window",
    "swing_period_s": "mean time between upward crossings of the mean, in the last quarter",
    "iae_Ks": "∫ |e| dt",
    "ise_K2s": "∫ e² dt",
    "itae_Ks2": "∫ (t − t0) |e| dt",
    "tracking_max_K": "max |y − r| along ramps, after the setpoint was first reached",
    "tracking_rms_K": "√(mean of (y − r)²) along ramps, after the setpoint was first reached",
    "sag_K": "max |y − y(t0)| on the side it departs to, t0 the event's start",
    "recovery_s": "last instant outside ± band, less the event's start",
    "trip_s": "instant at which a trip or a cut-off acts, less the event's start",
    "act_s": "instant at which the body leaves its goal, less the event's start",
    "energy_J": "∫ power of the drives dt, without its sign",
    "mean_drive": "∫ u dt / duration",
    "time_at_limit_s": "time with the drive held at its lowest or highest",
    "travel": "Σ |u(k) − u(k − 1)|",
    "switch_ons_per_h": "switch-ons / duration",
    "shortest_on_s": "shortest time between switching on and off again",
    "shortest_off_s": "shortest time between switching off and on again",
    "steps_per_h": "steps taken / duration",
    "worst_over_K": "max of y − r after the setpoint was first reached, events included",
    "worst_under_K": "max of r − y after the setpoint was first reached, events included",
    "inside_share": "time inside the goal / duration",
    "relay_life_years": "rated operations / (switch-ons per hour × 8766 h)",
    "most_ice_kg": "max of Σ ice",
    "ice_left_kg": "Σ ice at the end",
    "ready_s": "first instant from which every body that matters stays inside its own band",
    "alarms": "how often an alarm comes on",
    "alarm_s": "time with any alarm on",
    "trips": "how often a trip or a cut-off acts",
    "hottest_degC": "max T of the body",
    "coldest_degC": "min T of the body",
    "limit_margin_K": "min of (limit − T, T − lower limit)",
    "beyond_limit_s": "time with T beyond a limit",
}  # fmt: skip

RULE_FORMULAS: dict[tuple[str, Terms], tuple[str, str, str]] = {
    ("Ziegler–Nichols, step", "P"): ("T/(K*L)", "", ""),
    ("Ziegler–Nichols, step", "PI"): ("0.9*T/(K*L)", "L/0.3", ""),
    ("Ziegler–Nichols, step", "PID"): ("1.2*T/(K*L)", "2*L", "0.5*L"),
    ("Cohen–Coon", "P"): ("T/(K*L)*(1 + r/3)", "", ""),
    ("Cohen–Coon", "PI"): ("T/(K*L)*(0.9 + r/12)", "L*(30 + 3*r)/(9 + 20*r)", ""),
    ("Cohen–Coon", "PID"): ("T/(K*L)*(4/3 + r/4)", "L*(32 + 6*r)/(13 + 8*r)", "4*L/(11 + 2*r)"),
    ("Chien–Hrones–Reswick, setpoint, no overshoot", "P"): ("0.3*T/(K*L)", "", ""),
    ("Chien–Hrones–Reswick, setpoint, no overshoot", "PI"): ("0.35*T/(K*L)", "1.2*T", ""),
    ("Chien–Hrones–Reswick, setpoint, no overshoot", "PID"): ("0.6*T/(K*L)", "T", "0.5*L"),
    ("Chien–Hrones–Reswick, setpoint, 20 % over", "P"): ("0.7*T/(K*L)", "", ""),
    ("Chien–Hrones–Reswick, setpoint, 20 % over", "PI"): ("0.6*T/(K*L)", "T", ""),
    ("Chien–Hrones–Reswick, setpoint, 20 % over", "PID"): ("0.95*T/(K*L)", "1.4*T", "0.47*L"),
    ("Chien–Hrones–Reswick, load, no overshoot", "P"): ("0.3*T/(K*L)", "", ""),
    ("Chien–Hrones–Reswick, load, no overshoot", "PI"): ("0.6*T/(K*L)", "4*L", ""),
    ("Chien–Hrones–Reswick, load, no overshoot", "PID"): ("0.95*T/(K*L)", "2.4*L", "0.42*L"),
    ("Chien–Hrones–Reswick, load, 20 % over", "P"): ("0.7*T/(K*L)", "", ""),
    ("Chien–Hrones–Reswick, load, 20 % over", "PI"): ("0.7*T/(K*L)", "2.3*L", ""),
    ("Chien–Hrones–Reswick, load, 20 % over", "PID"): ("1.2*T/(K*L)", "2*L", "0.42*L"),
    ("Lambda, as quick as the rig", "PI"): ("T/(K*(T + L))", "T", ""),
    ("IMC", "PI"): ("(2*T + L)/(2*K*max(1.7*L, 0.2*T))", "T + L/2", ""),
    ("IMC", "PID"): ("(2*T + L)/(K*(2*max(0.8*L, 0.2*T) + L))", "T + L/2", "T*L/(2*T + L)"),
    ("SIMC", "PI"): ("T/(2*K*L)", "min(T, 8*L)", ""),
    ("AMIGO", "PI"): (
        "0.15/K + (0.35 - L*T/(L + T)**2)*T/(K*L)", "0.35*L + 13*L*T**2/(T**2 + 12*L*T + 7*L**2)", "",
    ),
    ("AMIGO", "PID"): ("(0.2 + 0.45*T/L)/K", "L*(0.4*L + 0.8*T)/(L + 0.1*T)", "0.5*L*T/(0.3*L + T)"),
    ("ITAE, setpoint", "PI"): ("0.586/K*r**-0.916", "T/(1.03 - 0.165*r)", ""),
    ("ITAE, setpoint", "PID"): ("0.965/K*r**-0.85", "T/(0.796 - 0.1465*r)", "0.308*T*r**0.929"),
    ("ITAE, load", "P"): ("0.49/K*r**-1.084", "", ""),
    ("ITAE, load", "PI"): ("0.859/K*r**-0.977", "T/0.674*r**0.68", ""),
    ("ITAE, load", "PID"): ("1.357/K*r**-0.947", "T/0.842*r**0.738", "0.381*T*r**0.995"),
    ("Ziegler–Nichols, ultimate", "P"): ("0.5*Ku", "", ""),
    ("Ziegler–Nichols, ultimate", "PI"): ("0.45*Ku", "Tu/1.2", ""),
    ("Ziegler–Nichols, ultimate", "PID"): ("0.6*Ku", "0.5*Tu", "0.125*Tu"),
    ("Tyreus–Luyben", "PI"): ("Ku/3.2", "2.2*Tu", ""),
    ("Tyreus–Luyben", "PID"): ("Ku/2.2", "2.2*Tu", "Tu/6.3"),
}  # fmt: skip
"""Kp, Ti and Td of a rule for its terms, of K, T, L and r = L/T, or of Ku and Tu."""


def measures_table() -> Iterator[str]:
    """Every measure, as rows of a Markdown table."""
    yield "| Measure | What it is | Formula | In results |"
    yield "|---|---|---|---|"
    for key, kind in MEASURES.items():
        yield f"| **{kind.title}** | {kind.text} | {_cell(MEASURE_FORMULAS[key])} | `{key}` |"


def rules_table() -> Iterator[str]:
    """Every rule for a rig with one lag and a dead time, or by its ultimate point, as rows of a Markdown table."""
    yield "| Rule | | Kp | Ti | Td | Published in |"
    yield "|---|---|---|---|---|---|"
    sources = rule_sources()
    for (rule, terms), parts in RULE_FORMULAS.items():
        cells = " | ".join(_cell(_written(part)) for part in parts)
        yield f"| {rule} | {terms} | {cells} | {sources[rule]} |"


def _written(formula: str) -> str:
    """An expression as people write it."""
    text = formula.replace("r**-", "r^−").replace("**2", "²").replace("**", "^").replace("*", " ")
    return text.replace(" - ", " − ")


def _cell(text: str) -> str:
    """A text in a cell of a table."""
    return text.replace("|", "\\|")
