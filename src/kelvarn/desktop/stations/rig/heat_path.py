"""The heat path: the rig as a drawing with heat flowing through it, at the cursor's time."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QFrame, QGraphicsScene, QGraphicsView

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.keyboard import place_step
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.desktop.parts.spoken import Role, Spoken
from kelvarn.engine.flows import Flows
from kelvarn.engine.run import Run
from kelvarn.model.fields import SURROUNDINGS as OUTSIDE
from kelvarn.model.rig import Rig
from kelvarn.sentence import figures
from kelvarn.units import Quantity, Scale, show

from .ends import all_link_ends, draw_off_ends, drive_ends, is_stub, lead_path
from .items import ArrowItem, BodyItem, DriveItem, LeadItem, PartItem, ProbeItem, WallItem, temperature_text
from .keys import SURROUNDINGS, key_of, known_keys, parse_key
from .places import Places, place
from .spots import LABEL_WIDTH, probe_spots

_LETTERS = {"control": "P", "guard": "G", "watch": "W"}
_LABEL_HEIGHT = 15.0


class HeatPath(QGraphicsView, Spoken):
    """Draws a rig; a click, or the arrow keys, select a part.

    Args:
        select: told the key of a part that is clicked.
        remove: removes the selected part; the Delete key.
    """

    role = Role.Chart

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
        self._outside: set[int] = set()  # links whose arrows cannot reach the wall
        self.setScene(QGraphicsScene(self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.setMinimumHeight(200)
        self.setAccessibleName(tell("Heat path"))
        self.viewport().setFocusPolicy(Qt.FocusPolicy.NoFocus)

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
            capacity = tell(show(body.capacity_J_per_K, Quantity.CAPACITY) if rig.response is None else "by its answer")
            above = places.named_above[body.name]
            self._add(BodyItem(body.name, places.bodies[body.name], self._select, capacity, named_above=above))
        for k, drive in enumerate(rig.drives):
            item = DriveItem(key_of("drive", k), places.drives[k], self._select, drive.name, tell(drive.brief))
            self._add(item)
            heated = drive.heated_body
            if heated is not None:
                self._arrow(key_of("drive", k), *drive_ends(places.drives[k], places.bodies[heated]), into=k)
        self._add(WallItem(SURROUNDINGS, places.wall, self._select))
        self._add_probes(rig, places)
        self._outside = set()
        for k, (link, ends) in enumerate(zip(rig.all_links, all_link_ends(rig, places), strict=True)):
            arrow = self._arrow(key_of("link", k), *ends)
            if is_stub(*ends) and OUTSIDE in (link.a, link.b):
                self._outside.add(k)
            arrow.setToolTip(
                plain_tip(f"{tell(link.text)}: {tell(show(link.conductance_W_per_K, Quantity.CONDUCTANCE))}")
            )
        for k, draw_off in enumerate(rig.draw_offs):
            arrow = self._arrow(key_of("draw_off", k), *draw_off_ends(places.bodies[draw_off.body]))
            arrow.setToolTip(plain_tip(draw_off.name))
        self._place_labels(places)
        self._lead_to_links(rig, places)
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
        for k, (probe, spot) in enumerate(zip(rig.probes, probe_spots(rig, places), strict=True)):
            lag = show(probe.lag_s, Quantity.DURATION)
            if probe.role == "control":
                note = tell("lag {lag}, read every {time}", lag=lag, time=show(probe.interval_s, Quantity.DURATION))
            else:
                note = tell("lag {lag}, guard" if probe.role == "guard" else "lag {lag}, watch", lag=lag)
            letter = _LETTERS[probe.role]
            item = ProbeItem(key_of("probe", k), spot, self._select, probe.name, note if spot.alone else "", letter)
            self._add(item)
        items = [item for item in self._parts.values() if isinstance(item, ProbeItem)]
        for item in items:  # a note is no reason to lie over another one's name
            if any(item.text_rect().intersects(other.text_rect()) for other in items if other is not item):
                item.drop_note()

    def _add(self, item: PartItem) -> None:
        item.selected = item.key == self._selected
        item.setToolTip(plain_tip(item.tip))
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
            choices = arrow.places(LABEL_WIDTH, tall)
            free = [r for r in choices if inside.contains(r) and not any(r.intersects(other) for other in taken)]
            arrow.label = free[0] if free else min(choices, key=lambda r: sum(_overlap(r, other) for other in taken))
            taken.append(arrow.label)

    def _lead_to_links(self, rig: Rig, places: Places) -> None:
        """Dotted leads from fans and valves to the arrows that they drive."""
        vessels = [r.adjusted(-4, -22 if places.named_above[n] else -2, 4, 2) for n, r in places.bodies.items()]
        probes = [item for item in self._parts.values() if isinstance(item, ProbeItem)]
        texts = [item.text_rect() for item in probes] + [item.rect for item in probes]
        floor = self.scene().sceneRect().bottom() - 8
        for k, link in enumerate(rig.all_links):
            if link.driven_by is not None:
                arrow = self._parts[key_of("link", k)]
                assert isinstance(arrow, ArrowItem)
                others = [i.label for i in self.scene().items() if isinstance(i, ArrowItem) and i is not arrow]
                drive = places.drives[rig.drive_index(link.driven_by)]
                way = lead_path(drive, arrow.ends, arrow.label, floor, [*vessels, *texts, *others])
                if way:
                    self.scene().addItem(LeadItem(way))

    def _noted(self, key: str) -> bool:
        """Whether more than watts stands at an arrow."""
        assert self._rig is not None
        kind, index = parse_key(key) or ("", 0)
        driven = kind == "link" and self._rig.all_links[index].driven_by is not None
        return kind == "draw_off" or driven or (kind == "link" and index in self._outside)

    def _fill(self) -> None:
        run, rig = self._run, self._rig
        if run is None or rig is None or not _alike(run.rig, rig):
            self._describe()
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
            item.note = ""
            if molten is not None and 0 < molten < 1:
                item.note = tell("{share} molten", share=figures(f"{100 * molten:.0f}", "%"))
            item.tint = "ember" if value > setpoint + band else "glacier" if value < setpoint - band else "moss"
            if body.limit_degC is not None and value > body.limit_degC:
                item.tint = "ember"
            item.update()
        for k in range(len(run.rig.drives)):
            item = self._parts[key_of("drive", k)]
            assert isinstance(item, DriveItem)
            item.power = tell(flows.drive_text(k))
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
        self._describe()

    def _describe(self) -> None:
        """What is selected, for those who cannot see it; arrow keys go on to the next."""
        item = self._parts.get(self._selected)
        told = (
            []
            if item is None
            else [item.tip or item.toolTip(), getattr(item, "temperature", ""), getattr(item, "power", "")]
        )
        self.setAccessibleDescription(", ".join(filter(None, told)) or tell("arrow keys go through its parts"))

    def _fill_arrows(self, run: Run, flows: Flows) -> None:
        full = max((drive.power_W for drive in run.rig.drives if drive.heated_body is not None), default=0.0)
        full = full or max((abs(flows.link_W(k)) for k in range(len(run.rig.all_links))), default=1.0)
        for k, arrow in self._into.items():
            arrow.set_watts(float(run.drives_W[k, flows.sample]), full)
        for k, link in enumerate(run.rig.all_links):
            arrow = self._parts[key_of("link", k)]  # type: ignore[assignment]
            note = tell("to outside") if k in self._outside else ""
            if link.driven_by is not None:
                note = f"{link.driven_by} {tell(flows.flow_text(link.driven_by))}"
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
