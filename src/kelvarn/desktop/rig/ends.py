"""Where the arrows of the heat path begin and end."""

from PySide6.QtCore import QPointF, QRectF

from kelvarn.model.fields import SURROUNDINGS

from .places import Places


def link_ends(a: str, b: str, places: Places) -> tuple[QPointF, QPointF]:
    """Of a link: from edge to edge, straight across where columns differ."""
    if SURROUNDINGS in (a, b):
        out, wall = _loss_ends(places.bodies[a if b == SURROUNDINGS else b], places)
        return (out, wall) if b == SURROUNDINGS else (wall, out)
    first, second = places.bodies[a], places.bodies[b]
    if abs(first.center().x() - second.center().x()) < 5:  # one above the other
        upper, lower = (first, second) if first.top() < second.top() else (second, first)
        x = upper.center().x() + 24  # beside the middle, where a probe may hang
        top, bottom = QPointF(x, upper.bottom() + 2), QPointF(x, lower.top() - 22)
        return (top, bottom) if upper is first else (bottom, top)
    left, right = (first, second) if first.left() < second.left() else (second, first)
    # At a height that both reach if there is one, so that the arrow lies level.
    high, low = max(left.top(), right.top()) + 14, min(left.bottom(), right.bottom()) - 14
    level = (high + low) / 2
    y_left, y_right = (level, level) if low > high else (left.center().y(), right.center().y())
    start, end = QPointF(left.right() + 3, y_left), QPointF(right.left() - 3, y_right)
    return (start, end) if left is first else (end, start)


def _loss_ends(body: QRectF, places: Places) -> tuple[QPointF, QPointF]:
    """From a body straight to the wall, at a height where nothing stands in the way; else only out of the vessel."""
    between = [r.adjusted(0, -26, 0, 8) for r in places.bodies.values() if r.left() > body.right()]
    for level in (body.center().y(), body.bottom() - 14, body.top() + 14):
        if not any(r.top() < level < r.bottom() for r in between):
            return QPointF(body.right() + 3, level), QPointF(places.wall.left() - 3, level)
    x = body.right() - 16
    return QPointF(x, body.bottom() + 2), QPointF(x, body.bottom() + 18)


def draw_off_ends(body: QRectF) -> tuple[QPointF, QPointF]:
    """Of a draw-off: a short way down from the vessel's right corner."""
    x = body.right() - 22
    return QPointF(x, body.bottom() + 2), QPointF(x, body.bottom() + 26)


def drive_ends(drive: QRectF, body: QRectF) -> tuple[QPointF, QPointF]:
    """From a drive to its body: level where both reach, else slanting."""
    high, low = max(drive.top(), body.top()) + 8, min(drive.bottom(), body.bottom()) - 8
    if low > high:
        return QPointF(drive.right() + 3, (high + low) / 2), QPointF(body.left() - 3, (high + low) / 2)
    inside = min(max(drive.center().y(), body.top() + 10), body.bottom() - 10)
    return QPointF(drive.right() + 3, drive.center().y()), QPointF(body.left() - 3, inside)
