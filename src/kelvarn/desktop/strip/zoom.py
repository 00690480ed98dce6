"""Which part of time and values is shown, and the way back to what was shown before."""

from .axis import Axis
from .lane import Lane

_LEAST_SPAN_S = 1.0
_LEAST_RANGE, _MOST_RANGE = 0.01, 20.0  # of what a lane shows when all of it is seen
_HISTORY = 50
_TITLE_ROOM = 16  # px: a lane's title must not cover its highest curve

_State = tuple[tuple[float, float] | None, dict[str, tuple[float, float]]]


class Zoom:
    """What of the time axis and of each lane's values is shown.

    Attributes:
        span: of time, s; None shows all.
        ranges: of the values of lanes by key; lanes without one are fitted.
        held: while something is dragged, fitted ranges stand still: one that follows the data would tear the handle
            from the pointer.
    """

    def __init__(self) -> None:
        self.span: tuple[float, float] | None = None
        self.ranges: dict[str, tuple[float, float]] = {}
        self.held = False
        self._fitted: dict[str, tuple[float, float]] = {}
        self._history: list[_State] = []

    def value_axis(self, lane: Lane, top: float, bottom: float) -> Axis:
        """The value axis of a lane between two heights in px."""
        if lane.axis is not None and lane.axis.fixed is not None and lane.key not in self.ranges:
            return Axis(*lane.axis.fixed, bottom - 4, top + 18)  # below the title
        low, high = self.ranges.get(lane.key) or self._fit(lane, bottom - top)
        return Axis(low, high, bottom, top)

    def _fit(self, lane: Lane, height: float) -> tuple[float, float]:
        if not self.held or lane.key not in self._fitted:
            low, high = lane.fitted
            self._fitted[lane.key] = low, high + (high - low) * _TITLE_ROOM / max(height, 1.0)
        return self._fitted[lane.key]

    def time(self, factor: float, centre_s: float, end_s: float) -> None:
        """Show `factor` times the span, keeping one instant in its place."""
        low, high = self.span or (0.0, end_s)
        low, high = centre_s - (centre_s - low) * factor, centre_s + (high - centre_s) * factor
        self.remember()
        width = min(max(high - low, min(_LEAST_SPAN_S, end_s)), end_s)
        low = min(max(low, 0.0), end_s - width)
        self.span = None if width >= end_s else (low, low + width)

    def values(self, lane: Lane, axis: Axis, factor: float, centre: float) -> None:
        """Show `factor` times a lane's range, keeping one value in its place."""
        self.remember()
        low, high = centre - (centre - axis.low) * factor, centre + (axis.high - centre) * factor
        whole = lane.fitted[1] - lane.fitted[0]
        if _LEAST_RANGE * whole < high - low < _MOST_RANGE * whole:
            self.ranges[lane.key] = (low, high)

    def fit(self) -> None:
        """Show everything."""
        self.remember()
        self.span, self.ranges = None, {}

    def back(self) -> bool:
        """Undo the last zoom or pan; whether there was one."""
        if self._history:
            self.span, self.ranges = self._history.pop()
            return True
        return False

    def remember(self) -> None:
        """What is shown now can be come back to."""
        state = (self.span, dict(self.ranges))
        if not self._history or self._history[-1] != state:
            self._history.append(state)
            del self._history[:-_HISTORY]
