"""Tolerances: how far the parameters of a rig may be off, with defaults by kind of part.

A part holds the tolerances that differ from the usual ones; `parameters` lists what can vary in a rig, and `varied`
moves all of them. A rig is made of parts with tolerances, so that here it can only be spoken of as `Any`.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Self

from pydantic import model_validator

from kelvarn.sentence import figures, lowered, say
from kelvarn.units import Quantity

from .fields import ModelBase, OneLine, field, number

LARGEST_SHARE = 0.9


class Tolerance(ModelBase):
    """How far one field of a part may be off: a share of its value, or of a temperature so many kelvins."""

    of: OneLine = field(..., "Field", "Which field of the part.", max_length=60)
    size: float = number(..., Quantity.NUMBER, 0.0, 1000.0, "Tolerance", "Share of its value, 0 … 0.9, or kelvins.")
    guess: float | None = number(
        None, Quantity.NUMBER, -1e13, 1e13, "Guessed", "What the value was guessed to be; another one is no guess.",
        empty="no guess",
    )  # fmt: skip
    measure: OneLine = field("", "Measured by", "How a guessed value is measured.", max_length=200)

    @model_validator(mode="after")
    def _known(self) -> Self:
        if not any(self.of in fields for fields in USUAL.values()):
            raise ValueError(say("“{of}” is nothing that has a tolerance", of=self.of))
        if self.of not in IN_KELVINS and self.size > LARGEST_SHARE:
            raise ValueError(
                say("a tolerance must be at most {most} of the value, not {size}; a value that may be twice as large "
                    "is not known: measure it",
                    most=figures(f"{100 * LARGEST_SHARE:.0f}", "%"), size=figures(f"{100 * self.size:g}", "%"))
            )  # fmt: skip
        return self


USUAL: dict[str, dict[str, float]] = {
    "bodies": {"capacity_J_per_K": 0.15, "own_heat_W": 0.15},
    "links": {"conductance_W_per_K": 0.25, "full_W_per_K": 0.25, "radiating_m2": 0.2},
    "draw_offs": {"flow_W_per_K": 0.2},
    "response": {"gain_K": 0.2, "rise_K_per_s": 0.2, "lag_s": 0.2, "lag2_s": 0.3, "dead_time_s": 0.3},
    "drives": {
        "power_W": 0.08, "dead_time_s": 0.3, "speed_lag_s": 0.3, "stalls_below": 0.15, "starts_from": 0.15,
        "travel_s": 0.1, "backlash": 0.5,
    },
    "probes": {"lag_s": 0.3, "dead_time_s": 0.3, "offset_K": 0.5, "noise_K": 0.5},
    "surroundings": {"temperature_degC": 5.0},
}  # fmt: skip
"""Usual tolerances by kind of part and field: shares, but for the fields of `IN_KELVINS`. They are rules of thumb: no
two walls, heaters or probes are alike to better than this unless somebody has measured them."""
IN_KELVINS = ("offset_K", "temperature_degC")


@dataclass(frozen=True)
class Parameter:
    """Something of a rig that may be off.

    Attributes:
        path: where it stands, from the rig down.
        part, title: the part's name, and the field's as people say it.
        value, size: its value and its tolerance; `in_kelvins` says that this is no share.
    """

    path: tuple[str | int, ...]
    part: str
    title: str
    value: float
    size: float
    in_kelvins: bool

    @property
    def text(self) -> str:
        """It in words, such as "Heater mat: heat capacity"."""
        return say("{part}: {title}", part=self.part, title=lowered(say(self.title)))

    def moved(self, place: float) -> float:
        """Its value at a place from −1 to 1 within its tolerance."""
        return self.value + self.size * place if self.in_kelvins else self.value * (1 + self.size * place)


def _parts(rig: Any) -> list[tuple[str, tuple[str | int, ...], str, Any]]:
    """Kind, path, name and part of all that has parameters."""
    found: list[tuple[str, tuple[str | int, ...], str, Any]] = []
    for kind in ("bodies", "links", "draw_offs", "drives", "probes"):
        for index, part in enumerate(getattr(rig, kind)):
            name = part.text if kind == "links" else part.name
            found.append((kind, (kind, index), name, part))
    if rig.response is not None:
        found.append(("response", ("response",), rig.response.name, rig.response))
    found.append(("surroundings", ("surroundings",), say("Surroundings"), rig.surroundings))
    return found


def parameters(rig: Any, *, all_of_them: bool = False) -> list[Parameter]:
    """What of a rig may be off; with `all_of_them` also what has no tolerance or a value of nothing."""
    found = []
    for kind, path, name, part in _parts(rig):
        own = {tolerance.of: tolerance.size for tolerance in part.tolerances}
        for key, usual in USUAL[kind].items():
            value = getattr(part, key, None)
            if value is None or (kind == "response" and not _plays_a_part(part.kind, key)):
                continue
            size, in_kelvins = own.get(key, usual), key in IN_KELVINS
            if all_of_them or (size > 0 and (in_kelvins or value != 0)):
                title = str(type(part).model_fields[key].title)
                found.append(Parameter((*path, key), name, title, float(value), size, in_kelvins))
    return found


def _plays_a_part(kind: str, key: str) -> bool:
    """Whether a field of a response model of a kind does anything."""
    unused = {"one_lag": ("rise_K_per_s", "lag2_s"), "two_lags": ("rise_K_per_s",),
              "integrating": ("gain_K", "lag_s", "lag2_s")}  # fmt: skip
    return key not in unused[kind]


def varied(rig: Any, moved: Sequence[Parameter], places: Sequence[float]) -> Any:
    """The rig with each of these parameters at a place from −1 to 1 within its tolerance, kept inside its range.

    Args:
        rig: as it is meant.
        moved: parameters with their tolerances.
        places: of each, −1…1.
    """
    by_part: dict[tuple[str | int, ...], dict[str, float]] = {}
    for parameter, place in zip(moved, places, strict=True):
        key = str(parameter.path[-1])
        by_part.setdefault(parameter.path[:-1], {})[key] = parameter.moved(place)
    lists: dict[str, list[Any]] = {}
    updates: dict[str, Any] = {}
    for path, values in by_part.items():
        kind = str(path[0])
        if len(path) == 1:
            part = getattr(rig, kind)
            updates[kind] = part.model_copy(update=_inside(part, values))
        else:
            parts = lists.setdefault(kind, list(getattr(rig, kind)))
            index = int(path[1])
            parts[index] = parts[index].model_copy(update=_inside(parts[index], values))
    updates.update({kind: tuple(parts) for kind, parts in lists.items()})
    kept = {name: getattr(rig, name) for name in type(rig).model_fields}
    return type(rig)(**{**kept, **updates})


def _inside(part: Any, values: dict[str, float]) -> dict[str, float]:
    """Values inside the ranges of their fields; a second lag stays the smaller, a stall below the start."""
    found = {}
    for key, value in values.items():
        limits = {type(each).__name__: each for each in type(part).model_fields[key].metadata}
        low = limits["Ge"].ge if "Ge" in limits else value
        high = limits["Le"].le if "Le" in limits else value
        found[key] = min(max(value, low), high)
    if "lag2_s" in found:
        found["lag2_s"] = min(found["lag2_s"], found.get("lag_s", part.lag_s))
    return found


@dataclass(frozen=True)
class Guess:
    """A value of a rig that is no more than a guess, and how it is measured."""

    parameter: Parameter
    measure: str


def guesses(rig: Any) -> list[Guess]:
    """What of a rig is still as it was guessed; a value that somebody has changed is no guess any more."""
    guessed = {
        (*path, each.of): each for _, path, _, part in _parts(rig) for each in part.tolerances if each.guess is not None
    }
    return [
        Guess(each, guessed[each.path].measure)
        for each in parameters(rig, all_of_them=True)
        if each.path in guessed and each.value == guessed[each.path].guess
    ]
