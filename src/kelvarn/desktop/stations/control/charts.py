"""Charts under the settings, each folded out when it is wanted: the gain map, and the loop over frequency.

The library that draws them takes a second to import, which is why that waits until then.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import link
from kelvarn.desktop.lanes.edits import Drags
from kelvarn.desktop.language import tell
from kelvarn.desktop.stations.station import Context

from .folding import Folding

if TYPE_CHECKING:
    from .loop_picture import LoopPicture
    from .map_picture import MapPicture


class Charts(QWidget):
    """See the module.

    Args:
        context, drags: what they work on, and what makes edits of drags.
        ring: turns the gain up until it rings, over the strip.
    """

    def __init__(self, context: Context, drags: Drags, ring: Callable[[], object]) -> None:
        super().__init__()
        self._context, self._drags = context, drags
        self.map_fold, self.loop_fold = Folding(self._make_map), Folding(self._make_loop)
        self.map_button = link(
            tell("gain map"),
            self.toggle_map,
            tell("Two settings over each other, and where all marks are met (Ctrl+G)"),
        )
        self.loop_button = link(tell("loop"), self.toggle_loop, tell("Loop gain and sensitivity over frequency"))
        tip = tell("Turn the gain up until it oscillates, each run over the strip; once more takes them away")
        self.ring_button = link(tell("until it oscillates"), ring, tip)
        row = QHBoxLayout()
        for button in (self.map_button, self.loop_button, self.ring_button):
            row.addWidget(button)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addWidget(self.map_fold)
        layout.addWidget(self.loop_fold)
        self._name()

    @property
    def map(self) -> "MapPicture":
        """The gain map."""
        made: MapPicture = self.map_fold.made()
        return made

    @property
    def loop(self) -> "LoopPicture":
        """Loop gain and sensitivity."""
        made: LoopPicture = self.loop_fold.made()
        return made

    def _make_map(self) -> QWidget:
        from .map_picture import MapPicture

        context = self._context
        return MapPicture(context.document, self._drags, context.runner.jobs, context.view.select)

    def _make_loop(self) -> QWidget:
        from .loop_picture import LoopPicture

        return LoopPicture(self._context.runner.jobs)

    def toggle_map(self) -> None:
        """Fold the gain map out or in."""
        self._toggle(self.map_fold)

    def toggle_loop(self) -> None:
        """Fold the loop over frequency out or in."""
        self._toggle(self.loop_fold)

    def _toggle(self, chosen: Folding) -> None:
        """Fold one out, or in where it is out; there is room for one of them."""
        for fold in (self.map_fold, self.loop_fold):
            if fold.isVisible():
                fold.made().stop()
                fold.unfold(False)
            elif fold is chosen:
                fold.unfold(True)
        self._name()
        self.request()

    def _name(self) -> None:
        for button, fold, name in (
            (self.map_button, self.map_fold, tell("gain map")), (self.loop_button, self.loop_fold, tell("loop")),
        ):  # fmt: skip
            button.setText(f"{name} ▸" if fold.isHidden() else f"{name} ▾")

    def request(self) -> None:
        """Ask for what is folded out."""
        self.refresh()
        if self.map_fold.isVisible():
            self.map.request()
        if self.loop_fold.isVisible():
            project, view = self._context.document.project, self._context.view
            self.loop.request(project.rig, view.candidate(project).controller, view.trial(project).plan.last_degC)

    def refresh(self) -> None:
        """Show what is known of the present state."""
        project, view = self._context.document.project, self._context.view
        if self.map_fold.isVisible():
            self.map.show_state(project, view.trial(project), view.candidate_index(project), view.scale)

    def new_look(self) -> None:
        """The theme is another one."""
        self.refresh()
        if self.loop_fold.isVisible():
            self.loop.draw()
