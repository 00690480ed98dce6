"""The strip's loops over pixels against what they promise, on whatever hypothesis thinks of."""

import math

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QRectF
from PySide6.QtWidgets import QApplication

from kelvarn.desktop.strip import raster
from kelvarn.desktop.strip.blocks import _text_area


def curve_points(t: np.ndarray, y: np.ndarray, low: float, high: float, columns: int) -> np.ndarray:
    found = np.full((3 * columns, 2), np.nan)
    shown = raster.Shown(low, high, 100.0, columns / (high - low), 0.0, 50.0, -2.0)
    count = raster.points(t, y, shown, columns, 0.1, found)
    return found[:count]


@settings(max_examples=100, deadline=None)
@given(st.integers(2, 4000), st.integers(2, 80), st.integers(0, 2**32 - 1), st.floats(0, 0.9), st.floats(0.02, 1))
def test_a_reduced_curve_keeps_every_peak_of_what_is_shown(
    samples: int, columns: int, seed: int, start: float, share: float
) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.1, 2.0, samples))
    y = rng.normal(0, 10, samples)
    low = t[0] + start * (t[-1] - t[0])
    high = low + share * (t[-1] - t[0]) + 1e-3
    found = curve_points(t, y, low, high, columns)
    shown = (t >= low) & (t <= high)
    if shown.any():
        values = (50.0 - found[:, 1]) / 2
        assert values.max() >= y[shown].max() - 0.05 - 1e-9
        assert values.min() <= y[shown].min() + 0.05 + 1e-9
        assert set(np.round(values, 6)) <= set(np.round(y, 6))
    assert (np.diff(found[:, 0]) >= 0).all()
    assert len(found) <= 3 * columns


@settings(max_examples=100, deadline=None)
@given(st.integers(2, 300), st.integers(0, 2**32 - 1), st.sampled_from([0.0, 0.02, 1.0]))
def test_points_left_out_lie_on_the_line(samples: int, seed: int, noise: float) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.1, 2.0, samples))
    y = 20 * np.sin(t / 40) + noise * rng.normal(0, 1, samples)
    found = curve_points(t, y, t[0], t[-1], samples)  # as many columns as samples: none is put together
    every = np.column_stack([100 + (t - t[0]) * samples / (t[-1] - t[0]), 50 - 2 * y])
    assert np.abs(np.interp(every[:, 0], found[:, 0], found[:, 1]) - every[:, 1]).max() <= 0.1 + 1e-9
    assert np.allclose(found[[0, -1]], every[[0, -1]])
    if noise == 0 and samples > 100:
        assert len(found) < samples / 2


@settings(max_examples=100, deadline=None)
@given(st.integers(2, 60), st.integers(5, 60), st.integers(5, 60), st.integers(0, 2**32 - 1), st.sampled_from([0, 7]))
def test_filling_reaches_from_curve_to_curve_and_no_further(
    count: int, width: int, height: int, seed: int, period: int
) -> None:
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(90, 110 + width, count))
    edge, base = rng.uniform(0, 30 + height, count), rng.uniform(0, 30 + height, count)
    pixels = np.full((height, width), 99, np.uint32)
    reached = np.empty(2, np.int64)
    curves, rows = raster.Curves(x, edge, base), np.empty((2, width))
    raster.fill(curves, 100.0, 20.0, raster.Paint(1, period), raster.Paint(2, 0), rows, pixels, reached)
    first, last = reached.tolist()
    assert (pixels[:first] == 99).all()
    assert (pixels[last:] == 99).all()
    at = 100.5 + np.arange(width)
    inside = (at >= x[0]) & (at <= x[-1])
    top, bottom = np.interp(at, x, edge) - 20, np.interp(at, x, base) - 20
    for c in range(width):
        for r in range(first, last):
            upper, lower = sorted((top[c], bottom[c]))
            sure = upper + 0.51 < r + 0.5 < lower - 0.51
            never = not inside[c] or not upper - 0.51 < r + 0.5 < lower + 0.51
            color = 1 if top[c] < bottom[c] else 2
            if never:
                assert pixels[r, c] == 0
            elif sure and (color == 2 or period == 0 or (r + 20 + c) % period < 2):
                assert pixels[r, c] == color
            elif sure:
                assert pixels[r, c] == 0


