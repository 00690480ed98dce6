"""The heat path: the rig as a drawing with heat flowing through it, at the cursor's time."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QFrame, QGraphicsScene, QGraphicsView

from kelvarn.desktop import theme
from kelvarn.desktop.keys import place_step
from kelvarn.engine.run import Run
from kelvarn.model.drives import heated_body
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, show

from .items import ArrowItem, BodyItem, DriveItem, PartItem, ProbeItem, WallItem, temperature_text
from .places import Places, place

_KINDS = {"relay": "relay", "slow_window": "window", "pwm": "PWM"}


class HeatPath(QGraphicsView):
    """Draws a rig; a click, or the arrow keys, select a part.

    Args:
        select: told the key of a part that is clicked.
        remove: removes the selected part; the Delete key.
    """

    def __init__(self, select: Callable[[str], None], remove: Callable[[], object]) -> None:
        super().__init__()
        self._select, self._remove = select, remove
        self._rig: Rig | None = None
        self._scale = Scale.CELSIUS
        self._selected = ""
        self._run: Run | None = None
        self._sample = 0
        self._parts: dict[str, PartItem] = {}
        self._arrows: list[tuple[ArrowItem, str, str, float]] = []
        self._drive_arrow: ArrowItem | None = None
        self.setScene(QGraphicsScene(self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.setMinimumHeight(230)
        self.setAccessibleName("Heat path")

    def show_rig(self, rig: Rig, selected: str, scale: Scale) -> None:
        """Show a rig; items are made anew only where it is another one."""
        same = (rig, selected, scale) == (self._rig, self._selected, self._scale)
        self._rig, self._selected, self._scale = rig, selected, scale
        if not same or not self._parts:
            self._build()

    def show_run(self, run: Run | None, sample: int) -> None:
        """Show temperatures and watts of a run at a sample."""
        self._run, self._sample = run, sample
        self._fill()

    def rebuild(self) -> None:
        """Draw everything anew: the theme or the size changed."""
        if self._rig is not None:
            self._build()

    def part(self, key: str) -> PartItem:
        """The item of a part, by its key."""
        return self._parts[key]

    def _build(self) -> None:
        assert self._rig is not None
        rig, scene = self._rig, self.scene()
        scene.clear()
        self._parts, self._arrows = {}, []
        scene.setSceneRect(QRectF(0, 0, self.viewport().width(), self.viewport().height()))
        scene.setBackgroundBrush(theme.current().color("panel"))
        places = place(rig, self.viewport().width(), self.viewport().height())
        for body in rig.all_bodies:
            capacity = show(body.capacity_J_per_K, Quantity.CAPACITY)
            self._add(
                BodyItem(
                    body.name,
                    places.bodies[body.name],
                    self._select,
                    capacity,
                    named_above=places.named_above[body.name],
                )
            )
        self._add(DriveItem(places.drive, self._select, rig.drive.name, _KINDS[rig.drive.kind]))
        self._add(WallItem(places.wall, self._select))
        probe = rig.probe
        note = f"lag {show(probe.lag_s, Quantity.DURATION)}, read every {show(probe.interval_s, Quantity.DURATION)}"
        self._add(ProbeItem(places.bodies[probe.body], self._select, probe.name, note))
        heated = places.bodies[(heated_body(rig.drive) or rig.probe.body)]
        self._drive_arrow = ArrowItem(
            QPointF(places.drive.right() + 3, places.drive.center().y()),
            QPointF(heated.left() - 3, heated.center().y()),
        )
        scene.addItem(self._drive_arrow)
        for link in rig.all_links:
            start, end = _ends(link.a, link.b, places)
            arrow = ArrowItem(start, end)
            arrow.setToolTip(f"{link.a} – {link.b}: {show(link.conductance_W_per_K, Quantity.CONDUCTANCE)}")
            scene.addItem(arrow)
            self._arrows.append((arrow, link.a, link.b, link.conductance_W_per_K))
        self._fill()

    def _add(self, item: PartItem) -> None:
        item.selected = item.key == self._selected
        item.setToolTip(item.key)
        self._parts[item.key] = item
        self.scene().addItem(item)

    def _fill(self) -> None:
        run, rig = self._run, self._rig
        if run is None or rig is None or [b.name for b in run.rig.all_bodies] != [b.name for b in rig.all_bodies]:
            return
        k = min(self._sample, run.time_s.size - 1)
        time_s = float(run.time_s[k])
        outside = run.surroundings_at(time_s)
        degC = {body.name: float(run.bodies_degC[i, k]) for i, body in enumerate(run.rig.all_bodies)}
        degC[SURROUNDINGS] = outside
        setpoint = float(run.setpoint_degC[k])
        top = max(float(run.bodies_degC.max()), setpoint)
        bottom = min(float(run.bodies_degC.min()), outside)
        band = max(run.trial.band_K, 0.5)
        for name, item in self._parts.items():
            if isinstance(item, BodyItem):
                value = degC[name]
                item.temperature = temperature_text(value, self._scale)
                item.share = (value - bottom) / max(top - bottom, 1e-9)
                item.tint = "ember" if value > setpoint + band else "glacier" if value < setpoint - band else "moss"
            elif isinstance(item, DriveItem):
                item.power = show(abs(float(run.power_W[k])), Quantity.POWER)
            elif isinstance(item, WallItem):
                item.temperature = temperature_text(outside, self._scale)
            elif isinstance(item, ProbeItem):
                item.temperature = temperature_text(float(run.measured_degC[k]), self._scale)
            item.update()
        full = run.rig.drive.power_W
        for arrow, a, b, conductance in self._arrows:
            body = a if b == SURROUNDINGS else b if a == SURROUNDINGS else None
            door = run.door_at(body, SURROUNDINGS, time_s) if body is not None else 0.0
            arrow.set_watts((conductance + door) * (degC[a] - degC[b]), full)
        if self._drive_arrow is not None:
            self._drive_arrow.set_watts(float(run.power_W[k]), full)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.rebuild()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self._remove()
            return
        keys = list(self._parts)
        step = place_step(event)
        if step is None or not keys:
            super().keyPressEvent(event)
            return
        at = keys.index(self._selected) if self._selected in keys else 0
        self._select(keys[(at + step) % len(keys)])


def _ends(a: str, b: str, places: Places) -> tuple[QPointF, QPointF]:
    """Where the arrow of a link begins and ends: from edge to edge, straight across where columns differ."""
    if SURROUNDINGS in (a, b):
        out, wall = _loss_ends(places.bodies[a if b == SURROUNDINGS else b], places)
        return (out, wall) if b == SURROUNDINGS else (wall, out)
    first, second = places.bodies[a], places.bodies[b]
    if abs(first.center().x() - second.center().x()) < 5:  # one above the other
        upper, lower = (first, second) if first.top() < second.top() else (second, first)
        top, bottom = QPointF(upper.center().x(), upper.bottom() + 2), QPointF(lower.center().x(), lower.top() - 22)
        return (top, bottom) if upper is first else (bottom, top)
    left, right = (first, second) if first.left() < second.left() else (second, first)
    # At a height that both reach if there is one, so that the arrow lies level.
    high, low = max(left.top(), right.top()) + 14, min(left.bottom(), right.bottom()) - 14
    level = (high + low) / 2
    y_left, y_right = (level, level) if low > high else (left.center().y(), right.center().y())
    start, end = QPointF(left.right() + 3, y_left), QPointF(right.left() - 3, y_right)
    return (start, end) if left is first else (end, start)


def _loss_ends(body: QRectF, places: Places) -> tuple[QPointF, QPointF]:
    """From a body straight to the wall, at a height where nothing stands in the way; else only out of the vessel."""
    between = [r.adjusted(0, -26, 0, 8) for r in places.bodies.values() if r.left() > body.right()]
    for level in (body.center().y(), body.bottom() - 14, body.top() + 14):
        if not any(r.top() < level < r.bottom() for r in between):
            return QPointF(body.right() + 3, level), QPointF(places.wall.left() - 3, level)
    x = body.right() - 16
    return QPointF(x, body.bottom() + 2), QPointF(x, body.bottom() + 18)
