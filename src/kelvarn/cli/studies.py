"""What the commands `why` and `map` print."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from kelvarn.files.faults import printable
from kelvarn.model.candidate import Candidate
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.names import check_known
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.studies.gain_map import GainMap, MapAxis, axis_of, begun, refine
from kelvarn.studies.reasons import Reason, Reasons, Remedy
from kelvarn.units import Quantity, Scale, show

from .common import CommandError


def measure_named(text: str, project: Project, trial: Trial) -> Mark:
    """A measure as the command line writes it: its key, and where it is of a body or an event, ":" and that name.

    Raises:
        CommandError: there is none.
    """
    name, _, of = text.partition(":")
    if name not in MEASURES:
        raise CommandError(f"“{printable(name)}” is not a measure; known are {', '.join(MEASURES)}.")
    scope = MEASURES[name].scope
    if scope in ("event", "body"):
        known = project.rig.body_names if scope == "body" else [event.name for event in trial.events]
        if not known:
            raise CommandError(f"{name} is of an event, and “{trial.name}” has none.")
        if not of:
            raise CommandError(f"{name} is of {'an event' if scope == 'event' else 'a body'}: write {name}:{known[0]}.")
        check_known((of,), known, scope)
        return Mark(measure=name, limit=0, **{scope: of})
    if of:
        raise CommandError(f"{name} is of the whole trial: leave out “:{printable(of)}”.")
    return Mark(measure=name, limit=0)


def _key(ref: Mark) -> str:
    of = ref.event or ref.body
    return ref.measure if of is None else f"{ref.measure}:{of}"


def why_text(found: Reasons, scale: Scale) -> str:
    """What a measure is made of and what would help, as lines."""
    quantity = found.ref.kind.quantity

    def said(value: float | None) -> str:
        return "none" if value is None else show(value, quantity, scale)

    whole = "never" if found.whole is None else said(found.whole)
    lines = [f"{found.ref.title}: {whole}, by {found.runs} runs. With one thing at a time removed:"]
    lines += [f"  {part.alternative.words}: {_change(part, found, said)}" for part in found.parts]
    if found.whole is not None:
        lines.append(f"  {_together(found, said)}")
    elif not found.parts:
        lines.append("  none of what was removed makes it settle")
    lines.append("What would help:" if found.remedies else "Nothing that was tried helps.")
    for remedy in found.remedies:
        where = "rig" if remedy.alternative.of_rig else "control"
        marks = f", {remedy.met} of {found.asked} marks met" if found.asked else ""
        lines.append(f"  {remedy.alternative.words} ({where}): {said(remedy.value)}{marks}")
    return "\n".join(lines)


def _change(part: Reason, found: Reasons, said: Callable[[float | None], str]) -> str:
    """What removing one thing does to a measure."""
    if found.whole is None:
        return f"{said(part.value)} without it"
    if part.part is None:
        return "there is no such value without it"
    does = "take away" if part.part >= 0 else "add"
    return f"removing it would {does} {said(abs(part.part))} ({said(part.value)} without it)"


def _together(found: Reasons, said: Callable[[float | None], str]) -> str:
    """What single things do not explain of a measure."""
    left = said(abs(found.together))
    return f"only together: {left}" if found.together >= 0 else f"counted more than once, since parts overlap: {left}"


def why_json(candidate: Candidate, trial: Trial, found: Reasons) -> dict[str, Any]:
    """The same for programs."""

    def part_json(part: Reason) -> dict[str, Any]:
        return {"without": part.alternative.words, "value": part.value, "part": part.part}

    def remedy_json(remedy: Remedy) -> dict[str, Any]:
        of = "rig" if remedy.alternative.of_rig else "control"
        return {
            "change": remedy.alternative.words,
            "of": of,
            "value": remedy.value,
            "marks_met": remedy.met,
            "missed_by": remedy.missed,
        }

    return {
        "candidate": candidate.name,
        "trial": trial.name,
        "measure": _key(found.ref),
        "value": found.whole,
        "parts": [part_json(part) for part in found.parts],
        "together": found.together,
        "remedies": [remedy_json(remedy) for remedy in found.remedies],
        "marks_asked": found.asked,
        "marks_met": found.met,
        "runs_computed": found.runs,
    }


def map_of(
    project: Project, candidate: Candidate, trial: Trial, settings: tuple[str, str], tell: Callable[[float], bool]
) -> GainMap:
    """The whole map over two settings, such as "kp_per_K" or "steps.0.from_degC". Raises MapError."""
    law = candidate.controller

    def axis(name: str) -> MapAxis:
        return axis_of(law, tuple(int(part) if part.isdecimal() else part for part in name.split(".")))

    made = begun(project.rig, trial, *map(axis, settings))
    while not made.complete:
        done = float(made.computed.mean())
        made = refine(made, project.rig, law, trial, lambda share, done=done: tell(done + 3 * done * share))  # type: ignore[misc]
    return made


def map_json(candidate: Candidate, trial: Trial, made: GainMap, ref: Mark) -> dict[str, Any]:
    """A measure over the map; of its rows, each is of one value of y."""
    values = made.filled(made.refs.index(ref))
    axes = {key: {"setting": axis.name, "points": list(axis.values)} for key, axis in (("x", made.x), ("y", made.y))}
    grid = [[None if math.isnan(value) else float(value) for value in row] for row in values]
    return {"candidate": candidate.name, "trial": trial.name, "measure": _key(ref), **axes, "grid": grid,
            "met_grid": made.met.tolist()}  # fmt: skip


def map_text(candidate: Candidate, trial: Trial, made: GainMap, ref: Mark, scale: Scale) -> str:
    """A measure over the map, as lines."""
    values = made.filled(made.refs.index(ref))
    share = show(float(made.met.mean()), Quantity.DRIVE, scale)
    lines = [f"{ref.title} of “{candidate.name}” on “{trial.name}”, {values.size} runs:"]
    for axis in (made.x, made.y):
        first, last = (show(axis.values[k], axis.quantity, scale) for k in (0, -1))
        lines.append(f"  {axis.title}: {first} to {last}")
    there = values[~np.isnan(values)]
    if there.size:
        low, high = (show(float(v), ref.kind.quantity, scale) for v in (there.min(), there.max()))
        lines.append(f"  {ref.title}: {low} to {high}")
    lines.append(f"  all marks met at {share} of the points" if trial.marks else "  the trial has no marks")
    return "\n".join(lines)
