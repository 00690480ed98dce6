"""A log read otherwise: what is in doubt of it as a whole, and the readings that a choice makes."""

from collections.abc import Mapping
from dataclasses import dataclass

from kelvarn.model.log import FORMS, Form, LogColumn, LogReading, Role
from kelvarn.sentence import say

from .facts import Facts


@dataclass(frozen=True)
class Doubt:
    """What cannot be told from the file: the column (−1 for none), a sentence, and the ways to read it."""

    column: int
    text: str
    choices: tuple[tuple[str, LogReading], ...]


def changed(reading: LogReading, column: int, how: Mapping[str, object]) -> LogReading:
    """A reading with some of a column, or of itself, read otherwise."""
    own = {key: value for key, value in how.items() if key in ("role", "form")}
    columns = list(reading.columns)
    if own:
        columns[column] = LogColumn.model_validate({**columns[column].model_dump(), **own})
    rest = {key: value for key, value in how.items() if key not in ("role", "form")}
    kept = {name: getattr(reading, name) for name in type(reading).model_fields}
    return LogReading.model_validate({**kept, "columns": tuple(columns), **rest})


def whole_doubts(reading: LogReading, facts: list[Facts], roles: dict[int, Role]) -> list[Doubt]:
    """What is in doubt of the whole."""
    found: list[Doubt] = []
    kinds = list(roles.values())
    if "time" not in kinds and reading.interval_s is None:
        often = ((say("second"), 1.0), ("2 s", 2.0), ("5 s", 5.0), ("10 s", 10.0), (say("minute"), 60.0))
        ways = tuple(
            (say("a row every {text}", text=text), changed(reading, -1, {"interval_s": s})) for text, s in often
        )
        found.append(Doubt(-1, say("No column holds the time; say how often a row was written."), ways))
    several = [k for k, role in sorted(roles.items()) if role == "temperature"]
    if len(several) > 1:
        ways = tuple((say("fit {title}", title=facts[k].title), _first_heat(reading, k)) for k in several[:6])
        found.append(
            Doubt(
                several[0],
                say("Several columns may be temperatures; {title} is fitted.", title=facts[several[0]].title),
                ways,
            )
        )
    if "drive" not in kinds:
        found.append(Doubt(-1, say("No column says what the drive did; a fit needs one."), ()))
    elif sum(role == "drive" for role in kinds) > 1:
        drives = [k for k, role in sorted(roles.items()) if role == "drive"]
        ways = tuple((say("take {title}", title=facts[k].title), _only_drive(reading, k, drives)) for k in drives[:6])
        found.append(
            Doubt(
                drives[0],
                say("Several columns may be the drive; {title} is taken.", title=facts[drives[0]].title),
                ways,
            )
        )
    return found


def _only_drive(reading: LogReading, kept: int, drives: list[int]) -> LogReading:
    for k in drives:
        if k != kept:
            reading = changed(reading, k, {"role": "left_out", "form": ""})
    return reading


def _first_heat(reading: LogReading, wanted: int) -> LogReading:
    """The one that is fitted is the first temperature: the others before it become further ones by their order."""
    for k, column in enumerate(reading.columns):
        if column.role == "temperature" and k < wanted:
            reading = changed(reading, k, {"role": "left_out", "form": ""})
    return reading


def with_role(reading: LogReading, column: int, role: Role) -> LogReading:
    """The reading with a column taken for something else, in its likeliest form; of most roles there is one column.

    Args:
        reading: how the log is read.
        column: place of the column.
        role: what it is taken for.
    """
    form = reading.columns[column].form
    if form not in FORMS[role]:
        form = FORMS[role][0]
    made = changed(reading, column, {"role": role, "form": form})
    if role in ("time", "drive", "surroundings", "setpoint", "reference", "energy"):
        for k, other in enumerate(made.columns):
            if k != column and other.role == role:
                made = changed(made, k, {"role": "left_out", "form": ""})
    if role == "temperature":  # the first one is fitted
        made = _first_heat(made, column)
    return made


def with_form(reading: LogReading, column: int, form: Form) -> LogReading:
    """The reading with the values of a column taken for something else.

    Args:
        reading: how the log is read.
        column: place of the column.
        form: what its values are.
    """
    return changed(reading, column, {"form": form})
