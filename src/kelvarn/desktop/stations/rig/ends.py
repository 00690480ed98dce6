"""Where the arrows of the heat path begin and end."""

import itertools

from PySide6.QtCore import QPointF, QRectF

from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig

from .places import Places

_EDGE = 12.0  # px between a vessel's corner and the first arrow


def all_link_ends(rig: Rig, places: Places) -> list[tuple[QPointF, QPointF]]:
    """Of every link, from edge to edge.

    Where several meet a side of a vessel they stand apart, in the order of what they lead to, so that none crosses
    another there.
    """
    found = [[*_link_ends(link.a, link.b, places)] for link in rig.all_links]
    sides: dict[tuple[str, bool], list[tuple[int, int]]] = {}
    for k, link in enumerate(rig.all_links):
        for end, name in enumerate((link.a, link.b)):
            here, there = found[k][end], found[k][1 - end]
            if name in places.bodies and abs(here.x() - there.x()) > _EDGE:
                sides.setdefault((name, there.x() > here.x()), []).append((k, end))
    for (name, _), meeting in sides.items():
        if len(meeting) > 1:
            body = places.bodies[name]
            meeting.sort(key=lambda each: found[each[0]][1 - each[1]].y())
            room = max(body.height() - 2 * _EDGE, 0.0)
            for place, (k, end) in enumerate(meeting):
                found[k][end].setY(body.top() + _EDGE + room * (place + 0.5) / len(meeting))
    return [(a, b) for a, b in found]


def is_stub(start: QPointF, end: QPointF) -> bool:
    """Whether an arrow only leads out of a vessel, since something stands between it and the wall."""
    return abs(start.x() - end.x()) < 1 and abs(start.y() - end.y()) < 30


def _link_ends(a: str, b: str, places: Places) -> tuple[QPointF, QPointF]:
    """Of a link by itself: straight across where columns differ."""
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


def lead_path(drive: QRectF, arrow: tuple[QPointF, QPointF], label: QRectF, floor: float,
              avoid: list[QRectF]) -> list[QPointF]:  # fmt: skip
    """A dotted lead from a fan or valve to the arrow that it drives, past all that stands in its way.

    Straight, else round below or above; empty where there is no way: then the arrow's own words must do.

    Args:
        drive, arrow: what is led from and to.
        label: where the arrow's watts stand; a lead from that side ends there.
        floor: the lowest height it may take.
        avoid: vessels and texts.
    """
    middle = (arrow[0] + arrow[1]) / 2
    below = label.top() > middle.y()
    ways = [[QPointF(drive.right(), drive.center().y()), middle]]
    for height, edge, at_label in ((floor, drive.bottom(), below), (6.0, drive.top() - 22, not below)):
        end = QPointF(label.center().x(), label.bottom() if below else label.top()) if at_label else middle
        x = drive.center().x()
        ways.append([QPointF(x, edge), QPointF(x, height), QPointF(end.x(), height), end])
    for way in ways:
        pieces = [QRectF(a, b).normalized().adjusted(-1, -1, 1, 1) for a, b in itertools.pairwise(way)]
        level = len(way) > 2 or abs(way[0].y() - way[1].y()) < 2
        crossed = _crosses(way[0], way[1], avoid) if not level else any(p.intersects(r) for p in pieces for r in avoid)
        if not crossed:
            return way
    return []


def _crosses(a: QPointF, b: QPointF, avoid: list[QRectF]) -> bool:
    """Whether a slanting line passes through a rectangle."""
    steps = [a + (b - a) * (k / 40) for k in range(41)]
    return any(rect.contains(point) for point in steps for rect in avoid)
