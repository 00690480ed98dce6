"""The few loops over pixels and samples that the strip needs in each frame, compiled."""

import math
from typing import NamedTuple

from kelvarn.engine.compiled import entry, part
from kelvarn.engine.records import Grid, Ints, Pixels, Reals


class Shown(NamedTuple):
    """Where a curve is shown: the part of time from low to high s, and places of an instant and of a value in px."""

    low: float
    high: float
    at_low: float
    px_per_s: float
    value: float
    at_value: float
    px_per_unit: float


class Curves(NamedTuple):
    """Two curves: px across, not falling, two or more, and px down at these; `base` may be a single value."""

    x: Reals
    edge: Reals
    base: Reals


class Paint(NamedTuple):
    """Premultiplied colour; period 0 fills all, else only diagonal lines two pixels wide, so far apart."""

    color: int
    period: int


class Label(NamedTuple):
    """A point, and the size of the label that belongs to it, px; columns count from x = 0."""

    x: float
    y: float
    width: float
    height: float


@part
def _from(t: Reals, instant: float, first: int, last: int) -> int:
    """The first sample from `first` to before `last` at or after an instant; `last` where there is none."""
    while first < last:
        middle = (first + last) // 2
        if t[middle] < instant:
            first = middle + 1
        else:
            last = middle
    return first


@part
def _straighten(found: Grid, count: int, tolerance: float) -> int:
    """Leave out points that lie on the way from one kept to the next, to within a tolerance in px; how many stay.

    From the last point kept there is a cone of slopes that pass all points since closely enough.
    """
    kept, least, most = 1, -math.inf, math.inf
    for k in range(1, count):
        dx, dy = found[k, 0] - found[kept - 1, 0], found[k, 1] - found[kept - 1, 1]
        if k > 1 and not (dx > 0.0 and least * dx <= dy <= most * dx):
            found[kept, 0], found[kept, 1] = found[k - 1, 0], found[k - 1, 1]
            kept += 1
            least, most = -math.inf, math.inf
            dx, dy = found[k, 0] - found[kept - 1, 0], found[k, 1] - found[kept - 1, 1]
        if dx > 0.0:
            least, most = max(least, (dy - tolerance) / dx), min(most, (dy + tolerance) / dx)
        elif abs(dy) > tolerance:
            least, most = math.inf, -math.inf  # straight up: the next one begins anew
    found[kept, 0], found[kept, 1] = found[count - 1, 0], found[count - 1, 1]
    return kept + 1


@entry
def points(t: Reals, y: Reals, shown: Shown, columns: int, tolerance: float, found: Grid) -> int:
    """A curve in pixels: where samples are denser than pixels, the extremes of each of so many columns.

    Args:
        t, y: instants in s, rising, and values, shape (m,).
        shown: the part shown, with one sample more at each side, and its place.
        columns: of pixels.
        tolerance: px by which a point may lie beside the line; where there are none to spare, it is left out.
        found: shape (3·columns, 2), filled as far as the result says.
    """
    first = max(_from(t, shown.low, 0, t.size) - 1, 0)
    last = _from(t, shown.high, first, t.size)
    while last < t.size and t[last] <= shown.high:
        last += 1
    last = min(last + 1, t.size)
    m = last - first
    if m <= 3 * columns:
        for k in range(m):
            found[k, 0] = shown.at_low + (t[first + k] - shown.low) * shown.px_per_s
            found[k, 1] = shown.at_value + (y[first + k] - shown.value) * shown.px_per_unit
        return _straighten(found, m, tolerance) if m > 2 else max(m, 0)
    for c in range(columns):
        begin, end = first + c * m // columns, first + (c + 1) * m // columns
        least = most = y[begin]
        for k in range(begin + 1, end):
            least, most = min(least, y[k]), max(most, y[k])
        one, other = (least, most) if y[begin] <= y[end - 1] else (most, least)
        found[2 * c, 0] = found[2 * c + 1, 0] = shown.at_low + (t[begin] - shown.low) * shown.px_per_s
        found[2 * c, 1] = shown.at_value + (one - shown.value) * shown.px_per_unit
        found[2 * c + 1, 1] = shown.at_value + (other - shown.value) * shown.px_per_unit
    return _straighten(found, 2 * columns, tolerance)


@part
def _edge(x: Reals, values: Reals, k: int, at: float) -> float:
    """Value at a place between two points; an array of one value is that everywhere."""
    if values.size == 1:
        return values[0]
    if x[k + 1] == x[k]:
        return values[k + 1]
    return values[k] + (values[k + 1] - values[k]) * (at - x[k]) / (x[k + 1] - x[k])


