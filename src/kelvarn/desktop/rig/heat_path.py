"""The heat path: the rig as a drawing with heat flowing through it, at the cursor's time."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QFrame, QGraphicsScene, QGraphicsView

from kelvarn.desktop import theme
from kelvarn.desktop.keys import place_step
from kelvarn.engine.flows import Flows
from kelvarn.engine.run import Run
from kelvarn.model.drives import heated_body
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, show

from .ends import draw_off_ends, link_ends
from .items import ArrowItem, BodyItem, DriveItem, LeadItem, PartItem, ProbeItem, WallItem, temperature_text
from .keys import SURROUNDINGS, key_of, known_keys
from .places import Places, place

KINDS = {"relay": "relay", "slow_window": "window", "pwm": "PWM", "fan": "fan", "valve": "valve"}
_LETTERS = {"control": "P", "guard": "G", "watch": "W"}
_LABEL_WIDTH, _LABEL_HEIGHT = 58.0, 15.0
_PROBE_ROOM = 180.0


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
        self._into: dict[int, ArrowItem] = {}
        self.setScene(QGraphicsScene(self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.setMinimumHeight(200)
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

    def labels(self) -> list[QRectF]:
        """Where all watts, and the names of probes, stand; for checks that none lies on another."""
        arrows = [item.label for item in self.scene().items() if isinstance(item, ArrowItem)]
        return arrows + [item.text_rect() for item in self._parts.values() if isinstance(item, ProbeItem)]

    def _build(self) -> None:
        assert self._rig is not None
        rig, scene = self._rig, self.scene()
        scene.clear()
        self._parts, self._into = {}, {}
        scene.setSceneRect(QRectF(0, 0, self.viewport().width(), self.viewport().height()))
        scene.setBackgroundBrush(theme.current().color("panel"))
        places = place(rig, self.viewport().width(), self.viewport().height())
        for body in rig.all_bodies:
            capacity = show(body.capacity_J_per_K, Quantity.CAPACITY) if rig.response is None else "by its answer"
            above = places.named_above[body.name]
            self._add(BodyItem(body.name, places.bodies[body.name], self._select, capacity, named_above=above))
        for k, drive in enumerate(rig.drives):
            item = DriveItem(key_of("drive", k), places.drives[k], self._select, drive.name, KINDS[drive.kind])
            self._add(item)
            heated = heated_body(drive)
            if heated is not None:
                self._arrow(key_of("drive", k), *_drive_ends(places.drives[k], places.bodies[heated]), into=k)
        self._add(WallItem(SURROUNDINGS, places.wall, self._select))
        self._add_probes(rig, places)
        for k, link in enumerate(rig.all_links):
            arrow = self._arrow(key_of("link", k), *link_ends(link.a, link.b, places))
            arrow.setToolTip(f"{link.a} – {link.b}: {show(link.conductance_W_per_K, Quantity.CONDUCTANCE)}")
            if link.driven_by is not None:
                lead = places.drives[rig.drive_index(link.driven_by)]
                scene.addItem(LeadItem(QPointF(lead.right(), lead.center().y()), arrow.rect.center()))
        for k, draw_off in enumerate(rig.draw_offs):
            arrow = self._arrow(key_of("draw_off", k), *draw_off_ends(places.bodies[draw_off.body]))
            arrow.setToolTip(draw_off.name)
        self._place_labels(places)
        self._fill()

    def _arrow(self, key: str, start: QPointF, end: QPointF, into: int | None = None) -> ArrowItem:
        arrow = ArrowItem(key, start, end, self._select)
        arrow.selected = key == self._selected
        if into is None:
            self._parts[key] = arrow
        else:
            self._into[into] = arrow
        self.scene().addItem(arrow)
        return arrow

    def _add_probes(self, rig: Rig, places: Places) -> None:
        """Probes below their bodies, side by side where several sit in one."""
        at: list[QPointF] = []
        for k, probe in enumerate(rig.probes):
            beside = [j for j, other in enumerate(rig.probes) if other.body == probe.body]
            body = places.bodies[probe.body]
            share = (beside.index(k) + 1) / (len(beside) + 1)
            at.append(QPointF(body.left() + share * body.width(), body.bottom()))
        stubs = self._stubs(rig, places)
        for k, probe in enumerate(rig.probes):
            # Its text ends where another probe's ring, a short arrow out of a vessel, or the edge of the picture is.
            row = [p.x() for p in at if p != at[k] and abs(p.y() - at[k].y()) < 44]
            short = [p.x() for p in stubs if abs(p.y() - at[k].y()) < 44]
            taken = [x + 12 for x in row if x < at[k].x()] + [x + _LABEL_WIDTH + 4 for x in short if x < at[k].x()]
            left = at[k].x() - 22 - max(taken, default=4.0)
            right = min((x - 12 for x in (*row, *short) if x > at[k].x()), default=places.wall.left()) - at[k].x() - 22
            on_left = left >= min(_PROBE_ROOM, right)
            room = min(_PROBE_ROOM, max(left, right, 20.0))
            reads = f"read every {show(probe.interval_s, Quantity.DURATION)}"
            note = f"lag {show(probe.lag_s, Quantity.DURATION)}, {reads if probe.role == 'control' else probe.role}"
            beside = [j for j, other in enumerate(rig.probes) if other.body == probe.body]
            place_in_row = beside.index(k)
            if len(beside) > 1:
                # The first one's text stands beside it, the others' below: left, right; then there is no room.
                note = ""
                if place_in_row > 0:
                    on_left = place_in_row == 1
                    room = [min(_PROBE_ROOM, at[k].x() + 6), min(_PROBE_ROOM, places.wall.left() - at[k].x()), 0.0][
                        min(place_in_row, 3) - 1
                    ]
            key, letter = key_of("probe", k), _LETTERS[probe.role]
            item = ProbeItem(
                key, at[k], self._select, probe.name, note, letter, room, on_left=on_left, below=place_in_row > 0
            )
            self._add(item)

    @staticmethod
    def _stubs(rig: Rig, places: Places) -> list[QPointF]:
        """Where short arrows only lead out of a vessel."""
        ends = [link_ends(link.a, link.b, places) for link in rig.all_links]
        ends += [draw_off_ends(places.bodies[draw_off.body]) for draw_off in rig.draw_offs]
        return [a for a, b in ends if abs(a.x() - b.x()) < 1 and abs(a.y() - b.y()) < 30]

    def _add(self, item: PartItem) -> None:
        item.selected = item.key == self._selected
        item.setToolTip(item.key.strip())
        self._parts[item.key] = item
        self.scene().addItem(item)

    def _place_labels(self, places: Places) -> None:
        """Give each arrow's watts a place where they lie on nothing else, as far as there is one."""
        taken = [r.adjusted(-4, -22 if places.named_above[name] else -2, 4, 2) for name, r in places.bodies.items()]
        taken += [r.adjusted(-2, -22, 2, 2) for r in places.drives]
        taken += [QRectF(places.wall.left(), 0, 200, 2000)]
        for item in self._parts.values():
            if isinstance(item, ProbeItem):
                taken += [item.text_rect(), item.rect.adjusted(-2, -18, 2, 2)]
        inside = self.scene().sceneRect()
        assert self._rig is not None
        arrows = [*self._into.values(), *(item for item in self._parts.values() if isinstance(item, ArrowItem))]
        for arrow in arrows:
            tall = _LABEL_HEIGHT + (14 if self._noted(arrow.key) else 0)
            choices = arrow.places(_LABEL_WIDTH, tall)
            free = [r for r in choices if inside.contains(r) and not any(r.intersects(other) for other in taken)]
            arrow.label = free[0] if free else min(choices, key=lambda r: sum(_overlap(r, other) for other in taken))
            taken.append(arrow.label)

    def _noted(self, key: str) -> bool:
        """Whether more than watts stands at an arrow."""
        assert self._rig is not None
        driven = [key_of("link", k) for k, link in enumerate(self._rig.all_links) if link.driven_by is not None]
        return key in driven or key.startswith(key_of("draw_off", 0)[:-1])

    def _fill(self) -> None:
        run, rig = self._run, self._rig
        if run is None or rig is None or not _alike(run.rig, rig):
            return
        flows = Flows(run, self._sample)
        setpoint = float(run.setpoint_degC[flows.sample])
        top = max(float(run.bodies_degC.max()), setpoint)
        bottom = min(float(run.bodies_degC.min()), flows.outside_degC)
        band = max(run.trial.band_K, 0.5)
        span = max(top - bottom, 1e-9)
        for body in run.rig.all_bodies:
            item = self._parts[body.name]
            assert isinstance(item, BodyItem)
            value = flows.degC[body.name]
            item.temperature = temperature_text(value, self._scale)
            item.share = (value - bottom) / span
            item.limit_share = None if body.limit_degC is None else (body.limit_degC - bottom) / span
            molten = flows.molten(body)
            item.note = f"{100 * molten:.0f} % molten" if molten is not None and 0 < molten < 1 else ""
            item.tint = "ember" if value > setpoint + band else "glacier" if value < setpoint - band else "moss"
            if body.limit_degC is not None and value > body.limit_degC:
                item.tint = "ember"
            item.update()
        for k in range(len(run.rig.drives)):
            item = self._parts[key_of("drive", k)]
            assert isinstance(item, DriveItem)
            item.power = flows.drive_text(k)
            item.update()
        for k in range(len(run.rig.probes)):
            probe = self._parts[key_of("probe", k)]
            assert isinstance(probe, ProbeItem)
            probe.temperature = temperature_text(float(run.probes_degC[k, flows.sample]), self._scale)
            probe.update()
        wall = self._parts[SURROUNDINGS]
        assert isinstance(wall, WallItem)
        wall.temperature = temperature_text(flows.outside_degC, self._scale)
        wall.update()
        self._fill_arrows(run, flows)

    def _fill_arrows(self, run: Run, flows: Flows) -> None:
        full = max((drive.power_W for drive in run.rig.drives if heated_body(drive) is not None), default=0.0)
        full = full or max((abs(flows.link_W(k)) for k in range(len(run.rig.all_links))), default=1.0)
        for k, arrow in self._into.items():
            arrow.set_watts(float(run.drives_W[k, flows.sample]), full)
        for k, link in enumerate(run.rig.all_links):
            arrow = self._parts[key_of("link", k)]  # type: ignore[assignment]
            note = "" if link.driven_by is None else f"{link.driven_by} {flows.flow_text(link.driven_by)}"
            arrow.set_watts(flows.link_W(k), full, note)
        for k, draw_off in enumerate(run.rig.draw_offs):
            arrow = self._parts[key_of("draw_off", k)]  # type: ignore[assignment]
            arrow.set_watts(flows.drawn_W(draw_off), full, draw_off.name)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.rebuild()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self._remove()
            return
        step = place_step(event)
        if step is None or self._rig is None:
            super().keyPressEvent(event)
            return
        keys = [key for key in known_keys(self._rig) if key in self._parts]
        at = keys.index(self._selected) if self._selected in keys else 0
        self._select(keys[(at + step) % len(keys)])


def _alike(one: Rig, other: Rig) -> bool:
    """Whether a run's rig has the parts that are drawn."""
    counts = [(len(r.drives), len(r.probes), len(r.all_links), len(r.draw_offs), r.body_names) for r in (one, other)]
    return counts[0] == counts[1]


def _overlap(a: QRectF, b: QRectF) -> float:
    common = a.intersected(b)
    return common.width() * common.height()


def _drive_ends(drive: QRectF, body: QRectF) -> tuple[QPointF, QPointF]:
    """From a drive to its body: level where both reach, else slanting."""
    high, low = max(drive.top(), body.top()) + 8, min(drive.bottom(), body.bottom()) - 8
    if low > high:
        return QPointF(drive.right() + 3, (high + low) / 2), QPointF(body.left() - 3, (high + low) / 2)
    inside = min(max(drive.center().y(), body.top() + 10), body.bottom() - 10)
    return QPointF(drive.right() + 3, drive.center().y()), QPointF(body.left() - 3, inside)
