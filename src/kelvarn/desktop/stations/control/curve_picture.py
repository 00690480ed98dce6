"""The curve picture: temperature across, drive up; the curve with its corners, and the run drawn over it."""

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import pyqtgraph as pg  # type: ignore[import-untyped]
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.charts.plot import Plot, PlotHandle, hatched, line
from kelvarn.desktop.fields.plain import small
from kelvarn.desktop.lanes.edits import Drags
from kelvarn.desktop.lanes.scene import Scene, quantity_name
from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.engine.laws import static_curve
from kelvarn.engine.laws.static import Corner, Line, StaticCurve
from kelvarn.engine.run import Run
from kelvarn.model.drives import Fan
from kelvarn.sentence import figures
from kelvarn.units import Quantity, Scale, from_shown, show, to_shown

from .cards import MANY_STARTS_PER_H

_T = Quantity.TEMPERATURE
_MOST_POINTS = 6000
_LEAST_K = 10.0  # width of what is shown
_ROOM = 0.08  # of the width, left beside what is shown
_STEP_K, _STEP_DRIVE = 0.1, 1.0  # of arrow keys: in the unit shown, and in per cent


@dataclass(frozen=True)
class _Span:
    """What the picture shows, in degC, and its lowest drive."""

    low: float
    high: float
    lowest_drive: float


