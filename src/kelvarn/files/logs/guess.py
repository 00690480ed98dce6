"""What the columns of a log are, with the reason for each, and what is in doubt.

Names and units of the header speak first, the values second; where both are silent, or say different things, the most
likely reading is taken and the doubt is said with the other ways to read it.
"""

import math
import re
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kelvarn.model.log import FORM_WORDS, FORMS, ROLE_WORDS, WRAP, Form, LogColumn, LogReading, Role
from kelvarn.model.log_data import Floats
from kelvarn.units import counted, three_figures

from .cells import day_parts, has_time, is_clock, is_date, numbers, on_off
from .names import form_of, roles_of
from .text import Layout

_HEAT_FORMS = FORMS["temperature"]


@dataclass(frozen=True)
class Doubt:
    """What cannot be told from the file: the column (−1 for none), a sentence, and the ways to read it."""

    column: int
    text: str
    choices: tuple[tuple[str, LogReading], ...]


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


class _Facts:
    """What the sample shows of a column."""

    def __init__(self, index: int, name: str, unit: str, cells: list[str], decimal: str, whole: int) -> None:
        self.index, self.name, self.unit, self.cells = index, name, unit, cells
        filled = [cell for cell in cells if cell]
        self.filled = len(filled)
        self.values = numbers(cells, decimal)
        self.numeric = float(np.isfinite(self.values).sum()) / max(self.filled, 1)
        self.clocks = sum(map(is_clock, filled)) / max(self.filled, 1)
        self.dates = sum(map(is_date, filled)) / max(self.filled, 1)
        self.words = sum(not math.isnan(on_off(cell)) for cell in filled) / max(self.filled, 1)
        self.kinds = {cell.lower() for cell in filled}
        self.known: Floats = self.values[np.isfinite(self.values)]
        self.first: Floats = self.values[:whole][np.isfinite(self.values[:whole])]
        self.roles, self.form = roles_of(name), form_of(name, unit)

    @property
    def low(self) -> float:
        return float(self.known.min()) if self.known.size else 0.0

    @property
    def high(self) -> float:
        return float(self.known.max()) if self.known.size else 0.0

    @property
    def whole(self) -> bool:
        return bool(self.known.size) and bool(np.all(self.known == np.round(self.known)))

    @property
    def levels(self) -> int:
        return int(np.unique(self.known).size)

    @property
    def step(self) -> float:
        """Usual step between rows that follow one another."""
        steps = np.diff(self.first)
        return float(np.median(steps)) if steps.size else 0.0

    @property
    def rises(self) -> bool:
        """Whether it grows from row to row, but for a few."""
        steps = np.diff(self.first)
        if self.numeric < 0.9 or steps.size < 1:
            return False
        grows = float(np.mean(steps > 0)) > 0.6 and float(np.mean(steps >= 0)) > 0.9
        return grows and self.high > self.low

    @property
    def smooth(self) -> bool:
        """Whether it changes little from row to row, against what it changes in all."""
        steps = np.abs(np.diff(self.first))
        spread = self.high - self.low
        return steps.size > 1 and spread > 0 and float(np.quantile(steps, 0.95)) < 0.2 * spread

    @property
    def title(self) -> str:
        return f"“{self.name}”" if self.name else f"column {self.index + 1}"


def guess(layout: Layout) -> Guess:
    """Guess what a log's columns are."""
    facts = [
        _Facts(k, name, layout.units[k], [row[k] for row in layout.sample], layout.decimal, layout.whole)
        for k, name in enumerate(layout.names)
    ]
    roles: dict[int, Role] = {}
    why: dict[int, str] = {}
    _find_time(facts, roles, why)
    _find_named(facts, roles, why)
    _find_by_values(facts, roles, why)
    return _formed(layout, facts, roles, why)


