"""The guide's commands, and which page is shown for what has the focus."""

from collections.abc import Callable
from functools import partial
from importlib.resources import as_file, files
from pathlib import Path

from PySide6.QtWidgets import QApplication, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.parts.menus import Command, Menus
from kelvarn.desktop.stations.station import Station
from kelvarn.guide.pages import KEYS, page
from kelvarn.sentence import say

from .here import Here, here
from .keys import keys_table
from .viewer import Viewer


class Guide:
    """The guide of a window.

    Args:
        window: over which it stands.
        station: tells what is in sight; None with nothing open.
        take: takes a log.
    """

    def __init__(
        self, window: QWidget, station: Callable[[], Station | None], take: Callable[[list[Path]], object]
    ) -> None:  # fmt: skip
        self._window, self._station, self._take = window, station, take
        self.menus: Menus | None = None  # built of these commands too
        self._viewer: Viewer | None = None

    def commands(self, menu: str) -> list[Command]:
        """Help on what has the focus, and each page."""
        return [
            Command(menu, say("What has the focus, in the guide"), "F1", self.tell),
            *[Command(menu, f"Guide: {page(key).title}", "", partial(self.show, key)) for key in KEYS],
            Command(menu),
        ]

    def places(self) -> list[tuple[str, Callable[[], object]]]:
        """What can be found of it: sections of its words."""
        return [(f"{title} · guide", partial(self.show, "words", title)) for title in page("words").sections]

    @property
    def viewer(self) -> Viewer:
        """Its window, made when it is first asked for."""
        if self._viewer is None:
            table = keys_table(self.menus) if self.menus is not None else ""
            self._viewer = Viewer(self._window, table, self.open_log)
        return self._viewer

    def tell(self) -> None:
        """Tell of what has the focus."""
        self.viewer.tell(here(QApplication.focusWidget(), self._station()))

    def show(self, key: str, section: str = "") -> None:
        """Show a page."""
        self.viewer.tell(Here("", "", key, section))

    def new_look(self) -> None:
        """The theme is another one."""
        if self._viewer is not None:
            theme.dress(self._viewer)

    def open_log(self, name: str) -> None:
        """Open a log that goes with the pages."""
        with as_file(files("kelvarn.guide").joinpath("pages", name)) as path:
            self._take([path])
