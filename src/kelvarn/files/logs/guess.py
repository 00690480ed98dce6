"""What the columns of a log are, with the reason for each, and what is in doubt.

Names and units of the header speak first, the values second; where both are silent, or say different things, the most
likely reading is taken and the doubt is said with the other ways to read it.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.model.log import FORM_WORDS, FORMS, HEAT_FORMS, Form, LogColumn, LogReading, Role
from kelvarn.sentence import figures, joined, say
from kelvarn.units import counted, three_figures

from .cells import has_time
from .facts import Facts
from .forms import drive_form, heat_form, time_form
from .otherwise import Doubt, changed, whole_doubts
from .text import TextLayout

_DEGREES = tuple(form for form in HEAT_FORMS if form != "counts")
_FEW_LEVELS = 6  # of a drive that is switched by hand


@dataclass(frozen=True)
class Guess:
    """How a log is probably read.

    Attributes:
        reading: what is proposed.
        why: for each column, the reason.
        doubts: what should be looked at.
    """

    reading: LogReading
    why: tuple[str, ...]
    doubts: tuple[Doubt, ...]


def guess(layout: TextLayout) -> Guess:
    """Guess what a log's columns are."""
    facts = _facts(layout)
    roles: dict[int, Role] = {}
    why: dict[int, str] = {}
    _find_time(facts, roles, why)
    _find_named(facts, roles, why)
    _find_by_values(facts, roles, why)
    _put_named_first(facts, roles, why)
    return _formed(layout, facts, roles, why)


def goes_back(layout: TextLayout) -> bool:
    """Whether the rows of a file go back in time."""
    instants = (f for f in _facts(layout) if f.dates > 0.8 or f.clocks > 0.8 or f.roles.get("time", 0) >= 0.6)
    return any(f.falls for f in instants)


def _facts(layout: TextLayout) -> list[Facts]:
    return [
        Facts(k, name, layout.units[k], [row[k] for row in layout.sample], layout.decimal, layout.whole)
        for k, name in enumerate(layout.names)
    ]


