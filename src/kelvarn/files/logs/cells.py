"""Fields of a log as numbers, instants and words."""

import math
import re
from collections.abc import Sequence
from datetime import datetime, timedelta
from functools import lru_cache

import numpy as np

from kelvarn.model.log_data import Floats

_NUMBER = re.compile(r"([-+]?[\d.,' ]*\d(?:[eE][-+]?\d+)?) {0,2}(°? ?[A-Za-zµ°%/²³]{0,8})")
_CLOCK = re.compile(r"(\d{1,3}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?\s*([AaPp][Mm])?")
_DATE = re.compile(
    r"(\d{1,4})[./-](\d{1,2}|[A-Za-z]{3})[./-](\d{1,4})"
    r"(?:[T ,]+(\d{1,2}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?\s*([AaPp][Mm])?)?"
    r"\s*(Z|[+-]\d\d:?\d\d)?"
)
_MONTHS = {name: k for k, name in enumerate(
    ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"), 1)}  # fmt: skip
_MISSING = {"", "-", "–", "—", "nan", "n/a", "na", "null", "none", "inf", "-inf", "---", "err", "error", "ovf", "open"}
_SPAN = re.compile(
    r"(?:T ?\+ ?|P)?(?:(\d+) ?(?:d|days?),? ?)?T?"
    r"(?:(?:(\d+):(\d\d):(\d\d(?:\.\d+)?))"
    r"|(?:(\d+) ?h(?:ours?)?)? ?(?:(\d+) ?m(?:in)?)? ?(?:(\d+(?:\.\d+)?) ?s(?:ec)?)?)",
    re.IGNORECASE,
)
ON_WORDS = {
    "on", "true", "yes", "high", "heating", "heat", "ein", "an", "active", "closed", "run", "1", "enabled", "running",
    "marche", "allumé", "allume", "encendido", "acceso", "aan", "ligado", "på", "päällä", "päälle", "til", "zapnuto",
    "zap", "włączony", "zał", "załączony", "вкл", "включено", "увімк", "açık", "be",
    "bekapcsolva", "kjører", "pornit", "sees", "heizen", "chauffe", "hi", "y", "开", "開", "オン", "켜짐",
}  # fmt: skip
OFF_WORDS = {
    "off", "false", "no", "low", "idle", "aus", "inactive", "open", "stop", "0", "disabled", "stopped",
    "arrêt", "arret", "éteint", "eteint", "apagado", "spento", "uit", "desligado", "av", "pois", "fra", "vypnuto",
    "wyłączony", "wył", "vyp", "выкл", "выключено", "вимк", "kapalı", "ki", "kikapcsolva", "stoppet", "oprit", "väljas",
    "standby", "lo", "n", "关", "關", "オフ", "꺼짐",
}  # fmt: skip


def number(cell: str, decimal: str) -> float:
    """The number in a field, with or without a unit after it; NaN where there is none."""
    text = cell.strip().replace("−", "-").replace("\u00a0", " ")
    if text.lower() in _MISSING:
        return math.nan
    found = _NUMBER.fullmatch(text)
    if found is None:
        return math.nan
    digits = found[1].replace(" ", "").replace("'", "")
    if decimal == ",":
        digits = digits.replace(".", "") if "," in digits else digits
        digits = digits.replace(",", ".")
    else:
        digits = digits.replace(",", "")
    try:
        made = float(digits)
    except ValueError:
        return math.nan
    return made if math.isfinite(made) else math.nan


def unit_of(cell: str) -> str:
    """The unit after the number in a field; "" without one."""
    found = _NUMBER.fullmatch(cell.strip().replace("−", "-").replace("\u00a0", " "))
    return "" if found is None else found[2].strip()


def missing(cell: str) -> bool:
    """Whether a field says that there is nothing."""
    return cell.strip().lower() in _MISSING


DISCONNECTED = (-127.0, -999.0, 999.0, 9999.0, -9999.0)
"""What boards write where a probe is not there; none of them a temperature that is met by chance."""


def numbers(cells: Sequence[str], decimal: str) -> Floats:
    """A column of numbers, NaN where there is none, shape (m,)."""
    if decimal == ",":
        plain = "\n".join(cells).replace(",", ".").split("\n") if not any("." in cell for cell in cells[:50]) else None
    else:
        plain = list(cells)
    if plain is not None:
        try:
            made = np.array(list(map(float, plain)))
            made[~np.isfinite(made)] = np.nan
            return made
        except ValueError:
            pass
    found = np.empty(len(cells))
    for k, cell in enumerate(cells):
        try:
            found[k] = float(cell) if decimal == "." else number(cell, decimal)
        except ValueError:
            found[k] = number(cell, decimal)
    found[~np.isfinite(found)] = np.nan
    return found


@lru_cache(maxsize=4096)
def looks_like_value(cell: str, decimal: str) -> bool:
    """Whether a field holds a number, a time of day, a date, or a word for on or off."""
    text = cell.strip()
    if not math.isnan(number(text, decimal)):
        return True
    return is_clock(text) or is_date(text) or not math.isnan(span_s(text))


def is_clock(cell: str) -> bool:
    """Whether a field is a time of day, or minutes and seconds."""
    return _CLOCK.fullmatch(cell.strip()) is not None


def is_date(cell: str) -> bool:
    """Whether a field is a date, with or without a time."""
    text = cell.strip()
    if len(text) < 6 or _DATE.fullmatch(text) is None:
        return _without_year(text) is not None
    return not re.fullmatch(r"[\d.]+", text) or text.count(".") == 2


def has_time(cell: str) -> bool:
    """Whether a date has a time with it."""
    return ":" in cell


def clock_s(cell: str, *, elapsed: bool = False) -> float:
    """Seconds since midnight of h:min, h:min:s or with am and pm; of min:s where `elapsed`; NaN where it is none."""
    found = _CLOCK.fullmatch(cell.strip())
    if found is None:
        return math.nan
    first, second, third, half = int(found[1]), int(found[2]), found[3], found[4]
    if third is None and elapsed:
        return 60.0 * first + second
    if half is not None:
        first = first % 12 + (12 if half.lower() == "pm" else 0)
    seconds = 0.0 if third is None else float(third.replace(",", "."))
    return 3600.0 * first + 60.0 * second + seconds


def span_s(cell: str) -> float:
    """Seconds of a span such as 1h02m03s, PT1H2M3S, T+00:01:05 or 0 days 00:01:05; NaN where it is none."""
    text = cell.strip()
    found = _SPAN.fullmatch(text)
    if found is None or not any(found.groups()) or not re.search(r"[A-Za-z]", text):
        return math.nan
    day, h, m, s, h2, m2, s2 = (float(part or 0) for part in found.groups())
    return 86400.0 * day + 3600.0 * (h + h2) + 60.0 * (m + m2) + s + s2


def date_time(cell: str, *, day_first: bool) -> datetime | None:
    """The instant in a field, in its own zone's clock moved to UTC where it says a zone; None where it is none."""
    text = cell.strip()
    made: datetime | None
    try:
        made = datetime.fromisoformat(text)
    except ValueError:
        made = _other_date(text, day_first)
    if made is not None and made.tzinfo is not None:
        offset = made.utcoffset() or timedelta()
        made = made.replace(tzinfo=None) - offset
    return made


def _other_date(text: str, day_first: bool) -> datetime | None:
    found = _DATE.fullmatch(text)
    if found is None:
        return _without_year(text)
    a, b, c = found[1], found[2], found[3]
    month = _MONTHS.get(b.lower(), 0) if b.isalpha() else 0
    if len(a) == 4:
        year, of_year, day = int(a), month or int(b), int(c)
    elif month:
        year, of_year, day = int(c), month, int(a)
    else:
        year = int(c)
        day, of_year = (int(a), int(b)) if day_first else (int(b), int(a))
    seconds = 0.0 if found[4] is None else clock_s(
        f"{found[4]}:{found[5]}:{found[6] or '00'}" + (f" {found[7]}" if found[7] else "")
    )  # fmt: skip
    try:
        made = datetime(year + 2000 if year < 100 else year, of_year, day) + timedelta(seconds=seconds)
    except (ValueError, OverflowError):
        return None
    zone = found[8]
    if zone and zone != "Z":
        away = timedelta(hours=int(zone[1:3]), minutes=int(zone[-2:]))
        made = made - away if zone[0] == "+" else made + away
    return made


def go_back(instants: Floats) -> bool:
    """Whether instants fall from row to row, but for a few."""
    steps = np.diff(instants[np.isfinite(instants)])
    return steps.size > 2 and float(np.mean(steps < 0)) > 0.9 - float(np.mean(steps == 0))


NO_YEAR = 2024
"""Stands for the year of dates that have none, as those of system logs; a leap year, so that each day is in it."""
_DAY_AND_TIME = re.compile(r"([A-Z][a-z]{2}) {1,2}(\d{1,2}) (\d\d:\d\d:\d\d(?:\.\d+)?)")


def _without_year(text: str) -> datetime | None:
    found = _DAY_AND_TIME.fullmatch(text)
    month = 0 if found is None else _MONTHS.get(found[1].lower(), 0)
    if found is None or not month:
        return None
    try:
        return datetime(NO_YEAR, month, int(found[2])) + timedelta(seconds=clock_s(found[3]))
    except ValueError:
        return None


def day_parts(cell: str) -> tuple[int, int] | None:
    """The first two figures of a date that does not begin with its year; they say which is the day."""
    found = _DATE.fullmatch(cell.strip())
    if found is None or len(found[1]) == 4 or not found[2].isdigit():
        return None
    return int(found[1]), int(found[2])


def seconds(cells: Sequence[str], *, day_first: bool) -> tuple[Floats, datetime | None]:
    """A column of dates and times as seconds since the first that is one, NaN where there is none; and that first."""
    found = np.full(len(cells), np.nan)
    begun: datetime | None = None
    for k, cell in enumerate(cells):
        instant = date_time(cell, day_first=day_first)
        if instant is not None:
            if begun is None:
                begun = instant
            found[k] = (instant - begun).total_seconds()
    return found, begun


def on_off(cell: str) -> float:
    """1 for a word for on, 0 for one for off, else NaN."""
    word = cell.strip().lower()
    if word in ON_WORDS:
        return 1.0
    return 0.0 if word in OFF_WORDS else math.nan
