"""How drives share a demand. Plain Python that the kernel compiles, so that a verdict needs no compiler."""

from typing import Any

from .codes import DIRECTION, SHARE, SHARE_PRIORITY


def share_out(demand: float, sharing: int, c: Any, demands: Any) -> None:
    """Demand of each drive, 0…1, from that of the law, −1…1; below 0 it asks for cooling where something heats too.

    Args:
        demand: of the law.
        sharing: SHARE_EQUAL gives each drive of the effect the same; SHARE_PRIORITY fills them one after another.
        c: table of the drives, laid out as in codes.py.
        demands: written, shape (drives,).
    """
    count = c.shape[0]
    heats = cools = False
    for d in range(count):
        heats = heats or c[d, DIRECTION] > 0.0
        cools = cools or c[d, DIRECTION] < 0.0
    wanted_way, size = (1.0 if demand >= 0.0 else -1.0), abs(demand)
    if not (heats and cools):  # a law for one effect is mirrored instead: its demand is positive for either
        wanted_way, size = (1.0 if heats else -1.0), max(demand, 0.0)
    total = 0.0
    for d in range(count):
        if c[d, DIRECTION] == wanted_way:
            total += c[d, SHARE]
    left = size * total
    for d in range(count):
        if c[d, DIRECTION] != wanted_way:
            demands[d] = 0.0
        elif sharing == SHARE_PRIORITY:
            demands[d] = min(1.0, left / c[d, SHARE])
            left -= demands[d] * c[d, SHARE]
        else:
            demands[d] = size