@entry
def fill(
    curves: Curves, left: float, top: float, over: Paint, under: Paint, rows_of: Grid, pixels: Pixels, reached: Ints
) -> None:
    """Fill the pixels between two curves, column by column.

    Args:
        curves: what lies beside them stays empty.
        left, top: place of the picture, px.
        over, under: where the edge lies above the base, and where below.
        rows_of: scratch, shape (2, width).
        pixels: shape (height, width); the rows reached are filled anew.
        reached: first row, and the one after the last, shape (2,), filled; equal where nothing is filled.
    """
    x, edge, base = curves.x, curves.edge, curves.base
    height, width = pixels.shape
    begin, end = height, 0
    k = 0
    for c in range(width):
        at = left + c + 0.5
        rows_of[0, c] = rows_of[1, c] = 0.0
        if not x[0] <= at <= x[x.size - 1]:
            continue
        while k < x.size - 2 and x[k + 1] < at:
            k += 1
        first, second = _edge(x, edge, k, at) - top, _edge(x, base, k, at) - top
        if math.isnan(first + second):
            continue
        rows_of[0, c] = first = min(max(round(first), 0), height)
        rows_of[1, c] = second = min(max(round(second), 0), height)
        if first != second:
            begin, end = min(begin, int(min(first, second))), max(end, int(max(first, second)))
    reached[0], reached[1] = begin, max(begin, end)
    for r in range(begin, end):
        for c in range(width):
            pixels[r, c] = 0
    for c in range(width):
        first, second = int(rows_of[0, c]), int(rows_of[1, c])
        upper, lower = min(first, second), max(first, second)
        color, period = (over.color, over.period) if first < second else (under.color, under.period)
        if period == 0:
            for r in range(upper, lower):
                pixels[r, c] = color
        else:
            for r in range(upper, lower):
                if (r + int(top) + c) % period < 2:
                    pixels[r, c] = color


@entry
def extent(curve: Grid, left: float, low: Reals, high: Reals) -> None:
    """Lowest and highest pixel of a curve in each column; infinite where it does not reach.

    Args:
        curve: points in px, x not falling, shape (k, 2).
        left: px of the first column.
        low, high: shape (columns,), filled.
    """
    for c in range(low.size):
        low[c], high[c] = math.inf, -math.inf
    for k in range(curve.shape[0] - 1):
        x0, y0, x1, y1 = curve[k, 0] - left, curve[k, 1], curve[k + 1, 0] - left, curve[k + 1, 1]
        for c in range(max(math.floor(x0), 0), min(math.floor(x1) + 1, low.size)):
            begin, end = y0, y1
            if x1 > x0:
                begin = y0 + (y1 - y0) * (max(x0, float(c)) - x0) / (x1 - x0)
                end = y0 + (y1 - y0) * (min(x1, c + 1.0) - x0) / (x1 - x0)
            low[c], high[c] = min(low[c], begin, end), max(high[c], begin, end)


@part
def _badness(
    low: Grid, high: Grid, curves: int, taken: Grid, left: float, top: float, right: float, bottom: float
) -> float:
    """Columns of curves that a box covers; a rectangle already taken counts as a thousand."""
    count = 0.0
    for k in range(taken.shape[0]):
        if left < taken[k, 2] and taken[k, 0] < right and top < taken[k, 3] and taken[k, 1] < bottom:
            count += 1000.0
    for curve in range(curves):
        for c in range(max(int(left), 0), min(int(right) + 1, low.shape[1])):
            if high[curve, c] >= top and low[curve, c] <= bottom:
                count += 1.0
    return count


@entry
def place(low: Grid, high: Grid, curves: int, taken: Grid, label: Label, inside: Reals, found: Reals) -> None:
    """The least bad place for a label near a point: above or below it, beginning, ending or centred there.

    Args:
        low, high, curves: extent of each curve in each pixel column, and how many rows of these count.
        taken: left, top, right, bottom of each rectangle to keep clear of.
        label: what is to be placed.
        inside: left, top, right, bottom that it stays within.
        found: left and top, filled.
    """
    x, y, width, height = label.x, label.y, label.width, label.height
    best = math.inf
    for choice in range(3):
        shift = 0.0 if choice == 0 else -width - 8 if choice == 1 else -width / 2
        left = min(max(x + 4 + shift, inside[0] + 2), inside[2] - width - 2)
        for away in range(7):
            worth = 1.5 * away + (0.5 if choice else 0.0)
            for side in (-1.0, 1.0):
                top = y + side * (height / 2 + 6 + away * 18.0) - height / 2
                top = min(max(top, inside[1] + 2), inside[3] - height - 2)
                cost = worth + _badness(low, high, curves, taken, left, top, left + width, top + height)
                if cost < best:
                    best = cost
                    found[0], found[1] = left, top


def load() -> None:
    """Compile them, or load them from the disk cache. Not for the GUI thread."""
    for function in (points, fill, extent, place):
        function.load()
