"""What a lane is given with. All of it is data: instants in s and values in the base unit, no pixels, no widgets."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.units import Quantity, Scale, show

from .axis import padded_range
from .curves import Floats

INK = -1
"""Index of what has no colour of its own."""


_NEAR_BANDS = 3.0  # half widths of a band that count as there
_RARE = 0.03  # share of the time, at either end, in which it may leave the picture: a door, a dip


@dataclass(frozen=True)
class ValueAxis:
    """The axis of a lane's values.

    Attributes:
        quantity, scale: what they are, and how they are shown.
        fixed: lowest and highest; None fits what the lane shows.
        least: the least that is shown of a fitted one.
        ticks: where its ticks are; None spreads them evenly.
    """

    quantity: Quantity
    scale: Scale = Scale.CELSIUS
    fixed: tuple[float, float] | None = None
    least: float = 2.0
    ticks: tuple[float, ...] | None = None

    def text(self, value: float) -> str:
        """A value as it is read."""
        return tell(show(value, self.quantity, self.scale))


@dataclass(frozen=True, eq=False)
class LaneTrace:
    """A curve with instants of its own.

    Attributes:
        name: what it is of.
        time_s, value: instants, rising, and values, shape (m,).
        index: colour and dash, as for candidates; INK has none.
        strong: drawn twice as thick, on top; `faded`: of an earlier state.
        filled: down to zero.
        named: its name stands at it.
        drawn: else it is only read at the cursor.
    """

    name: str
    time_s: Floats
    value: Floats
    index: int = INK
    strong: bool = False
    faded: bool = False
    filled: bool = False
    named: bool = False
    drawn: bool = True

    @cached_property
    def range(self) -> tuple[float, float]:
        """Lowest and highest."""
        return float(self.value.min()), float(self.value.max())

    def at(self, time_s: float) -> float | None:
        """The value at the instant nearest to one; None beyond its ends."""
        last = self.time_s.size - 1
        if last < 0:
            return None
        step = (self.time_s[last] - self.time_s[0]) / max(last, 1)
        if not self.time_s[0] - step <= time_s <= self.time_s[last] + step:
            return None
        after = min(int(np.searchsorted(self.time_s, time_s)), last)
        before = max(after - 1, 0)
        nearer = before if time_s - self.time_s[before] <= self.time_s[after] - time_s else after
        return float(self.value[nearer])


@dataclass(frozen=True, eq=False)
class Band:
    """A line with a stripe of tolerance round it, such as the setpoint; `shaded` is filled against it."""

    time_s: Floats
    value: Floats
    half: float
    shaded: LaneTrace | None = None


@dataclass(frozen=True, eq=False)
class Ribbon:
    """The ground between two courses, such as what most variants do: instants in s, lows and highs, shape (m,)."""

    time_s: Floats
    low: Floats
    high: Floats
    index: int = INK


@dataclass(frozen=True)
class Level:
    """A value that stands over all the time, as a line in a colour role or a candidate's colour.

    Attributes:
        ground: what the ground beyond it is, which is above it, or under it where `below`; "" for none.
        text: said about it.
        text_color: role of that.
    """

    value: float
    color: str = "ember"
    index: int = INK
    ground: Literal["", "hatched", "tinted"] = ""
    below: bool = False
    text: str = ""
    text_color: str = "muted"


@dataclass(frozen=True)
class LaneSpan:
    """A stretch of time: a block in a row of its lane, or hatched over the lane's whole height.

    Attributes:
        text: in or beside a block; of a hatched one only where it is `worth` saying at any width.
        color: role; `faint` for a ground rather than a block.
        row: of blocks that overlap.
    """

    from_s: float
    to_s: float
    text: str = ""
    color: str = "gold"
    hatched: bool = False
    faint: bool = False
    worth: bool = True
    row: int = 0


@dataclass(frozen=True, eq=False)
class Bars:
    """Many stretches of one kind, such as on-times: their beginnings and ends in s, shape (m,)."""

    from_s: Floats
    to_s: Floats
    index: int


class Wave(NamedTuple):
    """What switches too quickly for the strip's time: its duty, 0…1, and its period in s; drawn at the cursor."""

    duty: LaneTrace
    period_s: float


class Label(NamedTuple):
    """What is said where it happens: led to a peak, beside all that follows an instant, or about the whole."""

    text: str
    at_s: float
    value: float
    color: str
    of: Literal["peak", "since", "all"]


