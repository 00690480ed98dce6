"""What the values of a column are: seconds or milliseconds, °C or counts, per cent or of 255; with reason and doubt."""

from collections.abc import Mapping, Sequence

import numpy as np

from kelvarn.model.log import FORM_WORDS, FORMS, HEAT_FORMS, WRAP, Form, Role
from kelvarn.sentence import figures, joined, say
from kelvarn.units import three_figures

from .cells import day_parts, is_clock
from .facts import Facts

_Ways = Sequence[tuple[str, Mapping[str, object]]]
_Formed = tuple[Form, str, tuple[str, _Ways] | None]


def time_form(f: Facts, extra: dict[str, object]) -> _Formed:
    """What a column of instants is; adds to `extra` what of the reading goes with it."""
    if f.dates > 0.8:
        return _date_form(f, extra)
    if f.spans > 0.8:
        return "span", "spans since the start", None
    if f.clocks > 0.8:
        return _clock_form(f)
    return _number_form(f)


def _clock_form(f: Facts) -> _Formed:
    short = all(cell.count(":") == 1 for cell in f.cells if cell)
    if short:
        past = "elapsed" in f.name.lower() or any(int(cell.split(":")[0]) > 23 for cell in f.cells if is_clock(cell))
        steps = [cell.split(":")[0] for cell in f.cells[:40] if is_clock(cell)]
        quick = len(set(steps)) < 0.2 * len(steps) + 2
        form: Form = "elapsed" if past or not quick else "clock"
        ways: _Ways = [("min:s", {"form": "elapsed"}), ("h:min", {"form": "clock"})]
        return (
            form,
            say("read as {form}", form=say(FORM_WORDS[form])),
            (say("Two figures and a colon: minutes and seconds, or a clock?"), ways),
        )
    return "clock", say("midnight is passed where it falls back"), None


def _number_form(f: Facts) -> _Formed:
    wraps = bool(np.any(np.diff(f.first) < -0.9 * WRAP["ms"]))
    if f.form in FORMS["time"] and f.form not in ("clock", "date_time"):
        return (
            f.form,
            say("in {form}, beginning anew at 2³²", form=say(FORM_WORDS[f.form]))
            if wraps
            else say("in {form}", form=say(FORM_WORDS[f.form])),
            None,
        )
    step, high = f.step, f.high
    if 1e9 < high < 4e9 and f.low > 1e9 and not wraps:
        return "s", say("seconds since 1970"), None
    if 1e12 < high < 4e12 and f.low > 1e12:
        return "ms", say("milliseconds since 1970"), None
    if 1e15 < high < 4e15 and f.low > 1e15:
        return "us", say("microseconds since 1970"), None
    if 1e18 < high < 4e18 and f.low > 1e18:
        return "ns", say("nanoseconds since 1970"), None
    if f.low > 20_000 and high < 80_000 and 0 < step < 0.5 and not f.whole:
        return "days", say("days since 1900, as spreadsheets count"), None
    if wraps:
        turns: Form = "us" if step > 60_000 else "ms"
        return (
            turns,
            say("it falls from nearly 2³² to 0: {form} of a board that begin anew", form=say(FORM_WORDS[turns])),
            None,
        )
    if "millis" in f.name.lower():
        return "ms", say("its name"), None
    tiny = step < 0.05 and not f.whole
    form: Form = "us" if step >= 1e5 else "ms" if step >= 90 else "s"
    if tiny:
        form = "min" if step > 0.005 else "h"
    ways = [(say(FORM_WORDS[each]), {"form": each}) for each in dict.fromkeys((form, "s", "ms", "min"))]
    clear = f.roles.get("time", 0) > 0 and 0.05 <= step <= 30 and not f.whole
    return form, say("steps of {step}", step=three_figures(step)), None if clear else (_unit_doubt(f), ways)


def _unit_doubt(f: Facts) -> str:
    return say(
        "{title} grows by {step} and does not say of what: seconds or milliseconds?",
        title=f.title,
        step=three_figures(f.step),
    )


