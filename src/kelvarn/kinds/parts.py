"""What kinds of rigs have in common: questions, and parts worked out from what they are, with how they are measured."""

from kelvarn.engine.sums import capacity_J_per_K, wall_W_per_K
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import Guard, ProbeFaultAction, Trip
from kelvarn.model.origins import Layer, Piece, Wall
from kelvarn.model.probe_types import PROBE_TYPES, fields_of
from kelvarn.model.probes import Probe
from kelvarn.sentence import say
from kelvarn.units import Quantity

from .kind import Question, guessed

BY_STEP = say("a log from cold at full drive, then off: Fit")
BY_SCALE = say("a scale, and what it is made of")
BY_NAMEPLATE = say("the nameplate, or volts and amps while it is on")
BY_HOLD = say("hold one duty until nothing moves: power over the difference")
_H_STILL_W_PER_M2K = 8.0  # still air at a surface, radiation included
_STEEL_J_PER_KGK = 450.0


def setpoint(text: str, guess: float, low: float, high: float) -> Question:
    """How warm."""
    return Question("setpoint", text, Quantity.TEMPERATURE, guess, low, high)


def close(guess_K: float) -> Question:
    """How close it must stay."""
    return Question("close", say("How close must it stay?"), Quantity.DIFFERENCE, guess_K, 0.05, 50.0)


def fast(guess_s: float) -> Question:
    """How soon it must be there."""
    return Question("fast", say("How soon must it be there?"), Quantity.DURATION, guess_s, 10.0, 48 * 3600.0)


def power(text: str, guess_W: float, high_W: float = 20_000.0) -> Question:
    """How strong."""
    return Question("power", text, Quantity.POWER, guess_W, 0.5, high_W)


def made_of(name: str, *pieces: Piece, size: float = 0.3, limit_degC: float | None = None, **more: object) -> Body:
    """A body of pieces of material."""
    value = rounded(capacity_J_per_K(pieces).value)
    return Body.model_validate({
        "name": name, "capacity_J_per_K": value, "made_of": pieces, "limit_degC": limit_degC,
        "tolerances": (guessed("capacity_J_per_K", value, size, BY_SCALE),), **more,
    })  # fmt: skip


def of_capacity(name: str, J_per_K: float, size: float = 0.5, **more: object) -> Body:
    """A body whose heat capacity is no more than a guess."""
    value = rounded(J_per_K)
    return Body.model_validate({
        "name": name, "capacity_J_per_K": value,
        "tolerances": (guessed("capacity_J_per_K", value, size, BY_STEP),), **more,
    })  # fmt: skip


def heater(name: str, power_W: float, limit_degC: float) -> Body:
    """A heater as a body of its own: of so many watts it has usually half a gram of steel each, and 0.5 J/K."""
    return of_capacity(name, max(power_W * 0.001 * _STEEL_J_PER_KGK, 1.0), 0.5, limit_degC=limit_degC,
                       limit_why=say("usual limit of such heaters, to be looked up"))  # fmt: skip


def link(a: str, b: str, W_per_K: float, size: float = 0.4, measure: str = BY_STEP, **more: object) -> Link:
    """A link whose conductance is a guess."""
    value = rounded(W_per_K)
    return Link.model_validate({
        "a": a, "b": b, "conductance_W_per_K": value,
        "tolerances": (guessed("conductance_W_per_K", value, size, measure),), **more,
    })  # fmt: skip


def wall(inner: str, area_m2: float, *layers: Layer, outer: str = SURROUNDINGS) -> Link:
    """A loss through a wall of layers."""
    made = Wall(area_m2=rounded(area_m2), layers=layers)
    return link(inner, outer, wall_W_per_K(made).value, 0.35, BY_HOLD, wall=made)


def still_air(a: str, b: str, area_m2: float, size: float = 0.4, **more: object) -> Link:
    """Heat between a surface and still air."""
    return link(a, b, _H_STILL_W_PER_M2K * area_m2, size, BY_HOLD, **more)


def probe(body: str, like: str = "digital, steps of 1/16 K", name: str = "Probe", **more: object) -> Probe:
    """A probe of a common type."""
    return Probe.model_validate({
        "name": name, "body": body, **fields_of(PROBE_TYPES[like]), "lag_s": 10.0, "noise_K": 0.03, "interval_s": 2.0,
        **more,
    })  # fmt: skip


def guards(body_probe: str, trip_degC: float) -> tuple[Guard, ...]:
    """A trip that takes the supply away, and off where the probe fails."""
    return (
        Trip(name="Over-temperature", probe=body_probe, at_degC=round(trip_degC, 1)),
        ProbeFaultAction(name="Probe fault", action="off"),
    )


def surroundings(degC: float) -> Surroundings:
    """The room or the weather."""
    return Surroundings(
        temperature_degC=degC, tolerances=(guessed("temperature_degC", degC, 5.0, say("a thermometer beside it")),)
    )


def power_guess(power_W: float) -> tuple[object, ...]:
    """The tolerance of a drive's power, as it was answered."""
    return (guessed("power_W", power_W, 0.15, BY_NAMEPLATE),)


def box_area_m2(volume_m3: float) -> float:
    """Surface of a cube of a volume."""
    side: float = volume_m3 ** (1 / 3)
    return 6 * side * side


def rounded(value: float) -> float:
    """To three figures: more would say more than is known."""
    return float(f"{value:.3g}")