@settings(max_examples=100, deadline=None)
@given(st.integers(2, 60), st.integers(5, 40), st.integers(0, 2**32 - 1))
def test_extent_holds_every_point_of_a_curve(count: int, columns: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(80, 120 + columns, count))
    x[rng.integers(0, count)] = x[0]  # a step straight up, too
    x = np.sort(x)
    y = rng.normal(0, 50, count)
    low, high = np.empty(columns), np.empty(columns)
    raster.extent(np.column_stack([x, y]), 100.0, low, high)
    share = np.linspace(0, 1, 40)
    for k in range(count - 1):
        for px, py in zip(x[k] + (x[k + 1] - x[k]) * share, y[k] + (y[k + 1] - y[k]) * share, strict=True):
            c = math.floor(px - 100)
            if 0 <= c < columns:
                assert low[c] - 1e-6 <= py <= high[c] + 1e-6
    untouched = [c for c in range(columns) if c + 101 < x[0] or c + 100 > x[-1]]
    assert all(low[c] > high[c] for c in untouched)


@settings(max_examples=100, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(0, 6), st.integers(0, 4))
def test_a_label_goes_where_it_covers_least(seed: int, curves: int, rectangles: int) -> None:
    rng = np.random.default_rng(seed)
    columns, inside = 200, np.array([0.0, 0.0, 200.0, 120.0])
    low = rng.uniform(0, 120, (max(curves, 1), columns))
    high = low + rng.uniform(0, 5, low.shape)
    corners = np.sort(rng.uniform(0, 120, (rectangles, 2, 2)), axis=1)
    taken = corners.reshape(rectangles, 4)[:, [0, 1, 2, 3]].copy()
    x, y = rng.uniform(0, 200), rng.uniform(0, 120)
    found = np.empty(2)
    raster.place(low, high, curves, taken, raster.Label(x, y, 60.0, 16.0), inside, found)
    left, top = found
    assert 2 <= left <= 200 - 62
    assert 2 <= top <= 120 - 18

    def covers(left: float, top: float) -> int:
        hit = sum(left < r[2] and r[0] < left + 60 and top < r[3] and r[1] < top + 16 for r in taken)
        span = slice(int(left), int(left + 60) + 1)
        return 1000 * hit + int(((high[:curves, span] >= top) & (low[:curves, span] <= top + 16)).sum())

    nearest = min(max(x + 4, 2), 138), min(max(y - 8 - 8 - 6, 2), 102)
    assert covers(left, top) <= covers(*nearest) + 1.5 * 6 + 0.5


@settings(max_examples=100, deadline=None)
@given(st.floats(60, 900), st.floats(3, 300), st.integers(1, 70), st.lists(st.floats(60, 900), max_size=3))
def test_the_name_of_an_event_stays_in_the_lane_and_off_the_others(
    qapp: QApplication, left: float, width: float, letters: int, others: list[float]
) -> None:
    lane = QRectF(50, 600, 900, 44)
    block = QRectF(left, 607, min(width, 950 - left), 29)
    apart = [QRectF(x, 607, 40, 29) for x in others if x + 40 < block.left() or x > block.right()]
    title = QRectF(56, 604, 60, 15)
    area = _text_area("x" * letters, block, lane, [block, *apart, title])
    assert area.left() >= lane.left()
    assert area.right() <= lane.right() + 1
    if not block.contains(area):
        assert not any(area.intersects(other) for other in apart)
        assert not area.intersects(block)
        assert area.width() > 0