def _find_time(facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    dated = [f for f in facts if f.dates > 0.8]
    full = [f for f in dated if sum(has_time(c) for c in f.cells) > 0.5 * f.filled]
    clocks = [f for f in facts if f.clocks > 0.8 or f.spans > 0.8]
    rising = [f for f in facts if f.rises and not f.roles.get("energy") and not f.dates > 0.8]
    named = [f for f in facts if f.numeric > 0.9 and f.roles.get("time", 0) >= 0.6 and f not in clocks]
    named = [f for f in named if f.form not in HEAT_FORMS and _could_be_time(f)]
    if full:
        found, text = full[0], say("dates with times")
    elif clocks:
        found, text = clocks[0], say("times of day")
    elif named:
        found = max(named, key=lambda f: (f.rises, f.roles["time"], -f.index))
        text = (
            say("its name, and it grows by {step}", step=three_figures(found.step)) if found.rises else say("its name")
        )
    elif rising and (len(facts) > 2 or not rising[0].smooth or _even(rising[0])):
        even = [f for f in rising if _even(f)]
        if not even and not any(f.whole for f in rising):
            return
        found = (even or rising)[0]
        text = say("it grows by {step} from row to row", step=three_figures(found.step))
    else:
        return
    roles[found.index], why[found.index] = "time", text
    for other in [*dated, *clocks, *named]:
        if other.index not in roles and (other in dated or other in clocks or other.rises):
            roles[other.index], why[other.index] = (
                "left_out",
                say("{title} has the time already", title=facts[found.index].title),
            )


def _could_be_time(f: Facts) -> bool:
    """Whether numbers grow, at least in stretches."""
    steps = np.diff(f.first)
    if f.first.size == 1:
        return True
    return steps.size > 0 and float(np.mean(steps >= 0)) > 0.6 and f.levels > 1 and f.high > f.low


def _even(f: Facts) -> bool:
    steps = np.diff(f.first)
    return f.step > 0 and float(np.mean(np.abs(steps - f.step) <= 0.25 * f.step)) > 0.7


_NAMED: tuple[Role, ...] = (
    "setpoint",
    "surroundings",
    "reference",
    "energy",
    "temperature",
    "drive",
    "note",
    "left_out",
)


def _find_named(facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """Give roles by name; a unit of temperature says more than a name such as "heater"."""
    for f in facts:
        if f.index in roles or not (f.roles or f.form):
            continue
        options = dict(f.roles)
        options.pop("time", None)
        if f.form in _DEGREES:
            heat: dict[Role, float] = {role: value for role, value in options.items()
                    if role in ("setpoint", "surroundings", "reference", "temperature")}  # fmt: skip
            options = heat or {"temperature": 0.8}
        elif f.form in ("watts",) or f.form in FORMS["drive"]:
            options.setdefault("drive", 0.65)
            if f.form == "watts" and not f.roles:
                options = {"drive": 0.8}
            for heated in ("temperature", "setpoint", "surroundings", "reference"):
                options.pop(heated, None)
        elif f.form in ("Wh", "kWh", "J"):
            options = {"energy": 0.9}
        if not options:
            continue
        role = max(options, key=lambda r: (options[r], -_NAMED.index(r)))
        if role in ("temperature", "setpoint", "surroundings", "reference", "energy") and f.numeric < 0.5:
            role = "note" if f.numeric < 0.1 and len(f.kinds) < 0.3 * f.filled else "left_out"
        if role == "drive" and f.numeric < 0.5 and f.words < 0.5 and not f.switched:
            role = "note"
        if role == "temperature" and f.words > 0.95 and f.levels <= 2 and "drive" in f.roles:
            role = "drive"
        roles[f.index] = role
        why[f.index] = _by_header(f, role)


def _by_header(f: Facts, role: Role) -> str:
    """Why a column is what its header says."""
    if f.form and f.form in FORMS[role]:
        form = say(FORM_WORDS[f.form])
        return say("its name in {form}", form=form) if f.name else say("its unit in {form}", form=form)
    return say("its name") if f.name else say("its unit")


def _find_by_values(facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """Give what has no telling name a role by what it holds."""
    _leave_constant_drives(facts, roles, why)
    left = [f for f in facts if f.index not in roles]
    if "temperature" not in roles.values():
        _find_heat(left, roles, why)
    if "drive" not in roles.values():
        _find_drive([f for f in left if f.index not in roles], facts, roles, why)
    if "temperature" not in roles.values():
        _find_heat([f for f in left if f.index not in roles], roles, why, anything=True)
    for f in left:
        if f.index in roles:
            continue
        stands = f.numeric > 0.7 and 1 <= f.levels <= _FEW_LEVELS and _near_heat(f, facts, roles)
        if stands and "setpoint" not in roles.values():
            roles[f.index] = "setpoint"
            why[f.index] = say("it stands at {levels} near the temperature", levels=counted(f.levels, "value"))
        elif f.numeric > 0.7 and f.smooth and not (f.rises and _even(f)) and _plausible(f, facts, roles):
            roles[f.index] = "temperature"
            why[f.index] = say(
                "it changes slowly, from {low} to {high}", low=three_figures(f.low), high=three_figures(f.high)
            )
        elif f.numeric < 0.3 and 1 <= len(f.kinds) <= 40 and f.filled:
            roles[f.index], why[f.index] = "note", say("words that come again")
        else:
            roles[f.index], why[f.index] = (
                "left_out",
                say("nothing that a fit needs") if f.filled else say("it is empty"),
            )


def _put_named_first(facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """The first temperature is fitted: one that only its values tell does not stand before one that its name tells."""
    several = [f for f in facts if roles.get(f.index) == "temperature"]
    named = [f for f in several if f.roles.get("temperature", 0) > 0 or f.form in _DEGREES]
    if not named:
        return
    for f in several:
        if f.index < named[0].index and f not in named:
            roles[f.index], why[f.index] = (
                "left_out",
                say("{title} says that it is the temperature", title=named[0].title),
            )


def _leave_constant_drives(facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """What never changes is no drive where something else may be one."""
    named = [f for f in facts if roles.get(f.index) == "drive"]
    others = [f for f in facts if (f.index not in roles or f in named) and len(f.kinds) > 1]
    for f in named:
        if len(f.kinds) < 2 and any(other.words > 0.9 or other.numeric > 0.9 for other in others):
            roles[f.index], why[f.index] = "left_out", say("it never changes")


def _find_heat(left: list[Facts], roles: dict[int, Role], why: dict[int, str], *, anything: bool = False) -> None:
    """Of numbers that change slowly, and do not count up, the first that may be a temperature; else `anything`."""
    able = [
        f for f in left
        if f.numeric > 0.7 and f.levels > _FEW_LEVELS and f.smooth and not (f.rises and f.whole and _even(f))
        and ((f.low > -150 and f.high < 2500) or (f.whole and f.low >= 0 and f.high <= 65_535))
    ]  # fmt: skip
    if not able and anything:
        able = [f for f in left if f.numeric > 0.7 and f.levels > 1]
    if able:
        best = min(able, key=lambda f: (f.whole, f.index))
        roles[best.index] = "temperature"
        why[best.index] = say(
            "it changes slowly, from {low} to {high}", low=three_figures(best.low), high=three_figures(best.high)
        )


def _find_drive(left: list[Facts], facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """What jumps between few values, or is said in words for on and off."""
    able = [f for f in left if f.words > 0.9 and 2 <= len(f.kinds) <= 4 and f.numeric < 0.1]
    able = able or [f for f in left if f.switched]
    held = [f for f in left if f.numeric > 0.9 and f.low >= 0 and f.high <= 4095 and f.levels > 1]
    able = able or [f for f in held if not f.smooth and f.levels <= 0.6 * f.filled]
    if not able and len(facts) > 1:
        able = [f for f in held if f.levels <= _FEW_LEVELS]
    if able:
        best = min(able, key=lambda f: (f.levels, f.index))
        roles[best.index] = "drive"
        why[best.index] = say(
            "it jumps between {kinds}, from {low} to {high}",
            kinds=counted(len(best.kinds), "value"),
            low=figures(f"{best.low:g}", ""),
            high=figures(f"{best.high:g}", ""),
        )


def _near_heat(f: Facts, facts: list[Facts], roles: dict[int, Role]) -> bool:
    """Whether a column that stands still lies where the temperature goes, and goes where it lies."""
    first = next(facts[k] for k, role in sorted(roles.items()) if role == "temperature")
    room = 0.2 * (first.high - first.low)
    return bool(first.high > first.low and f.high > first.low + room and f.high < first.high + 2 * room)


def _plausible(f: Facts, facts: list[Facts], roles: dict[int, Role]) -> bool:
    """Whether numbers lie where those of the first temperature do."""
    first = next(facts[k] for k, role in sorted(roles.items()) if role == "temperature")
    if first.whole and first.high > 255:  # raw counts, which lie anywhere
        return f.low > -60 and f.high < 1800
    return abs(f.low - first.low) < max(30.0, first.high - first.low) and f.high < 3 * max(first.high, 50)


# Forms


def _formed(layout: TextLayout, facts: list[Facts], roles: dict[int, Role], why: dict[int, str]) -> Guess:
    """What the values of each column are."""
    doubts: list[tuple[int, str, Sequence[tuple[str, Mapping[str, object]]]]] = []
    columns: list[LogColumn] = []
    extra: dict[str, object] = {}
    for f in facts:
        role = roles[f.index]
        form: Form = ""
        if role == "time":
            form, text, doubt = time_form(f, extra)
        elif role in ("temperature", "surroundings", "setpoint", "reference"):
            form, text, doubt = heat_form(f, role, extra)
        elif role == "drive":
            form, text, doubt = drive_form(f, extra)
        elif role == "energy":
            form, text, doubt = (f.form if f.form in FORMS["energy"] else "Wh"), "", None
        else:
            text, doubt = "", None
        if text:
            why[f.index] = joined("; ", (why[f.index], text))
        if doubt is not None:
            doubts.append((f.index, *doubt))
        columns.append(LogColumn(name=_one_line(f.name), role=role, form=form))
    interval = _interval(layout)
    if "time" not in roles.values() and interval:
        extra["interval_s"] = interval
    reading = LogReading(
        encoding=layout.encoding, shape=layout.shape, delimiter=layout.delimiter, decimal=layout.decimal,
        first_row=layout.first, columns=tuple(columns), **extra,
    )  # fmt: skip
    said = [Doubt(k, text, tuple((label, changed(reading, k, how)) for label, how in ways)) for k, text, ways in doubts]
    said += whole_doubts(reading, facts, roles)
    return Guess(reading, tuple(why[k] for k in range(len(facts))), tuple(said))


def _one_line(name: str) -> str:
    return re.sub(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]", " ", name)[:200]


_INTERVAL = re.compile(
    r"(?:intervall?|every|sample (?:time|rate)|rate|period|takt)\D{0,12}?([\d.,]+)\s*(ms|s|sec|seconds|min)\b",
    re.IGNORECASE,
)


def _interval(layout: TextLayout) -> float | None:
    """Time between rows, where the lines above say it, s."""
    for line in layout.about:
        found = _INTERVAL.search(line)
        if found:
            value = float(found[1].replace(",", "."))
            return value * {"ms": 1e-3, "min": 60.0}.get(found[2].lower(), 1.0)
    return None