@dataclass(frozen=True, eq=False)
class Handle:
    """Something that can be dragged, with the edit that it makes.

    Attributes:
        name: what it is, for the tool tip and for those who cannot see it.
        shape: "flag" at the right edge, "grip" at the left, "line" along a stretch at its value, "corner" at a point,
            "block" and "block_end" of a span.
        moves: along the values, the time, or both.
        drag: told the instant in s and the value that it is dragged to; gives what it came to, in words.
        at_s, to_s, value: where it stands.
        text: what it stands at, in words.
        up: a grip that points up rather than down; row: of a block; index: its colour.
        step_s, step: what an arrow key moves it by.
    """

    name: str
    shape: Literal["flag", "grip", "line", "corner", "block", "block_end"]
    moves: Literal["value", "time", "both"]
    drag: Callable[[float, float], str]
    at_s: float = 0.0
    to_s: float = 0.0
    value: float = 0.0
    text: str = ""
    up: bool = False
    row: int = 0
    index: int = INK
    step_s: float = 1.0
    step: float = 0.5


@dataclass(frozen=True, eq=False)
class Lane:
    """One lane.

    Attributes:
        key: tells it from the others, and keeps its zoom.
        title: in its upper left corner; `index` its colour.
        axis: of its values; None without any.
        height: fixed, in px, or 0 where it shares the rest by `weight`.
        traces, bands, ribbons, levels, spans, bars, wave, labels, handles: what it shows.
        also: values that a fitted axis must reach.
        nothing: said where it shows nothing.
        below_title: blocks stand below the title, since some begin at its left edge.
    """

    key: str
    title: str
    axis: ValueAxis | None = None
    height: int = 0
    weight: float = 1.0
    index: int = INK
    traces: tuple[LaneTrace, ...] = ()
    bands: tuple[Band, ...] = ()
    ribbons: tuple[Ribbon, ...] = ()
    levels: tuple[Level, ...] = ()
    spans: tuple[LaneSpan, ...] = ()
    bars: Bars | None = None
    wave: Wave | None = None
    labels: tuple[Label, ...] = ()
    handles: tuple[Handle, ...] = ()
    also: tuple[float, ...] = ()
    nothing: str = ""
    below_title: bool = False

    @cached_property
    def fitted(self) -> tuple[float, float]:
        """Lowest and highest that it shows when all of it is seen, without room for its title."""
        if self.axis is not None and self.axis.fixed is not None:
            return self.axis.fixed
        ranges = [trace.range for trace in self.traces if trace.drawn and trace.value.size]
        lows, highs = [low for low, _ in ranges] + list(self.also), [high for _, high in ranges] + list(self.also)
        least = self.axis.least if self.axis is not None else 1.0
        return padded_range(min(lows, default=0.0), max(highs, default=1.0), 0.06, least)

    def near_band(self, from_s: float, to_s: float) -> tuple[float, float] | None:
        """Values round its band in a span of time, s: what the shaded trace does once it has come there.

        A swing of 2 K is a line beside a rise of 40. None where there is no band.
        """
        if not self.bands:
            return None
        band = self.bands[0]
        inside = (band.time_s >= from_s) & (band.time_s <= to_s)
        wanted = np.append(band.value[inside], np.interp([from_s, to_s], band.time_s, band.value))
        low, high = float(wanted.min()) - 1.5 * band.half, float(wanted.max()) + 1.5 * band.half
        if band.shaded is not None and band.shaded.value.size:
            trace = band.shaded
            seen = (trace.time_s >= from_s) & (trace.time_s <= to_s)
            off = trace.value[seen] - np.interp(trace.time_s[seen], band.time_s, band.value)
            there = np.flatnonzero(np.abs(off) <= _NEAR_BANDS * band.half)
            if there.size:
                ends = np.quantile(trace.value[seen][there[0] :], (_RARE, 1 - _RARE))
                low, high = min(low, float(ends[0])), max(high, float(ends[1]))
        return padded_range(low, high, 0.08, self.axis.least if self.axis is not None else 1.0)

    def readings(self, time_s: float) -> list["Readout"]:
        """What its traces read at an instant, in the order of their colours; those without one last."""
        if self.axis is None:
            return []
        found = []
        for trace in sorted(self.traces, key=lambda trace: trace.index if trace.index != INK else 1000):
            value = trace.at(time_s)
            if value is not None:
                found.append(Readout(trace.index, trace.name, self.axis.text(value), trace.drawn))
        return found


@dataclass(frozen=True)
class Readout:
    """What a trace reads: its colour, name and value, and whether it is drawn."""

    index: int
    name: str
    text: str
    drawn: bool = True


@dataclass(frozen=True, eq=False)
class Shown:
    """All that a strip shows.

    Attributes:
        lanes: from top to bottom.
        end_s: of the time axis.
        samples_s: instants to which the cursor snaps; empty lets it stand anywhere.
    """

    lanes: tuple[Lane, ...]
    end_s: float
    samples_s: Floats = field(default_factory=lambda: np.empty(0))