def _find_time(facts: list[_Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    dated = [f for f in facts if f.dates > 0.8]
    full = [f for f in dated if sum(has_time(c) for c in f.cells) > 0.5 * f.filled]
    clocks = [f for f in facts if f.clocks > 0.8]
    rising = [f for f in facts if f.rises and not f.roles.get("energy") and not f.dates > 0.8]
    heats = ("degC", "degF", "K", "counts")
    named = [f for f in facts if f.numeric > 0.9 and f.roles.get("time", 0) >= 0.6 and f not in clocks]
    named = [f for f in named if f.form not in heats and _could_be_time(f)]
    if full:
        found, text = full[0], "dates with times"
    elif clocks:
        found, text = clocks[0], "times of day"
    elif named:
        found = max(named, key=lambda f: (f.rises, f.roles["time"], -f.index))
        text = f"its name, and it grows by {three_figures(found.step)}" if found.rises else "its name"
    elif rising and (len(facts) > 2 or not rising[0].smooth or _even(rising[0])):
        even = [f for f in rising if _even(f)]
        if not even and not any(f.whole for f in rising):
            return
        found = (even or rising)[0]
        text = f"it grows by {three_figures(found.step)} from row to row"
    else:
        return
    roles[found.index], why[found.index] = "time", text
    for other in [*dated, *clocks, *named]:
        if other.index not in roles and (other.dates > 0.8 or other.clocks > 0.8 or other.rises):
            roles[other.index], why[other.index] = "left_out", f"{facts[found.index].title} has the time already"


def _could_be_time(f: _Facts) -> bool:
    """Whether numbers grow, at least in stretches."""
    steps = np.diff(f.first)
    return steps.size > 0 and float(np.mean(steps >= 0)) > 0.6 and f.levels > 1 and f.high > f.low


def _even(f: _Facts) -> bool:
    steps = np.diff(f.first)
    return f.step > 0 and float(np.mean(np.abs(steps - f.step) <= 0.25 * f.step)) > 0.7


_NAMED: tuple[Role, ...] = ("setpoint", "surroundings", "reference", "energy", "temperature", "drive", "note", "left_out")


def _find_named(facts: list[_Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """Give roles by name; a unit of temperature says more than a name such as "heater"."""
    for f in facts:
        if f.index in roles or not (f.roles or f.form):
            continue
        options = dict(f.roles)
        options.pop("time", None)
        if f.form in ("degC", "degF", "K"):
            heat = {role: value for role, value in options.items()
                    if role in ("setpoint", "surroundings", "reference", "temperature")}  # fmt: skip
            options = heat or {"temperature": 0.8}
        elif f.form in ("watts",) or f.form in FORMS["drive"]:
            options.setdefault("drive", 0.65)
            if f.form == "watts" and not f.roles:
                options = {"drive": 0.8}
            options.pop("temperature", None)
        elif f.form in ("Wh", "kWh", "J"):
            options = {"energy": 0.9}
        if not options:
            continue
        role = max(options, key=lambda r: (options[r], -_NAMED.index(r)))
        if role in ("temperature", "setpoint", "surroundings", "reference", "energy") and f.numeric < 0.5:
            role = "note" if f.numeric < 0.1 and len(f.kinds) < 0.3 * f.filled else "left_out"
        if role == "drive" and f.numeric < 0.5 and f.words < 0.5:
            role = "note"
        if role == "temperature" and f.words > 0.95 and f.levels <= 2 and "drive" in f.roles:
            role = "drive"
        roles[f.index] = role
        unit = f" in {FORM_WORDS[f.form]}" if f.form and f.form in FORMS[role] else ""
        why[f.index] = f"its name{unit}" if f.name else f"its unit{unit}"


def _find_by_values(facts: list[_Facts], roles: dict[int, Role], why: dict[int, str]) -> None:
    """Give what has no telling name a role by what it holds."""
    left = [f for f in facts if f.index not in roles]
    if "drive" not in roles.values():
        able = [f for f in left if f.words > 0.9 and len(f.kinds) <= 4] or [
            f for f in left if f.numeric > 0.9 and 0 <= f.low and f.high <= 4095 and not f.smooth and f.levels <= 0.6 * f.filled
        ] or [f for f in left if f.numeric > 0.9 and f.levels <= 6 and 0 <= f.low and f.high <= 4095
              and len([g for g in left if g.numeric > 0.9]) > 1]  # fmt: skip
        if able:
            best = min(able, key=lambda f: (f.levels, f.index))
            roles[best.index] = "drive"
            why[best.index] = f"it jumps between {counted(len(best.kinds), 'value')}, from {best.low:g} to {best.high:g}"
    for f in left:
        if f.index in roles:
            continue
        if f.numeric > 0.7 and "temperature" not in roles.values() and f.levels > 1:
            roles[f.index] = "temperature"
            why[f.index] = f"it changes slowly, from {three_figures(f.low)} to {three_figures(f.high)}"
        elif f.numeric > 0.7 and f.smooth and not f.rises and _plausible(f, facts, roles):
            roles[f.index] = "temperature"
            why[f.index] = f"it changes slowly, from {three_figures(f.low)} to {three_figures(f.high)}"
        elif f.numeric < 0.3 and 1 <= len(f.kinds) <= 40 and f.filled:
            roles[f.index], why[f.index] = "note", "words that come again"
        else:
            roles[f.index], why[f.index] = "left_out", "nothing that a fit needs" if f.filled else "it is empty"


def _plausible(f: _Facts, facts: list[_Facts], roles: dict[int, Role]) -> bool:
    """Whether numbers lie where those of the first temperature do."""
    first = next(facts[k] for k, role in sorted(roles.items()) if role == "temperature")
    return abs(f.low - first.low) < max(30.0, first.high - first.low) and f.high < 3 * max(first.high, 50)


# Forms


def _formed(layout: Layout, facts: list[_Facts], roles: dict[int, Role], why: dict[int, str]) -> Guess:
    """What the values of each column are."""
    doubts: list[tuple[int, str, list[tuple[str, dict[str, object]]]]] = []
    columns: list[LogColumn] = []
    extra: dict[str, object] = {}
    for f in facts:
        role = roles[f.index]
        form: Form = ""
        if role == "time":
            form, text, doubt = _time_form(f, extra)
        elif role in ("temperature", "surroundings", "setpoint", "reference"):
            form, text, doubt = _heat_form(f, role, extra)
        elif role == "drive":
            form, text, doubt = _drive_form(f, extra)
        elif role == "energy":
            form, text, doubt = (f.form if f.form in FORMS["energy"] else "Wh"), "", None
        else:
            text, doubt = "", None
        if text:
            why[f.index] += f"; {text}"
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
    said = [Doubt(k, text, tuple((label, _changed(reading, k, how)) for label, how in ways)) for k, text, ways in doubts]
    said += _whole_doubts(reading, facts, roles)
    return Guess(reading, tuple(why[k] for k in range(len(facts))), tuple(said))


def _one_line(name: str) -> str:
    return re.sub(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]", " ", name)[:200]


def _changed(reading: LogReading, column: int, how: dict[str, object]) -> LogReading:
    """A reading with some of a column, or of itself, read otherwise."""
    own = {key: value for key, value in how.items() if key in ("role", "form")}
    columns = list(reading.columns)
    if own:
        columns[column] = LogColumn.model_validate({**columns[column].model_dump(), **own})
    rest = {key: value for key, value in how.items() if key not in ("role", "form")}
    kept = {name: getattr(reading, name) for name in type(reading).model_fields}
    return LogReading.model_validate({**kept, "columns": tuple(columns), **rest})


_Ways = list[tuple[str, dict[str, object]]]
_Formed = tuple[Form, str, tuple[str, _Ways] | None]


def _time_form(f: _Facts, extra: dict[str, object]) -> _Formed:
    if f.dates > 0.8:
        return _date_form(f, extra)
    if f.clocks > 0.8:
        short = all(cell.count(":") == 1 for cell in f.cells if cell)
        if short:
            past = any(int(cell.split(":")[0]) > 23 for cell in f.cells if is_clock(cell))
            steps = [cell.split(":")[0] for cell in f.cells[:40] if is_clock(cell)]
            quick = len(set(steps)) < 0.2 * len(steps) + 2
            form: Form = "elapsed" if past or not quick else "clock"
            ways: _Ways = [("min:s", {"form": "elapsed"}), ("h:min", {"form": "clock"})]
            return form, f"read as {FORM_WORDS[form]}", ("Two figures and a colon: minutes and seconds, or a clock?", ways)
        return "clock", "midnight is passed where it falls back", None
    wraps = bool(np.any(np.diff(f.first) < -0.9 * WRAP["ms"]))
    if f.form in FORMS["time"] and f.form not in ("clock", "date_time"):
        return f.form, f"in {FORM_WORDS[f.form]}" + (", beginning anew at 2³²" if wraps else ""), None
    step, high = f.step, f.high
    if 1e9 < high < 4e9 and f.low > 1e9 and not wraps:
        return "s", "seconds since 1970", None
    if 1e12 < high < 4e12 and f.low > 1e12:
        return "ms", "milliseconds since 1970", None
    if 20_000 < f.low and high < 80_000 and 0 < step < 0.5 and not f.whole:
        return "days", "days since 1900, as spreadsheets count", None
    if wraps:
        form = "us" if step > 60_000 else "ms"
        return form, f"it falls from nearly 2³² to 0: {FORM_WORDS[form]} of a board that begin anew", None
    ways = [("seconds", {"form": "s"}), ("milliseconds", {"form": "ms"}), ("minutes", {"form": "min"})]
    if "millis" in f.name.lower() or step >= 3600 and step < 1e5:
        return "ms", f"steps of {three_figures(step)} would be {three_figures(step / 60)} min in seconds", (
            None if "millis" in f.name.lower() else (_unit_doubt(f), ways))
    if step >= 1e5:
        return "us", f"steps of {three_figures(step)}", (_unit_doubt(f), [*ways[:2], ("microseconds", {"form": "us"})])
    if step >= 90:
        return "ms", f"steps of {three_figures(step)}", (_unit_doubt(f), ways)
    if step < 0.05 and not f.whole:
        return "min" if step > 0.005 else "h", "very small steps", (_unit_doubt(f), [*ways[::2], ("hours", {"form": "h"})])
    clear = f.roles.get("time", 0) > 0 and step < 61
    return "s", f"steps of {three_figures(step)}", None if clear and 0.05 <= step <= 30 and not f.whole else (_unit_doubt(f), ways)


def _unit_doubt(f: _Facts) -> str:
    return f"{f.title} grows by {three_figures(f.step)} and does not say of what: seconds or milliseconds?"


def _date_form(f: _Facts, extra: dict[str, object]) -> _Formed:
    parts = [found for cell in f.cells if (found := day_parts(cell)) is not None]
    if not parts:
        return "date_time", "", None
    days = {a for a, _ in parts}, {b for _, b in parts}
    if max(days[0]) > 12 or max(days[1]) > 12:
        extra["day_first"] = max(days[0]) > 12
        return "date_time", "day first" if extra["day_first"] else "month first", None
    dotted = "." in f.cells[0]
    extra["day_first"] = dotted or len(days[0]) > len(days[1]) or len(days[0]) == len(days[1])
    if dotted or len(set(parts)) == 1:
        return "date_time", "day first", None  # within a day it makes no difference
    ways: _Ways = [("day first", {"day_first": True}), ("month first", {"day_first": False})]
    return "date_time", "day first" if extra["day_first"] else "month first", ("Is the day or the month first?", ways)


def _heat_form(f: _Facts, role: Role, extra: dict[str, object]) -> _Formed:
    start = float(np.median(f.first[: max(3, f.first.size // 50)])) if f.first.size else 0.0
    ways: _Ways = [(FORM_WORDS[form], {"form": form}) for form in _HEAT_FORMS]
    counts = f.whole and f.low >= 0 and (f.high > 255 or f.form == "counts") and (f.form == "counts" or f.levels > 2)
    if f.form in ("degC", "degF", "K"):
        odd = _odd(f.form, start, f.low, f.high)
        doubt = None if not odd else (f"{f.title} says {FORM_WORDS[f.form]}, but {odd}.", ways[:3])
        return f.form, "", doubt
    if f.form == "counts" or (counts and 150 < start and (f.high <= 1023 or f.high <= 4095 and f.low > 300)
                              and not 273 <= start <= 320):  # fmt: skip
        full = next((full for full in (1023.0, 4095.0, 16383.0, 65535.0) if f.high <= full), f.high)
        extra["full_counts"] = full
        extra["falls"] = float(f.known[-1]) <= start
        text = f"whole numbers from {f.low:g} to {f.high:g} of {full:g}: raw counts, {'falling' if extra['falls'] else 'rising'}"
        return "counts", text, (
            f"{f.title} holds raw counts: which thermistor and divider do they come from? Taken: NTC of 10 kΩ at 25 °C, "
            "Beta 3950 K, with 10 kΩ; or calibrate it.", ways)  # fmt: skip
    if 250 <= start <= 330 and f.low > 200:
        return "K", f"it begins at {three_figures(start)}", (f"{f.title} begins at {three_figures(start)}: kelvin?", ways[:3])
    if start > 48 and role != "setpoint":
        likely: Form = "degF" if 50 <= start <= 90 else "degC"
        return likely, f"it begins at {three_figures(start)}", (
            f"{f.title} begins at {three_figures(start)} and has no unit: °C from warm, or °F?", ways[:3])
    return "degC", f"no unit; it begins at {three_figures(start)}", None


def _odd(form: Form, start: float, low: float, high: float) -> str:
    if form == "degC" and (283 <= start <= 313 and low > 230):
        return f"it begins at {three_figures(start)}, which is usual in kelvin"
    if form == "degC" and low < -60:
        return f"it goes down to {three_figures(low)}"
    if form == "degC" and high > 2000:
        return f"it goes up to {three_figures(high)}"
    if form == "K" and low < 200:
        return f"it goes down to {three_figures(low)}"
    if form == "degF" and high < 45 and low > 5:
        return f"it stays between {three_figures(low)} and {three_figures(high)}, which is usual in °C"
    return ""


def _drive_form(f: _Facts, extra: dict[str, object]) -> _Formed:
    ways: _Ways = [("0…100 %", {"form": "percent"}), ("0…255", {"form": "of_255"}), ("0…1", {"form": "share"})]
    high = max(abs(f.high), abs(f.low))
    if f.numeric < 0.9 and f.words > 0.5:
        return "words", " and ".join(sorted(f.kinds)[:4]), None
    if f.form == "watts":
        extra["full_W"] = high or None
        return "watts", f"up to {three_figures(high)} W", (
            f"{f.title} is in watts: full drive is taken as the most it shows, {three_figures(high)} W.",
            [*([("as it is", {"form": "watts"})]), *ways])  # fmt: skip
    if f.form in FORMS["drive"]:
        if f.form == "percent" and high > 100.5:
            form: Form = "of_255" if high <= 255 else "of_1023"
            return form, f"up to {high:g}", (f"{f.title} says %, but goes up to {high:g}.", ways)
        return f.form, FORM_WORDS[f.form], None
    if high <= 1.0:
        return "share", f"never more than {high:g}", None
    if high <= 100:
        as_pwm = "pwm" in f.name.lower()
        form = "of_255" if as_pwm else "percent"
        levels = sorted(set(f.known.tolist()))[:3]
        text = f"{f.title} holds {' and '.join(f'{v:g}' for v in levels)}, never more than {high:g}. "
        return form, f"never more than {high:g}", (text + "0…100 % and 0…255 both fit; say which it is.", ways[:2])
    if high <= 255:
        return "of_255", f"up to {high:g}", None if high > 150 else (f"{f.title} goes up to {high:g}: of 255?", ways)
    if high <= 1023:
        return "of_1023", f"up to {high:g}", None if high > 1000 else (f"{f.title} goes up to {high:g}: of 1023, or watts?", [
            ("0…1023", {"form": "of_1023"}), ("watts", {"form": "watts", "full_W": high})])  # fmt: skip
    if high <= 4095:
        return "of_4095", f"up to {high:g}", (f"{f.title} goes up to {high:g}: of 4095, or watts?", [
            ("0…4095", {"form": "of_4095"}), ("watts", {"form": "watts", "full_W": high})])  # fmt: skip
    extra["full_W"] = high
    return "watts", f"up to {three_figures(high)}", (f"{f.title} goes up to {high:g}: taken as watts.", [*ways])


_INTERVAL = re.compile(
    r"(?:interval|every|sample (?:time|interval|rate)|rate|period|takt|intervall)\D{0,12}?([\d.,]+)\s*(ms|s|sec|seconds|min)\b",
    re.IGNORECASE,
)


def _interval(layout: Layout) -> float | None:
    """Time between rows, where the lines above say it, s."""
    for line in layout.about:
        found = _INTERVAL.search(line)
        if found:
            value = float(found[1].replace(",", "."))
            return value * {"ms": 1e-3, "min": 60.0}.get(found[2].lower(), 1.0)
    return None


def _whole_doubts(reading: LogReading, facts: list[_Facts], roles: dict[int, Role]) -> list[Doubt]:
    """What is in doubt of the whole."""
    found: list[Doubt] = []
    kinds = list(roles.values())
    if "time" not in kinds and reading.interval_s is None:
        ways = tuple((f"a row every {text}", _changed(reading, -1, {"interval_s": s}))
                     for text, s in (("second", 1.0), ("2 s", 2.0), ("5 s", 5.0), ("10 s", 10.0), ("minute", 60.0)))  # fmt: skip
        found.append(Doubt(-1, "No column holds the time; say how often a row was written.", ways))
    several = [k for k, role in sorted(roles.items()) if role == "temperature"]
    if len(several) > 1:
        unnamed = [k for k in several if not facts[k].name]
        ways = tuple((f"fit {facts[k].title}", _first_heat(reading, k)) for k in several[:6])
        if unnamed:
            found.append(Doubt(several[0], f"Several columns may be temperatures; {facts[several[0]].title} is fitted.", ways))
    if "drive" not in kinds:
        found.append(Doubt(-1, "No column says what the drive did; a fit needs one.", ()))
    elif sum(role == "drive" for role in kinds) > 1:
        drives = [k for k, role in sorted(roles.items()) if role == "drive"]
        ways = tuple((f"take {facts[k].title}", _only_drive(reading, k, drives)) for k in drives[:6])
        found.append(Doubt(drives[0], f"Several columns may be the drive; {facts[drives[0]].title} is taken.", ways))
    return found


def _only_drive(reading: LogReading, kept: int, drives: list[int]) -> LogReading:
    for k in drives:
        if k != kept:
            reading = _changed(reading, k, {"role": "left_out", "form": ""})
    return reading


def _first_heat(reading: LogReading, wanted: int) -> LogReading:
    """The one that is fitted is the first temperature: the others before it become further ones by their order."""
    for k, column in enumerate(reading.columns):
        if column.role == "temperature" and k < wanted:
            reading = _changed(reading, k, {"role": "left_out", "form": ""})
    return reading


def proposed(guess: Guess, column: int, role: Role) -> LogReading:
    """The reading with a column taken for something else, in its likeliest form."""
    form = guess.reading.columns[column].form
    if form not in FORMS[role]:
        form = FORMS[role][0]
    reading = _changed(guess.reading, column, {"role": role, "form": form})
    if role in ("time", "drive", "surroundings", "setpoint", "reference", "energy"):  # there is one of each
        for k, other in enumerate(reading.columns):
            if k != column and other.role == role:
                reading = _changed(reading, k, {"role": "left_out", "form": ""})
    return reading


def role_text(role: Role | Literal["left_out"]) -> str:
    """A role as it is called."""
    return ROLE_WORDS[role]
