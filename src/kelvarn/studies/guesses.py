"""What of a rig is guessed: in words, and in the order of what it does to the marks."""

from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import quantity_at
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Guess, Parameter
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures
from kelvarn.units import Scale, show

from .variants import vary

_VARIANTS = 96


def value_text(rig: Rig, parameter: Parameter) -> str:
    """The value of a parameter with its unit."""
    scale = Scale.CELSIUS if rig.unit is None else Scale(rig.unit, own=True)
    return show(parameter.value, quantity_at(rig, parameter.path), scale)


def size_text(parameter: Parameter) -> str:
    """How far it may be off."""
    number, unit = (parameter.size, "K") if parameter.in_kelvins else (round(100 * parameter.size), "%")
    return figures(f"±{number:g}", unit)


def by_what_they_do(
    found: list[Guess], project: Project, candidate: Candidate, trial: Trial
) -> list[tuple[Guess, float]]:
    """Guesses with what they do to the marks by variants of the rig, an index from 0 to 1; the most first."""
    index: dict[tuple[str | int, ...], float] = {}
    *_, variants = vary(project.rig, candidate.controller, trial, _VARIANTS)
    for each in variants.influences:
        index[each.parameter.path] = max(index.get(each.parameter.path, 0.0), each.index)
    rated = [(guess, index.get(guess.parameter.path, 0.0)) for guess in found]
    return sorted(rated, key=lambda each: -each[1])
