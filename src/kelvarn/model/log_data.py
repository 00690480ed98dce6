"""What a log says, read: arrays in base units, and what was found wrong with its rows."""

from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
import numpy.typing as npt

from kelvarn.sentence import figures, joined, say

Floats = npt.NDArray[np.float64]
MOST_BAD_ROWS = 2000


@dataclass(frozen=True)
class BadRow:
    """A row that needs care: its number in the file, from 1, and what is the matter."""

    row: int
    what: str


@dataclass(frozen=True)
class RowFaults:
    """Rows that need care, counted by what is the matter.

    Attributes:
        rows: all rows with values, used or not.
        counts: what is the matter -> how many rows.
        skipped: how many of them are left out.
        first: the first of them, with their places.
    """

    rows: int = 0
    counts: dict[str, int] = field(default_factory=dict)
    skipped: int = 0
    first: tuple[BadRow, ...] = ()

    @property
    def text(self) -> str:
        """In words, such as "3 rows of 5412 need care: 1 wrap, 2 without a reading"; empty where none does."""
        total = sum(self.counts.values())
        if not total:
            return ""
        parts = joined(", ", (joined(" ", (figures(f"{count:,}", ""), what)) for what, count in self.counts.items()))
        return say(
            "{total} of {rows} rows need care: {parts}; {skipped} skipped",
            total=figures(f"{total:,}", ""),
            rows=figures(f"{self.rows:,}", ""),
            parts=parts,
            skipped=figures(f"{self.skipped:,}", ""),
        )


@dataclass(frozen=True, eq=False)
class LogData:
    """A log, read.

    Attributes:
        time_s: since its first row, rising, shape (m,).
        measured_degC: temperature at each.
        drive: −1…1 at each, until the next; None where no column says it.
        surroundings_degC, setpoint_degC, reference_degC: at each; None without.
        energy_J: counted since the first row; None without.
        others_degC: further temperatures by name.
        said: texts of the note column where they change, with their instants.
        begun: date and time of the first row, where it is known.
        faults: rows that need care.
    """

    time_s: Floats
    measured_degC: Floats
    drive: Floats | None = None
    surroundings_degC: Floats | None = None
    setpoint_degC: Floats | None = None
    reference_degC: Floats | None = None
    energy_J: Floats | None = None
    others_degC: dict[str, Floats] = field(default_factory=dict)
    said: tuple[tuple[float, str], ...] = ()
    begun: datetime | None = None
    faults: RowFaults = RowFaults()

    @property
    def duration_s(self) -> float:
        """From the first row to the last."""
        return float(self.time_s[-1] - self.time_s[0])

    @property
    def interval_s(self) -> float:
        """Usual time between rows."""
        return float(np.median(np.diff(self.time_s)))
