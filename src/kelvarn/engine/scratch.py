"""The kernel's scratch: compiled code makes no arrays, so what it writes on is handed to it, all zero."""

from functools import lru_cache

from . import drives as of_drives
from . import heat, laws, native
from . import probes as of_probes

SCRATCH = "d1 d1 d1 d1 d1 d1 d1 d2 d3 q2 d2 d2 d2 d2 d3 d4 d4 d4 d3 d3 d1 d3 d2 d1 d1 d1 d1 d2 d2 d2 d2 ?1 d1 d1"
"""Types of what `scratch` makes, as in a signature."""


def scratch(
    bodies: int, probes: int, drives: int, links: int, line_size: int, history_size: int, curved: bool
) -> native.Handed:
    """Arrays of `kernel.run_loop` from `levels` to `decision`, in its order.

    Args:
        bodies, probes, drives, links: how many the rig has; doors count as links.
        line_size, history_size: changes that fit in a drive's delay line, samples in a probe's history.
        curved: which of the two integrations needs its matrices.
    """
    return native.zeros(_plan(bodies, probes, drives, links, line_size, history_size, curved))


@lru_cache(maxsize=16)
def _plan(
    bodies: int, probes: int, drives: int, links: int, line_size: int, history_size: int, curved: bool
) -> native.Plan:
    size = bodies + heat.EXTRA + probes
    blocks, linear = ((size + 7) // 8, size) if not curved else (1, 1)
    adaptive = bodies + probes + drives + 1 if curved else 1
    shapes = (
        *(7 * [(drives,)]), (drives, of_drives.STATE_SIZE), (drives, 3, line_size), (drives, 2),
        *(3 * [(blocks, 8)]), (linear, linear), (3, linear, linear), (blocks, 8, blocks, 8), (blocks, 8, blocks, 8),
        (drives, heat.TERMS, blocks, 8), (drives, blocks, 8), (drives, blocks, 8),
        (adaptive,), (2, adaptive, adaptive), (11, adaptive), (bodies,), (bodies,), (bodies,), (3,),
        (links, 4), (probes, of_probes.STATE_SIZE), (probes, history_size), (probes, history_size), (probes,),
        (laws.STATE_SIZE,), (laws.DECISION_SIZE,),
    )  # fmt: skip
    return native.plan(tuple(SCRATCH.split()), shapes)
