"""The kernel's scratch: compiled code makes no arrays, so what it writes on is handed to it, all zero."""

from typing import Any

import numpy as np

from . import drives as of_drives
from . import heat, laws
from . import probes as of_probes

_ADAPTIVE_ROWS = 12
"""The state of the adaptive integration, and what `curved.advance_curved` writes on."""


def scratch(
    bodies: int, probes: int, drives: int, links: int, line_size: int, history_size: int, curved: bool
) -> tuple[Any, ...]:
    """Arrays of `kernel.run_loop` from `of_drive` to `decision`, in its order.

    Args:
        bodies, probes, drives, links: how many the rig has; doors count as links.
        line_size, history_size: changes that fit in a drive's delay line, samples in a probe's history.
        curved: which of the two integrations needs its matrices.
    """
    size = bodies + heat.EXTRA + probes
    blocks, linear = ((size + 7) // 8, size) if not curved else (1, 1)
    adaptive = bodies + probes + drives + 1 if curved else 1
    states = np.zeros((3, blocks, 8))
    return (
        np.zeros((7, drives)),
        np.zeros((drives, of_drives.STATE_SIZE)),
        np.zeros((drives, 3, line_size)),
        np.zeros((drives, 2), np.int64),
        states,
        states[0].reshape(-1),  # the state itself, as one row
        np.zeros((4, linear, linear)),
        np.zeros((2, blocks, 8, blocks, 8)),
        np.zeros((drives, heat.TERMS, blocks, 8)),
        np.zeros((2, drives, blocks, 8)),
        np.zeros((_ADAPTIVE_ROWS, adaptive)),
        np.zeros((2, adaptive, adaptive)),
        np.zeros((3, bodies)),
        np.zeros(3),
        np.zeros((links, 4)),
        np.zeros((probes, of_probes.STATE_SIZE)),
        np.zeros((2, probes, history_size)),
        np.zeros(probes, np.bool_),
        np.zeros(laws.STATE_SIZE),
        np.zeros(laws.DECISION_SIZE),
    )
