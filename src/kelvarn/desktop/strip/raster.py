"""The few loops over pixels and samples that the strip needs in each frame, compiled.

Imported where it is used, not at the top: compiling it the first time must not hold up the window.
"""

import math

import numpy as np

from kelvarn.engine.jit import compiled

_READ = "Array(float64, 1, 'C', readonly=True)"


@compiled(f"void({_READ}, {_READ}, float64[::1], float64[::1])")
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


@compiled("void(float64[::1], float64[::1], uint32, int64, uint32[:, ::1])")
def fill(first, second, color, period, pixels):
    """Fill the pixels between two edges in each column.

    Args:
        first, second: the edges in px from the picture's top, shape (width,); NaN leaves a column out.
        color: premultiplied.
        period: 0 fills all, else only diagonal lines two pixels wide, so far apart.
        pixels: shape (height, width), all 0, filled.
    """
    height, width = pixels.shape
    upper, lower = np.empty(width, np.int64), np.empty(width, np.int64)
    least, most = height, 0
    for c in range(width):
        upper[c] = lower[c] = 0
        if not math.isnan(first[c] + second[c]):
            upper[c] = min(max(round(min(first[c], second[c])), 0), height)
            lower[c] = min(max(round(max(first[c], second[c])), 0), height)
            if upper[c] < lower[c]:
                least, most = min(least, upper[c]), max(most, lower[c])
    for r in range(least, most):
        for c in range(width):
            if upper[c] <= r < lower[c] and (period == 0 or (r + c) % period < 2):
                pixels[r, c] = color


@compiled("int64(float64[:, ::1], float64[:, ::1], int64, int64, float64, float64)")
def covered(low, high, first, last, top, bottom):
    """How many column crossings of curves lie in a box.

    Args:
        low, high: extent of each curve in each pixel column, shape (curves, columns).
        first, last: columns of the box.
        top, bottom: its rows, px.
    """
    count = 0
    for curve in range(low.shape[0]):
        for c in range(max(first, 0), min(last, low.shape[1])):
            if high[curve, c] >= top and low[curve, c] <= bottom:
                count += 1
    return count
