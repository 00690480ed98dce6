"""The few loops over pixels and samples that the strip needs in each frame, compiled."""

import math

from kelvarn.engine.jit import compiled, part


@compiled("d1r d1r d1 d1")
def extremes(t, y, at, values):
    """The least and the greatest value of each of so many equal shares of the samples, in the order they come.

    Args:
        t, y: samples, shape (m,); more of them than shares.
        at, values: two points for each share, shape (2·shares,), filled.
    """
    m, shares = t.size, at.size // 2
    for c in range(shares):
        first, last = c * m // shares, (c + 1) * m // shares
        least = most = y[first]
        for k in range(first + 1, last):
            least, most = min(least, y[k]), max(most, y[k])
        at[2 * c] = at[2 * c + 1] = t[first]
        if y[first] <= y[last - 1]:
            values[2 * c], values[2 * c + 1] = least, most
        else:
            values[2 * c], values[2 * c + 1] = most, least


@compiled("d1 d1 I q I2")
def fill(first, second, color, period, pixels):
    """Fill the pixels between two edges in each column.

    Args:
        first, second: the edges in px from the picture's top, shape (width,); NaN leaves a column out.
        color: premultiplied.
        period: 0 fills all, else only diagonal lines two pixels wide, so far apart.
        pixels: shape (height, width), all 0, filled.
    """
    height, width = pixels.shape
    for c in range(width):
        if math.isnan(first[c] + second[c]):
            continue
        upper = min(max(round(min(first[c], second[c])), 0), height)
        lower = min(max(round(max(first[c], second[c])), 0), height)
        if period == 0:
            for r in range(upper, lower):
                pixels[r, c] = color
        else:
            for r in range(upper, lower):
                if (r + c) % period < 2:
                    pixels[r, c] = color


@part
def _badness(low, high, taken, left, top, right, bottom):
    """Columns of curves that a box covers; a rectangle already taken counts as a thousand."""
    count = 0.0
    for k in range(taken.shape[0]):
        if left < taken[k, 2] and taken[k, 0] < right and top < taken[k, 3] and taken[k, 1] < bottom:
            count += 1000.0
    for curve in range(low.shape[0]):
        for c in range(max(int(left), 0), min(int(right) + 1, low.shape[1])):
            if high[curve, c] >= top and low[curve, c] <= bottom:
                count += 1.0
    return count


@compiled("d2 d2 d2 d d d d d1 d1")
def place(low, high, taken, x, y, width, height, inside, found):
    """The least bad place for a label near a point: above or below it, beginning, ending or centred there.

    Args:
        low, high: extent of each curve in each pixel column, shape (curves, columns).
        taken: rectangles to keep clear of as left, top, right, bottom, shape (k, 4).
        x, y, width, height: the point, and the label's size, px; columns count from x = 0.
        inside: left, top, right, bottom that it stays within.
        found: left and top, filled.
    """
    best = math.inf
    for choice in range(3):
        shift = 0.0 if choice == 0 else -width - 8 if choice == 1 else -width / 2
        left = min(max(x + 4 + shift, inside[0] + 2), inside[2] - width - 2)
        for away in range(7):
            worth = 1.5 * away + (0.5 if choice else 0.0)
            for side in (-1.0, 1.0):
                top = y + side * (height / 2 + 6 + away * 18.0) - height / 2
                top = min(max(top, inside[1] + 2), inside[3] - height - 2)
                cost = worth + _badness(low, high, taken, left, top, left + width, top + height)
                if cost < best:
                    best = cost
                    found[0], found[1] = left, top


def load() -> None:
    """Compile them, or load them from the disk cache. Not for the GUI thread."""
    for function in (extremes, fill, place):
        function.load()
