"""Where lanes lie in the strip."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF

from .axis import Axis
from .lane import Lane
from .zoom import Zoom

GUTTER, RIGHT, BOTTOM, TOP, SPACE = 50, 6, 24, 20, 6
_LEAST_HEIGHT = 28.0


@dataclass(frozen=True)
class Frame:
    """A lane's place: its rectangle (without the gutter), the time axis and its value axis."""

    rect: QRectF
    time: Axis
    value: Axis


def lay_out(lanes: Sequence[Lane], zoom: Zoom, time: Axis, width: float, height: float) -> list[tuple[Lane, Frame]]:
    """Lanes with their places in a strip of a size in px."""
    free = height - TOP - BOTTOM - SPACE * (len(lanes) - 1) - sum(lane.height for lane in lanes)
    weights = sum(lane.weight for lane in lanes if not lane.height)
    found, top = [], float(TOP)
    for lane in lanes:
        tall = lane.height or max(_LEAST_HEIGHT, free * lane.weight / weights)
        rect = QRectF(GUTTER, top, width - GUTTER - RIGHT, tall)
        found.append((lane, Frame(rect, time, zoom.value_axis(lane, rect.top(), rect.bottom()))))
        top += tall + SPACE
    return found
