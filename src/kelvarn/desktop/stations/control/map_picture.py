"""The gain map of the selected candidate, computed level by level; candidates of its law lie on it to be dragged."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.charts.map_plot import MapPlot
from kelvarn.desktop.charts.plot import PlotHandle, of_curve
from kelvarn.desktop.fields.plain import Choice, small
from kelvarn.desktop.lanes.edits import Drags
from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.run import current_go_on
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import Path, value_at
from kelvarn.model.mark import Mark
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.gain_map import SIZE, GainMap, MapError, axis_of, begun, refine, settings_of, usual_axes
from kelvarn.units import Scale

_CHANNEL = "gain map"
_MOST_HEIGHT = 340
_KEY_STEP = 0.25  # points of the map that an arrow key moves a candidate


@dataclass(frozen=True)
class _Wanted:
    """What a map is of: a law, of which the two settings that it runs through do not count."""

    rig: Rig
    trial: Trial
    law: Controller
    paths: tuple[Path, Path]

    def same_as(self, other: "_Wanted | None") -> bool:
        """Whether a map of one is a map of the other."""
        if other is None or (self.rig, self.trial, self.paths) != (other.rig, other.trial, other.paths):
            return False
        return self._fixed() == other._fixed()

    def _fixed(self) -> dict[str, Any]:
        found = self.law.model_dump()
        for *way, last in self.paths:
            part: Any = found
            for step in way:
                part = part[step]
            part[last] = None
        return found


class MapPicture(QWidget):
    """See the module. It holds no state of the project's, but which two settings and which measure are looked at.

    Args:
        document, drags: where drags become edits, and what makes them.
        jobs: computes.
        select: selects a candidate by its name.
    """

    def __init__(self, document: Document, drags: Drags, jobs: Jobs, select: Callable[[str], None]) -> None:
        super().__init__()
        self._document, self._drags, self._jobs, self._select = document, drags, jobs, select
        self._project: Project | None = None
        self._trial: Trial | None = None
        self._law: Controller | None = None
        self._index, self._scale = 0, Scale.CELSIUS
        self._wanted: _Wanted | None = None
        self._paths: tuple[Path, Path] | None = None
        self._measure: Mark | None = None
        self._held = False
        self.map: GainMap | None = None
        self.handles: list[PlotHandle] = []
        self._fault = ""
        self._drawn: object = None
        self.drawing = MapPlot()
        self.across, self.up, self.measure = (
            _choice(name) for name in (tell("Across"), tell("Up"), tell("Colour: measure"))
        )
        self.across.activated.connect(lambda _: self._choose())
        self.up.activated.connect(lambda _: self._choose())
        self.measure.activated.connect(lambda _: self._choose_measure(self.measure.currentData()))
        choices = QGridLayout()
        choices.setSpacing(4)
        for row, (title, box) in enumerate(
            (
                (tell("colour"), self.measure),
                (tell("across"), self.across),
                (tell("up"), self.up),
            )
        ):
            choices.addWidget(small(title), row, 0)
            choices.addWidget(box, row, 1)
        choices.setColumnStretch(1, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 0, 12, 8)
        layout.setSpacing(4)
        layout.addLayout(choices)
        layout.addWidget(self.drawing, 1)
        self.setMaximumHeight(_MOST_HEIGHT)

    def show_state(self, project: Project, trial: Trial, index: int, scale: Scale) -> None:
        """Show the map of a candidate as far as it is known. Asks for nothing to be computed."""
        self._project, self._trial, self._index, self._scale = project, trial, index, scale
        law = project.candidates[index].controller
        if self._law is None or settings_of(law) != settings_of(self._law):
            self._offer(law)
        self._law = law
        self._draw()

    def request(self) -> None:
        """Compute what is missing of the map of the state shown."""
        project, trial, law = self._project, self._trial, self._law
        if project is None or trial is None or law is None or self._held:
            return
        if self._paths is None:
            self._forget(tell("{strategy} has fewer than two settings to map.", strategy=law.strategy))
            return
        x, y = self._paths
        try:
            wanted = _Wanted(project.rig, trial, law, (x, y))
            if self.map is not None and wanted.same_as(self._wanted) and self._inside(law, self.map):
                return
            made = begun(project.rig, trial, axis_of(law, x), axis_of(law, y))
        except MapError as error:
            self._forget(str(error))
            return
        self.map, self._fault = made, ""
        self._wanted = wanted
        self._offer_measures(made)
        self._refine()

    def stop(self) -> None:
        """Compute no further; what is missing is computed when it is asked for again."""
        self._jobs.stop(_CHANNEL)
        if self.map is not None and not self.map.complete:
            self._wanted = None

    def _forget(self, why: str) -> None:
        self._jobs.stop(_CHANNEL)
        self.map = self._wanted = None
        self._fault = why
        self._draw()

    def _refine(self) -> None:
        known, wanted = self.map, self._wanted
        if known is None or wanted is None or known.complete:
            return

        def work() -> GainMap:
            return refine(known, wanted.rig, wanted.law, wanted.trial, current_go_on() or (lambda _: True))

        self._jobs.start(_CHANNEL, work, self._take)

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, GainMap)
        self.map = outcome
        self._draw()
        self._refine()

    @staticmethod
    def _inside(law: Controller, known: GainMap) -> bool:
        return all(axis.values[0] <= value_at(law, axis.path) <= axis.values[-1] for axis in (known.x, known.y))

    def _offer(self, law: Controller) -> None:
        """Settings to choose between."""
        settings = settings_of(law)
        if self._paths is None or any(path not in settings for path in self._paths):
            self._paths = usual_axes(law)
        for box, which in ((self.across, 0), (self.up, 1)):
            box.clear()
            for path in settings:
                box.addItem(axis_of(law, path).title, path)
            if self._paths is not None:
                box.setCurrentIndex(settings.index(self._paths[which]))

    def _offer_measures(self, known: GainMap) -> None:
        if self._measure not in known.refs:
            self._measure = next((ref for ref in known.refs if ref.measure == "settling_s"), known.refs[0])
        if [self.measure.itemData(k) for k in range(self.measure.count())] != list(known.refs):
            self.measure.clear()
            for ref in known.refs:
                self.measure.addItem(ref.title, ref)
        self.measure.setCurrentIndex(known.refs.index(self._measure))

    def _choose(self) -> None:
        x, y = self.across.currentData(), self.up.currentData()
        if x == y and self._paths is not None:  # both the same: they change places
            y, x = self._paths
        self._paths = (x, y)
        if self._law is not None:
            settings = settings_of(self._law)
            self.across.setCurrentIndex(settings.index(x))
            self.up.setCurrentIndex(settings.index(y))
        self._wanted = None
        self.request()
        self._draw()

    def _choose_measure(self, ref: Mark) -> None:
        self._measure = ref
        self._draw()

    def _draw(self) -> None:
        known = self.map
        if known is None or self._trial is None or self._measure is None or known.level == 0:
            self._place_handles(())
            self._drawn = None
            self.drawing.clear(self._fault or tell("computing …"))
            return
        drawn = (known, self._measure, self._scale, bool(self._trial.marks), theme.current())
        if drawn != self._drawn:  # a drag moves the candidates alone
            self._drawn = drawn
            self.drawing.draw(known, self._measure, self._scale, marks=bool(self._trial.marks))
        self._place_handles(self._points(known))

    def _points(self, known: GainMap) -> tuple[tuple[int, float, float], ...]:
        """Places in the list of candidates whose law has both settings, and where they lie."""
        assert self._project is not None
        found = []
        for k, candidate in enumerate(self._project.candidates):
            settings = settings_of(candidate.controller)
            if type(candidate.controller) is type(self._law) and known.x.path in settings and known.y.path in settings:
                x, y = (axis.place(float(value_at(candidate.controller, axis.path))) for axis in (known.x, known.y))
                if -0.5 <= x <= SIZE - 0.5 and -0.5 <= y <= SIZE - 0.5:
                    found.append((k, x, y))
        return tuple(sorted(found, key=lambda point: point[0] == self._index))

    def _place_handles(self, points: tuple[tuple[int, float, float], ...]) -> None:
        names = [self._project.candidates[k].name for k, _, _ in points] if self._project is not None else []
        if names != [handle.accessibleName() for handle in self.handles]:
            for handle in self.handles:
                handle.hide()
                handle.deleteLater()
            self.handles = []
            for name, (k, _, _) in zip(names, points, strict=True):
                handle = PlotHandle(self.drawing.plot, name, (_KEY_STEP, _KEY_STEP))
                handle.round = True
                handle.begun.connect(partial(self._begin, k))
                handle.dragged.connect(partial(self._drag, k))
                handle.ended.connect(self._end)
                handle.show()
                self.handles.append(handle)
        for handle, (k, x, y) in zip(self.handles, points, strict=True):
            handle.color = of_curve(k)
            handle.put(x, y)
            handle.raise_()

    def _begin(self, index: int) -> None:
        self._held = True
        assert self._project is not None
        self._document.begin_stroke()
        self._select(self._project.candidates[index].name)

    def _drag(self, index: int, x: float, y: float, _shift: bool) -> None:
        known = self.map
        if known is None:
            return
        for axis, place in ((known.x, x), (known.y, y)):
            self._drags.setting(index, axis.path, axis.value(place), axis.quantity, axis.title)

    def _end(self, counts: bool) -> None:
        self._held = False
        if counts:
            self._document.end_stroke()
        else:
            self._document.abort_stroke()


def _choice(name: str) -> Choice:
    made = Choice()
    made.setAccessibleName(name)
    made.setMinimumWidth(60)
    return made
