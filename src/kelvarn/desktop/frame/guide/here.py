"""What F1 tells of what has the focus: a sentence or two on it, and where the guide says more."""

from typing import NamedTuple

from PySide6.QtWidgets import QWidget

from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.stations.control.marks import MarkBar
from kelvarn.desktop.stations.station import Station
from kelvarn.guide.settings import section_of
from kelvarn.model.edit import value_at

_PAGE_OF = {"Rig": "idea", "Fit": "log", "Control": "idea", "Trial": "alone", "Bench": "hour", "Handover": "board"}


class Here(NamedTuple):
    """What is told.

    Attributes:
        title, said: of what has the focus; plain text, empty where nothing is to be said of it.
        page, section: where the guide goes on.
    """

    title: str
    said: str
    page: str
    section: str = ""


def here(focus: QWidget | None, station: Station | None) -> Here:
    """What is told.

    Args:
        focus: what has the focus.
        station: what is in sight; None with nothing open.
    """
    page = _PAGE_OF[station.title] if station is not None else "idea"
    widget = focus
    while widget is not None and widget is not station and not widget.isWindow():
        binding = getattr(widget, "binding", None)
        if isinstance(binding, Binding) and binding.alive:
            return _of_field(binding)
        if isinstance(widget, MarkBar) and widget.mark is not None:
            kind = widget.mark.kind
            return Here(kind.title, f"{kind.text} A click, or Enter, changes the limit.", "words", kind.title)
        widget = widget.parentWidget()
    name = focus.accessibleName() if focus is not None else ""
    told = focus.toolTip() or focus.accessibleDescription() if focus is not None and name else ""
    return Here(name, "" if told == name or told.startswith("<qt>") else told, page)


def _of_field(binding: Binding) -> Here:
    """A field of the project: what it means, its range, what more and less of it does."""
    lines = [binding.info.description or ""]
    if limits := binding.range_text():
        lines.append(f"From {limits.replace(' … ', ' to ')}.")
    lines += [f"{word.capitalize()}: {binding.extra[word]}." for word in ("more", "less") if word in binding.extra]
    kind = type(value_at(binding.document.project, binding.path[:-1]))
    return Here(binding.title, "\n".join(line for line in lines if line), "settings", section_of(kind))
