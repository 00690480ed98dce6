"""Where probes hang, and where their names stand: clear of each other and of short arrows."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF

from kelvarn.model.rig import Rig

from .ends import all_link_ends, draw_off_ends, is_stub
from .places import Places

LABEL_WIDTH = 58.0
"""Room for the watts of an arrow, in pixels."""
_MOST_ROOM, _LEAST_ROOM, _SOME_ROOM = 180.0, 96.0, 20.0
_ONE_ROW = 44.0  # probes whose bodies end within so many pixels of each other hang in one row
_RING = 22.0  # from a probe's middle to its text


@dataclass(frozen=True)
class Spot:
    """Where a probe hangs.

    Attributes:
        at: point of its body's lower edge.
        room: for its text, in pixels; 0 where there is none.
        on_left: whether its text stands left, else right.
        below: whether it stands below the ring rather than beside it.
        alone: whether no other probe hangs from the same body.
    """

    at: QPointF
    room: float
    on_left: bool
    below: bool
    alone: bool


def probe_spots(rig: Rig, places: Places) -> list[Spot]:
    """A spot for each probe, side by side where several hang from one body."""
    beside = [[j for j, other in enumerate(rig.probes) if other.body == probe.body] for probe in rig.probes]
    at: list[QPointF] = []
    for k, probe in enumerate(rig.probes):
        body, share = places.bodies[probe.body], (beside[k].index(k) + 1) / (len(beside[k]) + 1)
        at.append(QPointF(body.left() + share * body.width(), body.bottom()))
    stubs = _stubs(rig, places)
    return [_spot(k, at, stubs, beside[k], places.wall.left()) for k in range(len(at))]


def _spot(k: int, at: list[QPointF], stubs: list[QPointF], beside: list[int], wall: float) -> Spot:
    x, alone, rank = at[k].x(), len(beside) == 1, beside.index(k)
    # Of several in one body the first one's text stands beside it, the others' below: left, right; then none has room.
    if rank == 1:
        return Spot(at[k], min(_MOST_ROOM, x + 6), on_left=True, below=True, alone=alone)
    if rank > 1:
        room = min(_MOST_ROOM, wall - x) if rank == 2 else 0.0
        return Spot(at[k], room, on_left=False, below=True, alone=alone)
    # It ends where another probe's ring, a short arrow with its watts, or the edge of the picture is.
    rings = [p.x() for p in at if p != at[k] and abs(p.y() - at[k].y()) < _ONE_ROW]
    short = [p.x() for p in stubs if abs(p.y() - at[k].y()) < _ONE_ROW]
    before = [o + 12 for o in rings if o < x] + [o + LABEL_WIDTH + 4 for o in short if o < x]
    left = x - _RING - max(before, default=4.0)
    right = min((o - 12 for o in (*rings, *short) if o > x), default=wall) - x - _RING
    room = min(_MOST_ROOM, max(left, right, _SOME_ROOM))
    if room < _LEAST_ROOM and alone:  # no room beside it for a short name and a temperature: below it there is
        on_left = x > wall - x
        return Spot(at[k], min(_MOST_ROOM, x + 6 if on_left else wall - x), on_left, below=True, alone=alone)
    return Spot(at[k], room, on_left=left >= min(_MOST_ROOM, right), below=False, alone=alone)


def _stubs(rig: Rig, places: Places) -> list[QPointF]:
    """Where short arrows only lead out of a vessel."""
    ends = all_link_ends(rig, places)
    ends += [draw_off_ends(places.bodies[draw_off.body]) for draw_off in rig.draw_offs]
    return [a for a, b in ends if is_stub(a, b)]
