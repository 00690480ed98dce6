"""Where lanes lie in the strip."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF

from .axis import Axis
from .lane import Lane
from .zoom import Zoom

GUTTER, RIGHT, BOTTOM, TOP, SPACE = 50, 6, 24, 20, 6
_LEAST_HEIGHT, _LEAST_ROWS = 28.0, 26.0
_READABLE = 60.0  # px of a lane of curves that is to be read
_LEADS, _GIVES = 0.45, 0.75  # share of the strip of the lane that leads; of its own height that a lane of rows keeps


@dataclass(frozen=True)
class Frame:
    """A lane's place: its rectangle (without the gutter), the time axis and its value axis."""

    rect: QRectF
    time: Axis
    value: Axis


def lay_out(lanes: Sequence[Lane], zoom: Zoom, time: Axis, width: float, height: float) -> list[tuple[Lane, Frame]]:
    """Lanes with their places in a strip of a size in px."""
    found, top = [], float(TOP)
    for lane, tall in zip(lanes, _heights(lanes, height), strict=True):
        rect = QRectF(GUTTER, top, width - GUTTER - RIGHT, tall)
        found.append((lane, Frame(rect, time, zoom.value_axis(lane, rect.top(), rect.bottom()))))
        top += tall + SPACE
    return found


def room_left(lanes: Sequence[Lane], height: float) -> float:
    """What lanes leave to more of them in a strip of a height, px, where the one that leads has its share."""
    leads = max(lanes, key=lambda lane: 0.0 if lane.height else lane.weight)
    others = sum(SPACE + (lane.height or _READABLE) for lane in lanes if lane is not leads)
    return height - TOP - BOTTOM - max(_LEADS * height, leads.height) - others


def _heights(lanes: Sequence[Lane], height: float) -> list[float]:
    """How tall lanes are, px; the others give way as far as they can until the heaviest has its share of the strip."""
    free = height - TOP - BOTTOM - SPACE * (len(lanes) - 1) - sum(lane.height for lane in lanes)
    weights = sum(lane.weight for lane in lanes if not lane.height)
    found = [float(lane.height or max(_LEAST_HEIGHT, free * lane.weight / weights)) for lane in lanes]
    leads = max(range(len(lanes)), key=lambda k: 0.0 if lanes[k].height else lanes[k].weight, default=None)
    if leads is None or lanes[leads].height:
        return found
    spare = [
        0.0 if k == leads else tall - (max(_LEAST_ROWS, _GIVES * tall) if lane.height else _LEAST_HEIGHT)
        for k, (lane, tall) in enumerate(zip(lanes, found, strict=True))
    ]
    spare = [max(each, 0.0) for each in spare]
    wanted = min(max(_LEADS * height - found[leads], 0.0), sum(spare))
    if wanted > 0:
        found = [tall - wanted * each / sum(spare) for tall, each in zip(found, spare, strict=True)]
        found[leads] += wanted
    return found
