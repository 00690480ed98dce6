"""All that can be found by Ctrl+K: commands, what the stations have, and their settings as they are shown."""

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtWidgets import QWidget

from kelvarn.desktop.fields.notes import NotesEdit
from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.fields.plain import Choice, NameEdit, SwitchField
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.menus import Menus
from kelvarn.desktop.parts.plain import bare_text
from kelvarn.desktop.stations.station import Station

from .finder import Findable, go_to_field


def findables(
    menus: Menus, stations: Sequence[Station], go_to: Callable[[int], object],
    files: Sequence[tuple[str, Callable[[], object]]],
) -> list[Findable]:  # fmt: skip
    """Commands first, then places of the stations and files opened lately, then settings.

    Args:
        menus, stations, files: what has them.
        go_to: goes to a station by its place.
    """
    commands = [
        Findable(bare_text(action.text()), action.trigger, action.shortcut().toString())
        for action in menus.actions.values()
        if action.text()
    ]
    places, settings = [], []
    for index, station in enumerate(stations):
        go = partial(go_to, index)
        places += [
            Findable(f"{text} · {tell(station.title)}", partial(_both, go, run)) for text, run in station.places()
        ]
        for field in station.findChildren(QWidget):
            name = field.accessibleName()
            if (
                isinstance(field, NumberEdit | Choice | SwitchField | NameEdit | NotesEdit)
                and name
                and field.isVisibleTo(station)
            ):
                run = partial(_both, go, partial(go_to_field, field))
                settings.append(
                    Findable(tell("{name} · setting at {station}", name=name, station=tell(station.title)), run)
                )
    return [*commands, *places, *(Findable(text, run) for text, run in files), *settings]


def _both(first: Callable[[], object], then: Callable[[], object]) -> None:
    first()
    then()
