"""The week: what a recording says of each day and part of the day, beside what was expected of it."""

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime
from typing import NamedTuple

import numpy as np

from kelvarn.engine.layout import Floats
from kelvarn.engine.run import Run
from kelvarn.model.guards import DAYS
from kelvarn.model.log import Log
from kelvarn.model.trial import Plan
from kelvarn.sentence import say

_QUARTERS = ((0.0, "night"), (6.0, "morning"), (12.0, "afternoon"), (18.0, "evening"))
_LONGEST_GAP_S = 600.0
_SETTLES_S = 1800.0
_WHOLE = "all"


class WeekError(ValueError):
    """A log says nothing of a week; one sentence."""


@dataclass(frozen=True)
class Kept:
    """How a stretch of time was kept.

    Attributes:
        day: its date; None for all of them.
        part: of the day, or "all".
        hours: that were recorded.
        inside: share of the time inside the band round the setpoint; after a change of it, once it could be reached.
        worst_K: farthest from the setpoint, with its sign.
        swing_K: from the 5th to the 95th percentile of the distance.
        ons_per_h: how often the drive went on.
        energy_Wh: at full power times drive.
    """

    day: date | None
    part: str
    hours: float
    inside: float
    worst_K: float
    swing_K: float
    ons_per_h: float
    energy_Wh: float


class _Rows(NamedTuple):
    at: list[datetime]
    measured: Floats
    setpoint: Floats
    drive: Floats


def week_of(log: Log, band_K: float, full_W: float, plan: Plan | None = None) -> list[Kept]:
    """What a log that was recorded here says of each day and part of the day, and of all of it first.

    Args:
        log: made of a recording.
        band_K: that counts as inside.
        full_W: power at full drive.
        plan: whose parts of the day count, where it has some; else quarters.

    Raises:
        WeekError: it was not recorded here, or is empty.
    """
    rows = _rows_of(log)
    parts = _parts(plan)
    groups: dict[tuple[date | None, str], list[int]] = {(None, _WHOLE): list(range(len(rows.at)))}
    for k, at in enumerate(rows.at):
        groups.setdefault((at.date(), _WHOLE), []).append(k)
        groups.setdefault((at.date(), _part_of(at, parts)), []).append(k)
    seconds = np.array([at.timestamp() for at in rows.at])
    lasts = np.append(np.diff(seconds), 0.0)
    lasts = np.where((lasts > 0) & (lasts <= _LONGEST_GAP_S), lasts, 0.0)
    reached = _reached(seconds, rows.setpoint)
    return [_kept(key, np.array(those), rows, lasts, reached, band_K, full_W) for key, those in groups.items()]


def expected_of(run: Run, band_K: float, full_W: float) -> Kept:
    """The same of a run: what was expected."""
    whole = np.arange(run.time_s.size)
    rows = _Rows([], run.measured_degC, run.setpoint_degC, run.drive)
    lasts = np.append(np.diff(run.time_s), 0.0)
    return _kept((None, "expected"), whole, rows, lasts, _reached(run.time_s, run.setpoint_degC), band_K, full_W)


def _rows_of(log: Log) -> _Rows:
    reader = csv.DictReader(io.StringIO(log.raw.decode("utf-8", "replace")))
    wanted = ("at", "measured_degC", "setpoint_degC", "drive")
    if reader.fieldnames is None or any(name not in reader.fieldnames for name in wanted):
        raise WeekError(say("“{log}” was not recorded at the Bench: it has no clock of the day.", log=log.name))
    at, values = [], []
    for row in reader:
        try:
            found = datetime.fromisoformat(row["at"]), [float(row[name]) for name in wanted[1:]]
        except (ValueError, TypeError):
            continue  # a sample without a reading
        at.append(found[0])
        values.append(found[1])
    if len(at) < 2:
        raise WeekError(say("“{log}” has no rows with readings.", log=log.name))
    columns = np.array(values).T
    return _Rows(at, columns[0], columns[1], columns[2])


def _parts(plan: Plan | None) -> list[tuple[float, str]]:
    """Hours at which parts of the day begin, with their names, rising."""
    if plan is None or not plan.week:
        return list(_QUARTERS)
    hours = sorted({part.from_s / 3600.0 for part in plan.week})
    return [(hour, f"from {int(hour):02d}:{round(hour % 1 * 60):02d}") for hour in hours]


def _part_of(at: datetime, parts: list[tuple[float, str]]) -> str:
    hour = at.hour + at.minute / 60.0 + at.second / 3600.0
    return next((name for begins, name in reversed(parts) if begins <= hour), parts[-1][1])


def _reached(seconds: Floats, setpoint: Floats) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Whether each instant is long enough after a change of the setpoint that it could be there."""
    changed = np.append(True, np.abs(np.diff(setpoint)) > 1e-6)
    last = np.maximum.accumulate(np.where(changed, seconds, -np.inf))
    found: np.ndarray[tuple[int], np.dtype[np.bool_]] = seconds - last >= _SETTLES_S
    return found


def _kept(
    key: tuple[date | None, str], those: "np.ndarray[tuple[int], np.dtype[np.int64]]", rows: _Rows, lasts: Floats,
    reached: "np.ndarray[tuple[int], np.dtype[np.bool_]]", band_K: float, full_W: float,
) -> Kept:  # fmt: skip
    off = rows.measured[those] - rows.setpoint[those]
    counts = lasts[those]
    there = reached[those]
    judged = counts * there
    inside = float((judged * (np.abs(off) <= band_K)).sum() / judged.sum()) if judged.sum() > 0 else float("nan")
    seen = off[there] if there.any() else off
    hours = float(counts.sum()) / 3600.0
    drive = rows.drive[those]
    ons = int(np.count_nonzero((drive[1:] > 0) & (drive[:-1] <= 0)))
    low, high = np.percentile(seen, (5, 95))
    return Kept(
        day=key[0], part=key[1], hours=hours, inside=inside, worst_K=float(seen[int(np.argmax(np.abs(seen)))]),
        swing_K=float(high - low), ons_per_h=ons / hours if hours > 0 else 0.0,
        energy_Wh=float((np.abs(drive) * counts).sum()) * full_W / 3600.0,
    )  # fmt: skip


def day_words(day: date | None) -> str:
    """A day, in words."""
    return "all days" if day is None else f"{DAYS[day.weekday()]} {day.isoformat()}"


def changes_of(found: Iterable[Kept], expected: Kept) -> list[str]:
    """What is other than expected, a sentence each."""
    whole = next((kept for kept in found if kept.day is None), None)
    if whole is None:
        return []
    said = []
    if whole.inside < expected.inside - 0.05:
        said.append(f"inside {whole.inside:.0%} of the time, expected {expected.inside:.0%}")
    if whole.swing_K > 1.5 * expected.swing_K + 0.1:
        said.append(f"swings {whole.swing_K:.1f} K, expected {expected.swing_K:.1f} K")
    if expected.ons_per_h and whole.ons_per_h > 1.5 * expected.ons_per_h + 0.5:
        said.append(f"goes on {whole.ons_per_h:.1f} times an hour, expected {expected.ons_per_h:.1f}")
    return said
