"""Where the parts of the heat path go: columns by distance from the drive, surroundings at the right."""

from dataclasses import dataclass

from PySide6.QtCore import QRectF

from kelvarn.model.drives import heated_body
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig

_DRIVE_WIDTH, _WALL_WIDTH = 92.0, 108.0
_WIDEST, _HIGHEST = 124.0, 128.0
_ARROW = 62.0  # room between columns
_TITLE = 22.0
_CROWDED = 64.0  # room for a body, in pixels, below which its name stands inside it
_PROBE_ROOM = 52.0


@dataclass(frozen=True)
class Places:
    """Rectangles of the parts, in the view's pixels."""

    drive: QRectF
    bodies: dict[str, QRectF]
    wall: QRectF
    named_above: dict[str, bool]


def columns(rig: Rig) -> list[list[str]]:
    """Bodies by their distance in links from the drive; those that nothing reaches come last."""
    order = [body.name for body in rig.all_bodies]
    depth = {(heated_body(rig.drive) or rig.probe.body): 0}
    queue = [(heated_body(rig.drive) or rig.probe.body)]
    while queue:
        here = queue.pop(0)
        for link in rig.all_links:
            for a, b in ((link.a, link.b), (link.b, link.a)):
                if a == here and b != SURROUNDINGS and b not in depth:
                    depth[b] = depth[here] + 1
                    queue.append(b)
    last = max(depth.values()) + 1
    found: list[list[str]] = [[] for _ in range(last + 1)]
    for name in order:
        found[depth.get(name, last)].append(name)
    # In a column, bodies stand in the order of those they hang on, so that arrows cross as little as may be; among
    # equals, those that lose heat to the surroundings stand lowest: their arrows pass below the others'.
    outer = {end for link in rig.all_links if SURROUNDINGS in (link.a, link.b) for end in (link.a, link.b)}
    places: dict[str, float] = {}
    ordered = []
    for column in filter(None, found):
        means = {name: _mean_place(rig, name, places) for name in column}
        ordered.append(sorted(column, key=lambda name: (means[name], name in outer)))
        places |= {name: (k + 0.5) / len(column) for k, name in enumerate(ordered[-1])}
    return ordered


def _mean_place(rig: Rig, name: str, places: dict[str, float]) -> float:
    """Mean height, 0…1, of the bodies already placed that a body is linked to."""
    linked = [
        places[end] for link in rig.all_links if name in (link.a, link.b) for end in (link.a, link.b) if end in places
    ]
    return sum(linked) / len(linked) if linked else 0.5


def place(rig: Rig, width: float, height: float) -> Places:
    """Lay the parts out in a rectangle of pixels."""
    found = columns(rig)
    count = len(found)
    left = 14.0 + _DRIVE_WIDTH
    free = width - left - _WALL_WIDTH - 14.0
    arrow = max(34.0, min(_ARROW + 24, free / (count + 1) * 0.42))
    box = min(_WIDEST, max(56.0, (free - arrow * (count + 1)) / count))
    spare = max(0.0, free - count * box - (count + 1) * arrow) / (count + 1)
    bodies: dict[str, QRectF] = {}
    above: dict[str, bool] = {}
    x = left
    area = height - _PROBE_ROOM - 8
    for names in found:
        x += arrow + spare
        room = area / len(names)
        title = _TITLE if room >= _CROWDED else 0.0  # a low vessel carries its name inside
        tall = min(_HIGHEST, room - title - (12 if title else 4))
        for k, name in enumerate(names):
            top = 8 + k * room + title + (room - title - tall) / 2
            bodies[name] = QRectF(x, top, box, tall)
            above[name] = title > 0
        x += box
    heated = bodies[(heated_body(rig.drive) or rig.probe.body)]
    drive = QRectF(14, heated.center().y() - 34, _DRIVE_WIDTH, 68)
    wall = QRectF(width - _WALL_WIDTH, 24, 6, max(60.0, height - 60))
    return Places(drive, bodies, wall, above)
