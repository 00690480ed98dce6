"""Candidates as cards, with three figures each."""

from functools import partial

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import NameEdit, heading
from kelvarn.desktop.lanes.scene import CandidateEntry
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.card import Card
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.model.candidate import STRATEGIES
from kelvarn.model.rig import Rig
from kelvarn.sentence import joined, say
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale, minutes, show

from .actions import CandidateActions

_HEIGHT, _LINE = 74, 16  # px, and of a line more
MANY_STARTS_PER_H = 12.0  # of a fan or a step of its curve: more is heard as hunting


class CandidateCard(Card):
    """One candidate."""

    def __init__(self, actions: CandidateActions) -> None:
        super().__init__(_HEIGHT)
        self._actions = actions
        self._entry: CandidateEntry | None = None
        self._scale = Scale.CELSIUS
        self._fault = ""
        self._rename: NameEdit | None = None
        self._shown: object = None
        self._figures: list[tuple[str, str, str]] = []
        self._beyond = ""

    def sizeHint(self) -> QSize:
        return QSize(210, _HEIGHT)

    def show_entry(self, entry: CandidateEntry, selected: bool, scale: Scale, fault: str) -> None:
        """Show a candidate's present state."""
        if self._entry is not None and self._entry.candidate.name != entry.candidate.name:
            self._drop_rename()  # what was being typed was another one's name
        self._entry, self.chosen, self._scale, self._fault = entry, selected, scale, fault
        self._figures = self.figures()
        self._beyond = "" if fault or entry.result is None else beyond_text(entry.result, scale)
        self.setFixedHeight(_HEIGHT + (_LINE if self._beyond else 0))
        candidate = entry.candidate
        shown = (candidate.name, candidate.strategy, candidate.hidden, entry.chosen, entry.stale, selected, fault,
                 self._figures, self._beyond, theme.current())  # fmt: skip
        if shown == self._shown:
            return
        self._shown = shown
        self.setAccessibleName(tell("Candidate {candidate}", candidate=candidate.name))
        figures = joined(", ", (joined(" ", (k, v)) for k, v, _ in self._figures))
        self.setAccessibleDescription(told(joined("; ", (figures, self._beyond)) if self._beyond else figures))
        self.setToolTip(
            plain_tip(
                fault
                or tell(
                    "{candidate}: {strategy}. Double-click renames, right-click for more.",
                    candidate=candidate.name,
                    strategy=candidate.strategy,
                )
            )
        )
        self.update()

    def figures(self) -> list[tuple[str, str, str]]:
        """The three figures: caption, text, colour name."""
        assert self._entry is not None
        result = self._entry.result
        if result is None:
            return [(tell("over"), "–", "muted"), (tell("settles"), "–", "muted"), (tell("marks"), "–", "muted")]
        return figures_of(result, self._scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        if self._entry is None:
            return
        look, entry = theme.current(), self._entry
        painter = QPainter(self)
        self.paint_frame(painter)
        hidden = entry.candidate.hidden
        pen = QPen(look.candidate(entry.index, 0.4 if hidden else 1.0), 2.5)
        dash = theme.dash(entry.index)
        if dash:
            pen.setDashPattern([d / 2.5 for d in dash])
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        painter.drawLine(QPointF(10, 17), QPointF(38, 17))
        self._paint_head(painter, hidden)
        if self._fault:
            painter.setFont(theme.font("small"))
            painter.setPen(look.color("ember"))
            painter.drawText(QRectF(10, 30, self.width() - 20, 40), Qt.TextFlag.TextWordWrap, self._fault)
            painter.end()
            return
        width = (self.width() - 20) / 3
        for k, (caption, text, color) in enumerate(self._figures):
            left = 10 + k * width
            texts.paint(painter, QRectF(left, 32, width, 16), caption, look.color("muted"), "small")
            color_now = look.color(color, 0.5 if entry.stale else 1.0)
            texts.paint(painter, QRectF(left, 49, width, 19), text, color_now, bold=True)
        if self._beyond:
            line = QRectF(10, 68, self.width() - 20, _LINE)
            texts.paint(painter, line, self._beyond, look.color("gold"), "small", cut=True)
        painter.end()

    def _paint_head(self, painter: QPainter, hidden: bool) -> None:
        assert self._entry is not None
        look = theme.current()
        chosen, name = self._entry.chosen, self._entry.candidate.name
        right = tell("hidden") if hidden else tell(self._entry.candidate.strategy)
        line = QRectF(10, 7, self.width() - 20, 20)
        if chosen:  # the star says it too, where the name needs the room
            room = line.width() - 44 - texts.laid_out(name, bold=True).width
            right = tell("★ chosen") if texts.laid_out(tell("★ chosen"), "small", bold=True).width <= room else "★"
        color = look.color("gold" if chosen else "muted")
        texts.paint(painter, line, right, color, "small", bold=chosen, at=texts.At.RIGHT)
        taken = texts.laid_out(right, "small", chosen).width
        room_of_name, color = line.adjusted(36, 0, -8 - taken, 0), look.color("muted" if hidden else "ink")
        texts.paint(painter, room_of_name, name, color, bold=True, cut=True)

    def go(self) -> None:
        """Its candidate has gone: what is still on its way to it means nothing."""
        self.blockSignals(True)
        self._drop_rename()
        self.hide()
        self.deleteLater()

    def start_rename(self) -> None:
        """Type another name in place."""
        assert self._entry is not None
        old = self._entry.candidate.name
        self._drop_rename()
        self._rename = NameEdit(tell("Name of the candidate"), lambda: old, lambda new: self._actions.rename(old, new))
        self._rename.setParent(self)
        self._rename.setGeometry(40, 4, self.width() - 50, 25)
        self._rename.editingFinished.connect(self._end_rename)
        self._rename.show()
        self._rename.selectAll()
        self._rename.setFocus()

    def _end_rename(self) -> None:
        if self._rename is not None and not self._rename.wrong:
            self._drop_rename()
            self.setFocus()

    def _drop_rename(self) -> None:
        if self._rename is not None:
            gone, self._rename = self._rename, None
            gone.setModified(False)
            gone.hide()
            gone.deleteLater()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.start_rename()


def figures_of(result: Result, scale: Scale) -> list[tuple[str, str, str]]:
    """Three figures that matter: caption, text, colour name.

    Overshoot, settling (or swing, where it never settles) and marks met; of a fan that cools, over the whole trial,
    how hot it gets, how often it starts and how hard it works; of a run that a guard ended, when.
    """
    count, ended = len(result.verdicts), result.measures.ended
    color = "muted" if count == 0 else "moss" if result.met == count else "gold"
    marks = (tell("marks"), f"{result.met}/{count}" if count else tell("none"), color)
    if ended is not None:
        return [(tell("switched off"), tell("at {ended}", ended=minutes(ended[1])), "ember"), ("", "", "ink"), marks]
    if is_fan_job(result.run.rig):
        return _fan_figures(result, scale)
    values = result.measures.main.values
    over, settled, swing = (values.get(key) for key in ("overshoot_K", "settling_s", "swing_K"))
    found = [(tell("over"), "–" if over is None else show(over, Quantity.DIFFERENCE, scale), "ink")]
    if settled is not None:
        found.append((tell("settles"), minutes(settled), "ink"))
    elif swing is not None and swing > 2 * result.run.trial.band_K:
        found.append((tell("swings"), show(swing, Quantity.DIFFERENCE, scale), "ember"))
    else:
        found.append((tell("settles"), tell("never"), "ember"))
    return [*found, marks]


def is_fan_job(rig: Rig) -> bool:
    """Whether the rig only cools, by something that moves air or liquid."""
    return not rig.heats and rig.drive.moves


def _fan_figures(result: Result, scale: Scale) -> list[tuple[str, str, str]]:
    whole, rig = result.measures.values, result.run.rig
    body = rig.all_bodies[rig.body_index(rig.judged_body)]
    hottest = result.measures.hottest_degC[body.name]
    over = body.limit_degC is not None and hottest > body.limit_degC
    steps, switching = whole.get("steps_per_h") or 0.0, whole.get("switch_ons_per_h") or 0.0
    starts = max(steps, switching)
    mean = whole.get("mean_drive")
    return [
        (scale.words.highest, show(hottest, Quantity.TEMPERATURE, scale), "ember" if over else "ink"),
        (
            tell("step starts") if steps > switching else tell("switching"),
            show(starts, Quantity.PER_HOUR),
            "ember" if starts > MANY_STARTS_PER_H else "ink",
        ),
        (tell("mean drive"), "–" if mean is None else show(mean, Quantity.DRIVE), "ink"),
    ]


def beyond_text(result: Result, scale: Scale) -> str:
    """What the figures do not say: where the run departs further, such as "7.0 K after Loud"; of a fan its marks."""
    if result.measures.ended is not None:
        return tell("by “{ended}”", ended=result.measures.ended[0])
    if is_fan_job(result.run.rig):
        count = len(result.verdicts)
        return tell("{met} of {marks} marks met", met=result.met, marks=count) if count else ""
    worst = result.worst_after
    if worst is None:
        return ""
    side = say("above") if worst[0] > 0 else say("below")
    return tell("{far} {side} setpoint after {event}", far=show(abs(worst[0]), Quantity.DIFFERENCE, scale),
                side=side, event=worst[1])  # fmt: skip


class Cards(QWidget):
    """All candidates, and a button to add one.

    Signals:
        selected: a candidate by name.
        menu_wanted: the candidate menu is asked for at a global position.
    """

    selected = Signal(str)
    menu_wanted = Signal(QPoint)

    def __init__(self, actions: CandidateActions) -> None:
        super().__init__()
        self._actions = actions
        self._cards: list[CandidateCard] = []
        self._names: list[str] = []
        add = QPushButton(tell("+ add"))
        add.setProperty("link", True)
        add.setAccessibleName(tell("Add a candidate"))
        menu = QMenu(add)
        for strategy in STRATEGIES:
            menu.addAction(strategy, partial(actions.add, strategy))
        menu.addSeparator()
        menu.addAction(tell("Copy of the selected one"), actions.duplicate)
        add.clicked.connect(lambda: menu.popup(add.mapToGlobal(QPoint(0, add.height()))))
        head = QHBoxLayout()
        head.addWidget(heading(tell("Candidates")), 1)
        head.addWidget(add)
        self._column = QVBoxLayout()
        self._column.setSpacing(8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addLayout(self._column)

    def show_entries(self, entries: list[CandidateEntry], selected: str, scale: Scale, faults: dict[str, str]) -> None:
        """Show all candidates' present state."""
        while len(self._cards) < len(entries):
            card = CandidateCard(self._actions)
            index = len(self._cards)
            card.clicked.connect(lambda k=index: self.selected.emit(self._names[k]))
            card.menu_wanted.connect(self.menu_wanted)
            self._cards.append(card)
            self._column.addWidget(card)
        while len(self._cards) > len(entries):
            self._cards.pop().go()
        self._names = [entry.candidate.name for entry in entries]
        for card, entry in zip(self._cards, entries, strict=True):
            name = entry.candidate.name
            card.show_entry(entry, name == selected, scale, faults.get(name, ""))

    def card(self, name: str) -> CandidateCard:
        """The card of a candidate."""
        return self._cards[self._names.index(name)]