class CurvePicture(QWidget):
    """A curve and its corners. It holds no state of the project's.

    Args:
        document: where drags become edits.
        drags: makes them.
    """

    def __init__(self, document: Document, drags: Drags) -> None:
        super().__init__()
        self._document, self._drags = document, drags
        self._scene: Scene | None = None
        self._span: _Span | None = None
        self._held = False
        self._followed: float | None = None
        self.handles: list[PlotHandle] = []
        self.plot = Plot(tell("Curve picture: drive over temperature"))
        self.title = small(bold=True)
        self.says = small(role="gold")
        hint = small(tell("drag the corners; ⇧ moves the edge at which a step is left; thin line: the run"))
        self._dot = pg.ScatterPlotItem(size=9)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.title)
        layout.addWidget(self.plot, 1)
        layout.addWidget(self.says)
        layout.addWidget(hint)
        self.setMinimumWidth(200)

    def show_scene(self, scene: Scene) -> None:
        """Show the selected candidate's curve and its run."""
        self._scene = scene
        if scene.selected is None:
            return
        law, run = scene.selected.candidate.controller, scene.result.run if scene.result is not None else None
        setpoint, way = scene.trial.plan.last_degC, scene.project.rig.way
        if not self._held or self._span is None:
            self._span = _span_of(scene, run)
        span = self._span
        found = static_curve(law, setpoint, way, span.low, span.high)
        self.title.setText(
            tell(
                "Drive over {quantity}",
                quantity=quantity_name(scene.project.rig, scene.scale, tell("what is read")),
            )
        )
        self.plot.clear()
        self.plot.dress()
        self._grounds(scene, span)
        self._followed = setpoint if found is not None and found.follows else None
        if run is not None:
            self._draw_run(run, self._followed, scene.scale)
        if found is None:
            self.says.setText(
                tell(
                    "{strategy} has no curve of its own: its integral moves it.",
                    strategy=scene.selected.candidate.strategy,
                )
            )
            self.says.show()
        else:
            self._draw_curve(found, scene)
            self._say(scene)
        self._place_handles(() if found is None else found.corners, scene)
        low, high = (to_shown(x, _T, scene.scale) for x in (span.low, span.high))
        self.plot.setXRange(low, high, padding=0)
        self.plot.setYRange(100 * span.lowest_drive - 4, 107, padding=0)
        self.plot.addItem(self._dot)

    def show_cursor(self, time_s: float) -> None:
        """Where the run is at an instant."""
        result = self._scene.result if self._scene is not None else None
        if self._scene is None or result is None:
            self._dot.setData([], [])
            return
        run = result.run
        k = run.sample_at(time_s)
        degC = to_shown(float(_seen(run, self._followed)[k]), _T, self._scene.scale)
        self._dot.setData(
            [degC], [100 * float(run.drive[k])], pen=line("ink", 1.4), brush=theme.current().color("panel")
        )

    def _grounds(self, scene: Scene, span: _Span) -> None:
        """Where a fan stands still, and beyond which temperature something suffers."""
        rig, scale = scene.project.rig, scene.scale
        for drive in rig.drives:
            if isinstance(drive, Fan) and drive.stalls_below > 0:
                ground = pg.LinearRegionItem(
                    (0, 100 * drive.stalls_below), "horizontal", movable=False, pen=line("hairline"),
                    brush=theme.current().color("hairline", 0.5),
                )  # fmt: skip
                self.plot.addItem(ground)
                said = tell("stalls below {duty}", duty=show(drive.stalls_below, Quantity.DRIVE))
                self._text(said, to_shown(span.low, _T, scale), 100 * drive.stalls_below, "muted", (0, 0))
        body = rig.all_bodies[rig.body_index(rig.probe.body)]
        if body.limit_degC is not None and body.limit_degC < span.high:
            ground = pg.LinearRegionItem(
                (to_shown(body.limit_degC, _T, scale), to_shown(span.high, _T, scale)), movable=False,
                pen=line("ember"), brush=hatched("ember"),
            )  # fmt: skip
            self.plot.addItem(ground)

    def _text(self, text: str, x: float, y: float, color: str, anchor: tuple[float, float]) -> None:
        item = pg.TextItem(text, color=theme.current().color(color), anchor=anchor)
        item.setFont(theme.font("small"))
        item.setPos(x, y)
        self.plot.addItem(item)

    def _draw_run(self, run: Run, setpoint_degC: float | None, scale: Scale) -> None:
        """The run; of a law that follows the setpoint by its distance from it, as if it had always been this one."""
        every = max(1, run.time_s.size // _MOST_POINTS)
        degrees = np.array([to_shown(0.0, _T, scale), to_shown(1.0, _T, scale)])
        shown = degrees[0] + (degrees[1] - degrees[0]) * _seen(run, setpoint_degC)[::every]
        self.plot.plot(shown, 100 * run.drive[::every], pen=line("ink", 1.0, alpha=0.55), stepMode=None)

    def _draw_curve(self, found: StaticCurve, scene: Scene) -> None:
        assert scene.selected is not None
        color = theme.current().candidate(scene.selected.index)
        for corners, dashed in ((found.falling, True), (found.rising, False)):
            if corners:
                pen = pg.mkPen(color, width=1.2 if dashed else 2.2)
                if dashed:
                    pen.setDashPattern([3.0, 3.0])
                x, y = _shown(corners, scene.scale)
                self.plot.plot(x, y, pen=pen)

    def _say(self, scene: Scene) -> None:
        starts = None if scene.result is None else scene.result.measures.values["steps_per_h"]
        hunts = starts is not None and starts > MANY_STARTS_PER_H
        self.says.setText(
            tell("hunts: {starts} starts of a step /h", starts=figures(f"{starts:.0f}", "")) if hunts else ""
        )
        self.says.setVisible(hunts)

    def _place_handles(self, corners: tuple[Corner, ...], scene: Scene) -> None:
        names = [corner.name for corner in corners]
        if names != [handle.accessibleName() for handle in self.handles]:
            for handle in self.handles:
                handle.hide()
                handle.deleteLater()
            self.handles = []
            for place, corner in enumerate(corners):
                handle = PlotHandle(self.plot, corner.name, (_STEP_K, _STEP_DRIVE))
                handle.begun.connect(self._begin)
                handle.dragged.connect(partial(self._drag, place))
                handle.ended.connect(self._end)
                handle.show()
                self.handles.append(handle)
        for handle, corner in zip(self.handles, corners, strict=True):
            handle.color = theme.current().color("panel")
            handle.put(to_shown(corner.degC, _T, scene.scale), 100 * corner.drive)
            handle.raise_()

    def _begin(self) -> None:
        self._held = True
        self._document.begin_stroke()

    def _drag(self, place: int, x: float, y: float, back: bool) -> None:
        scene, span = self._scene, self._span
        if scene is None or span is None or scene.selected is None:
            return
        law, setpoint = scene.selected.candidate.controller, scene.trial.plan.last_degC
        found = static_curve(law, setpoint, scene.project.rig.way, span.low, span.high)
        if found is None or place >= len(found.corners):
            return
        degC = from_shown(x, _T, scene.scale)
        self._drags.curve_corner(found.corners[place], scene.selected.index, setpoint, degC, y / 100, back=back)

    def _end(self, counts: bool) -> None:
        self._held = False
        if counts:
            self._document.end_stroke()
        else:
            self._document.abort_stroke()


def _seen(run: Run, setpoint_degC: float | None) -> Any:
    """What was read at each sample, in degC; with a setpoint as far from it as it was from the one of its time."""
    return run.measured_degC if setpoint_degC is None else run.measured_degC - run.setpoint_degC + setpoint_degC


def _shown(corners: Line, scale: Scale) -> tuple[list[float], list[float]]:
    return [to_shown(degC, _T, scale) for degC, _ in corners], [100 * drive for _, drive in corners]


def _span_of(scene: Scene, run: Run | None) -> _Span:
    """All that matters: the corners, the run, and the limit where it is near."""
    assert scene.selected is not None
    law, setpoint = scene.selected.candidate.controller, scene.trial.plan.last_degC
    way = scene.project.rig.way
    marks = [setpoint]
    found = static_curve(law, setpoint, way, setpoint - 1.0, setpoint + 1.0)
    if found is not None:
        marks += [corner.degC for corner in found.corners]
        marks += [degC for degC, _ in (*found.rising[1:-1], *found.falling[1:-1])]
    # Of a cold start no more is shown than the curve is wide.
    low, high = min(marks), max(marks)
    width = max(high - low, _LEAST_K)
    if run is not None:
        seen = _seen(run, setpoint if found is not None and found.follows else None)
        low = min(low, max(float(seen.min()), low - width))
        high = max(high, min(float(seen.max()), high + width))
    body = scene.project.rig.all_bodies[scene.project.rig.body_index(scene.project.rig.probe.body)]
    if body.limit_degC is not None and body.limit_degC - high < width / 2:
        high = max(high, body.limit_degC)
    room = max(_ROOM * (high - low), 2.0)
    lowest: Any = getattr(law, "low", 0.0)
    return _Span(low - room, high + room, -1.0 if way.both and (law.switches or lowest < 0) else 0.0)
