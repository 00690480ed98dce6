"""Where the parts of the heat path go: drives left, bodies in columns by distance from them, surroundings right."""

from dataclasses import dataclass

from PySide6.QtCore import QRectF

from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig

_DRIVE_WIDTH, _WALL_WIDTH = 92.0, 108.0
_DRIVE_HEIGHT, _LOW_DRIVE = 62.0, 40.0
_WIDEST, _HIGHEST = 124.0, 128.0
_ARROW = 62.0  # room between columns
_TITLE = 22.0
_CROWDED = 64.0  # room for a body, in pixels, below which its name stands inside it
_PROBE_ROOM = 50.0


@dataclass(frozen=True)
class Places:
    """Rectangles of the parts, in the view's pixels."""

    drives: tuple[QRectF, ...]
    bodies: dict[str, QRectF]
    wall: QRectF
    named_above: dict[str, bool]


def columns(rig: Rig) -> list[list[str]]:
    """Bodies by their distance in links from what is heated; those that nothing reaches come last."""
    order = list(rig.body_names)
    begin = [drive.heated_body for drive in rig.drives if drive.heated_body is not None] or [rig.probe.body]
    depth = dict.fromkeys(begin, 0)
    queue = list(depth)
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
    arrow = max(34.0, min(_ARROW + 24, free / (count + 1) * 0.5))
    box = min(_WIDEST, max(56.0, (free - arrow * (count + 1)) / count))
    spare = max(0.0, free - count * box - (count + 1) * arrow) / (count + 1)
    bodies: dict[str, QRectF] = {}
    above: dict[str, bool] = {}
    x = left
    probed = {probe.body for probe in rig.probes}
    area = height - _PROBE_ROOM - 8
    for names in found:
        x += arrow + spare
        # Where a probe hangs below, the next vessel begins lower.
        hanging = sum(name in probed for name in names[:-1]) * (_PROBE_ROOM - 10)
        room = (area - hanging) / len(names)
        title = _TITLE if room >= _CROWDED else 0.0  # a low vessel carries its name inside
        tall = min(_HIGHEST, max(room - title - (12 if title else 4), 16.0))
        top = 8.0
        for k, name in enumerate(names):
            bodies[name] = QRectF(x, top + title + (room - title - tall) / 2, box, tall)
            above[name] = title > 0
            top += room + (_PROBE_ROOM - 10 if name in probed and k < len(names) - 1 else 0)
        x += box
    wall = QRectF(width - _WALL_WIDTH, 24, 6, max(60.0, height - 60))
    return Places(_drives(rig, bodies, height), bodies, wall, above)


def _drives(rig: Rig, bodies: dict[str, QRectF], height: float) -> tuple[QRectF, ...]:
    """Drives at the height of what they heat, one below the other where these would overlap."""
    count = len(rig.drives)
    step = min(96.0, (height - 20) / count)
    tall = min(_DRIVE_HEIGHT, max(step - 26, _LOW_DRIVE if count > 2 else _DRIVE_HEIGHT))
    wanted = []
    for k, drive in enumerate(rig.drives):
        body = drive.heated_body
        wanted.append(bodies[body].center().y() if body is not None else height * (k + 0.5) / count)
    order = sorted(range(count), key=lambda k: wanted[k])
    tops, lowest = [0.0] * count, 26.0
    for place_in_row, k in enumerate(order):
        left_over = count - 1 - place_in_row
        top = max(lowest, min(wanted[k] - tall / 2, height - 8 - tall - left_over * step))
        tops[k] = top
        lowest = top + step
    return tuple(QRectF(14, top, _DRIVE_WIDTH, tall) for top in tops)
