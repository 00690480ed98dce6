"""Several devices at once: which of them command one and the same output, as far as can be told from here."""

from collections.abc import Sequence
from typing import NamedTuple

from kelvarn.handover.points import OUTPUT
from kelvarn.sentence import say

from .session import Session


class Conflict(NamedTuple):
    """Two links that may command one output: where they are, and its point."""

    one: str
    other: str
    output: str

    @property
    def text(self) -> str:
        """It, in a sentence."""
        return say("{one} and {other} both command {output}: if that is one and the same, let one of them only watch.",
                   one=self.one, other=self.other, output=self.output)  # fmt: skip


def conflicts(sessions: Sequence[Session]) -> list[Conflict]:
    """Links that may command one output: of two programs of one state, those points that both put out."""
    found = []
    for k, one in enumerate(sessions):
        for other in sessions[k + 1 :]:
            if one.watch_only or other.watch_only or not _alike(one, other):
                continue
            names = _outputs(other)
            both = [name for name in _outputs(one) if name in names]
            found += [Conflict(str(one.listener.address), str(other.listener.address), name) for name in both]
    return found


def _alike(one: Session, other: Session) -> bool:
    """Whether two links lead to programs that were made of one state: to one device, or to two that are made alike."""
    first, second = one.listener.identity, other.listener.identity
    return first is not None and second is not None and first.state == second.state


def _outputs(session: Session) -> list[str]:
    return [point.name for point in session.listener.points if point.name.startswith(OUTPUT)]
