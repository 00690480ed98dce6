"""All kinds, in the order in which they are offered."""

from .cold import FRIDGE, HEATSINK
from .hot import KILN, ROOM
from .kind import Kind
from .others import HUMID, ONE
from .vessels import BLOCK, BOX, POT

KINDS: tuple[Kind, ...] = (BOX, POT, BLOCK, HEATSINK, KILN, ROOM, FRIDGE, HUMID, ONE)
"""But for what is known only by a log, which nothing can be asked of."""


def kind_of(key: str) -> Kind:
    """The kind of a key; KeyError where there is none."""
    return {kind.key: kind for kind in KINDS}[key]