def _date_form(f: Facts, extra: dict[str, object]) -> _Formed:
    parts = [found for cell in f.cells if (found := day_parts(cell)) is not None]
    if not parts:
        return "date_time", "", None
    days = {a for a, _ in parts}, {b for _, b in parts}
    if max(days[0]) > 12 or max(days[1]) > 12:
        extra["day_first"] = max(days[0]) > 12
        return "date_time", say("day first") if extra["day_first"] else say("month first"), None
    dotted = "." in f.cells[0]
    extra["day_first"] = dotted or len(days[0]) > len(days[1]) or len(days[0]) == len(days[1])
    if dotted or len(set(parts)) == 1:
        return "date_time", say("day first"), None  # within a day it makes no difference
    ways: _Ways = [(say("day first"), {"day_first": True}), (say("month first"), {"day_first": False})]
    return (
        "date_time",
        say("day first") if extra["day_first"] else say("month first"),
        (say("Is the day or the month first?"), ways),
    )


def heat_form(f: Facts, role: Role, extra: dict[str, object]) -> _Formed:
    """What a column of temperatures is."""
    start = float(np.median(f.first[: max(3, f.first.size // 50)])) if f.first.size else 0.0
    ways: _Ways = [(say(FORM_WORDS[form]), {"form": form}) for form in HEAT_FORMS]
    counts = f.whole and f.low >= 0 and (f.high > 255 or f.form == "counts") and (f.form == "counts" or f.levels > 2)
    if f.form in ("tenths", "hundredths", "milli_degC", "milli_K"):
        return f.form, say("its name"), None
    if f.form in ("degC", "degF", "K"):
        odd = _odd(f.form, start, f.low, f.high)
        doubt = (
            None
            if not odd
            else (
                say("{title} says {form}, but {odd}.", title=f.title, form=say(FORM_WORDS[f.form]), odd=odd),
                ways[:3],
            )
        )
        return f.form, "", doubt
    if f.form == "counts" or (counts and start > 150 and (f.high <= 1023 or (f.high <= 4095 and f.low > 300))
                              and not 273 <= start <= 320):  # fmt: skip
        full = next((full for full in (1023.0, 4095.0, 16383.0, 65535.0) if f.high <= full), min(f.high, 2.0**32))
        extra["full_counts"] = full
        extra["falls"] = float(f.known[-1]) <= start
        way = "falling" if extra["falls"] else "rising"
        text = say(
            "whole numbers from {low} to {high} of {full}: raw counts, {way}",
            low=figures(f"{f.low:g}", ""),
            high=figures(f"{f.high:g}", ""),
            full=figures(f"{full:g}", ""),
            way=way,
        )
        return "counts", text, (
            say("{title} holds raw counts: which thermistor and divider do they come from? Taken: NTC of 10 kΩ at "
                "25 °C, Beta 3950 K, with 10 kΩ; or calibrate it.", title=f.title), ways)  # fmt: skip
    if 250 <= start <= 330 and f.low > 200:
        return (
            "K",
            say("it begins at {start}", start=three_figures(start)),
            (say("{title} begins at {start}: kelvin?", title=f.title, start=three_figures(start)), ways[:3]),
        )
    if f.whole and f.low > 4_000 and start < 60_000 and "temperature" in f.roles and not f.high > 65_535 * 2:
        return "milli_degC", say("whole numbers from {low}", low=figures(f"{f.low:g}", "")), (
            say("{title} begins at {start}, whole: thousandths of a °C, or counts?", title=f.title,
                start=three_figures(start)), ways)  # fmt: skip
    if start > 48 and role != "setpoint":
        likely: Form = "degF" if 50 <= start <= 90 else "degC"
        return (
            likely,
            say("it begins at {start}", start=three_figures(start)),
            (
                say(
                    "{title} begins at {start} and has no unit: °C from warm, or °F?",
                    title=f.title,
                    start=three_figures(start),
                ),
                ways[:3],
            ),
        )
    return "degC", say("no unit; it begins at {start}", start=three_figures(start)), None


def _odd(form: Form, start: float, low: float, high: float) -> str:
    if form == "degC" and (283 <= start <= 313 and low > 230):
        return say("it begins at {start}, which is usual in kelvin", start=three_figures(start))
    if form == "degC" and low < -60:
        return say("it goes down to {low}", low=three_figures(low))
    if form == "degC" and high > 2000:
        return say("it goes up to {high}", high=three_figures(high))
    if form == "K" and low < 200:
        return say("it goes down to {low}", low=three_figures(low))
    if form == "degF" and high < 45 and low > 5:
        return say(
            "it stays between {low} and {high}, which is usual in °C", low=three_figures(low), high=three_figures(high)
        )
    return ""


def _full_W(high: float) -> float:
    """Full power, kept inside what the field takes."""
    return min(max(high, 1e-3), 1e7)


def drive_form(f: Facts, extra: dict[str, object]) -> _Formed:
    """What a column of drives is."""
    ways: _Ways = [("0…100 %", {"form": "percent"}), ("0…255", {"form": "of_255"}), ("0…1", {"form": "share"})]
    high = max(abs(f.high), abs(f.low))
    if f.numeric < 0.9 and f.words > 0.5:
        return "words", " and ".join(sorted(f.kinds)[:4]), None
    if f.numeric < 0.1:
        first = f.cells[0].lower() if f.cells else ""
        words = sorted(f.kinds, key=lambda word: word == first)
        extra["on_word"] = words[0][:40]
        choices: _Ways = [(say("“{word}” is on", word=word), {"on_word": word[:40]}) for word in words[:4]]
        return "words", say("two words"), (
            say("{title} holds words that are not known; “{word}” is taken for on, since the log begins otherwise.",
                title=f.title, word=words[0]),
            choices)  # fmt: skip
    if f.form == "watts":
        extra["full_W"] = _full_W(high)
        return "watts", say("up to {high} W", high=three_figures(high)), (
            say("{title} is in watts: full drive is taken as the most it shows, {high} W.", title=f.title,
                high=three_figures(high)),
            [(say("as it is"), {"form": "watts"}), *ways])  # fmt: skip
    if f.form in FORMS["drive"]:
        if f.form == "percent" and high > 100.5:
            form: Form = "of_255" if high <= 255 else "of_1023"
            return (
                form,
                say("up to {high}", high=figures(f"{high:g}", "")),
                (say("{title} says %, but goes up to {high}.", title=f.title, high=figures(f"{high:g}", "")), ways),
            )
        if f.form == "percent" and high <= 1.0:
            shares: _Ways = [("0…1", {"form": "share"}), ("0…100 %", {"form": "percent"})]
            return (
                "share",
                say("never more than {high}", high=figures(f"{high:g}", "")),
                (
                    say(
                        "{title} says %, but holds never more than {high}.",
                        title=f.title,
                        high=figures(f"{high:g}", ""),
                    ),
                    shares,
                ),
            )
        return f.form, say(FORM_WORDS[f.form]), None
    if high <= 1.0:
        return "share", say("never more than {high}", high=figures(f"{high:g}", "")), None
    if high <= 100:
        levels = np.unique(f.known)
        by_hand = levels.size <= 4 and bool(np.any(levels % 5 != 0))  # nobody types 89 %
        as_pwm = "pwm" in f.name.lower() and not (levels.size <= 4 and bool(np.all(levels % 5 == 0)))
        as_pwm = as_pwm or by_hand
        form = "of_255" if as_pwm else "percent"
        text = say(
            "{title} holds {values}, never more than {high}. 0…100 % and 0…255 both fit; say which it is.",
            title=f.title,
            values=joined(" and ", (figures(f"{v:g}", "") for v in levels[:3])),
            high=figures(f"{high:g}", ""),
        )
        return (
            form,
            say("never more than {high}", high=figures(f"{high:g}", "")),
            (text, ways[:2]),
        )
    if high <= 255:
        watts: _Ways = [("0…255", {"form": "of_255"}), ("watts", {"form": "watts", "full_W": _full_W(high)})]
        return (
            "of_255",
            say("up to {high}", high=figures(f"{high:g}", "")),
            None
            if high > 150
            else (
                say("{title} goes up to {high}: of 255, or watts?", title=f.title, high=figures(f"{high:g}", "")),
                watts,
            ),
        )
    if high <= 1023:
        ways = [("0…1023", {"form": "of_1023"}), ("watts", {"form": "watts", "full_W": _full_W(high)})]
        doubt = (
            None
            if high > 1000
            else (
                say("{title} goes up to {high}: of 1023, or watts?", title=f.title, high=figures(f"{high:g}", "")),
                ways,
            )
        )
        return "of_1023", say("up to {high}", high=figures(f"{high:g}", "")), doubt
    if high <= 4095:
        said = say("{title} goes up to {high}: of 4095, or watts?", title=f.title, high=figures(f"{high:g}", ""))
        of_4095: _Ways = [("0…4095", {"form": "of_4095"}), ("watts", {"form": "watts", "full_W": _full_W(high)})]
        return "of_4095", say("up to {high}", high=figures(f"{high:g}", "")), (said, of_4095)
    extra["full_W"] = _full_W(high)
    return (
        "watts",
        say("up to {high}", high=three_figures(high)),
        (say("{title} goes up to {high}: taken as watts.", title=f.title, high=figures(f"{high:g}", "")), [*ways]),
    )
