"""What can be dragged on the strip, and what dragging it means."""

from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QRectF


@dataclass(frozen=True)
class Handle:
    """Something that can be dragged.

    Attributes:
        kind: "setpoint", "edge_on", "edge_off", "event_move", "event_start" or "event_end".
        index: which setpoint change or event.
        rect: where it can be grabbed.
        vertical: it is dragged along the temperature axis, else along time.
        value: what it stands at: degC or s.
        tip: what dragging it does.
    """

    kind: str
    index: int
    rect: QRectF
    vertical: bool
    value: float
    tip: str


class Edits(Protocol):
    """What the strip asks of the station that it stands in."""

    def begin_drag(self) -> None:
        """A drag begins."""

    def drag(self, handle: Handle, value: float) -> str:
        """The handle is at this value now, degC or s; returns the value as text for the flag beside the pointer."""

    def end_drag(self) -> None:
        """The drag is done."""

    def abort_drag(self) -> None:
        """The drag is given up: everything as before."""
