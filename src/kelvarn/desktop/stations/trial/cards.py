"""Trials as cards: name, how long, a tiny plan, and how many marks the chosen candidate meets."""

from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.card import Card
from kelvarn.desktop.parts.plain import menu_text, plain_tip
from kelvarn.engine.plan import corners
from kelvarn.model.bank import BANK
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import joined
from kelvarn.studies.all_trials import Met
from kelvarn.units import Quantity, show

_HEIGHT, _PLAN_WIDTH = 56, 66  # px


def _lasts(seconds: float) -> str:
    """A duration in few letters: days where there are several."""
    days = seconds / 86400
    return f"{days:g} d" if days >= 2 and days == round(days, 1) else show(seconds, Quantity.DURATION)


class TrialCard(Card):
    """One trial."""

    def __init__(self) -> None:
        super().__init__(_HEIGHT)
        self._trial: Trial | None = None
        self._met: Met | None = None

    def show_trial(self, trial: Trial, met: Met | None, selected: bool) -> None:
        """Show a trial's present state."""
        self._trial, self._met, self.chosen = trial, met, selected
        self.setAccessibleName(tell("Trial {trial}", trial=trial.name))
        self.setAccessibleDescription(told(joined(", ", (show(trial.duration_s, Quantity.DURATION), self._marks()))))
        self.setToolTip(plain_tip(f"{trial.name}\n{trial.notes}".strip()))
        self.update()

    def _marks(self) -> str:
        if self._trial is None or not self._trial.marks:
            return tell("no marks")
        return (
            tell("… marks")
            if self._met is None
            else tell("{met}/{asked} marks", met=self._met.met, asked=self._met.asked)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        if self._trial is None:
            return
        look, trial = theme.current(), self._trial
        painter = QPainter(self)
        self.paint_frame(painter)
        inside = QRectF(10, 7, self.width() - 20, 18)
        texts.paint(painter, inside, trial.name, look.color("ink"), "body", bold=True, cut=True)
        below = QRectF(10, 30, self.width() - 20, 18)
        lasts = _lasts(trial.duration_s)
        texts.paint(painter, below, lasts, look.color("muted"), "small")
        role = "muted" if self._met is None or not trial.marks else "gold"
        if self._met is not None and trial.marks and self._met.met == self._met.asked:
            role = "moss"
        texts.paint(painter, below, self._marks(), look.color(role), "small", bold=True, at=texts.At.RIGHT)
        left = max(10 + texts.laid_out(lasts, "small").width + 8, 64)
        right = self.width() - 18 - texts.laid_out(self._marks(), "small", bold=True).width
        if right - left > 20:
            self._paint_plan(painter, QRectF(left, 31, min(_PLAN_WIDTH, right - left), 15))
        painter.end()

    def _paint_plan(self, painter: QPainter, area: QRectF) -> None:
        """The plan without a scale."""
        assert self._trial is not None
        trial = self._trial
        first = trial.start_degC if trial.start_degC is not None else trial.course[0].to_degC
        at_s, degC = corners(trial.course, first)
        at_s, degC = np.append(at_s, trial.duration_s), np.append(degC, degC[-1])
        low, high = float(degC.min()), float(degC.max())
        span = high - low if high > low else 1.0
        x = area.left() + area.width() * np.clip(at_s / trial.duration_s, 0, 1)
        y = area.bottom() - area.height() * ((degC - low) / span if high > low else np.full(degC.size, 0.5))
        painter.setPen(QPen(theme.current().color("ink"), 1.2))
        painter.drawPolyline(QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)]))


class TrialCards(QWidget):
    """The list of trials.

    Signals:
        selected: a trial, by name.
        add_wanted: a copy of the one shown.
        bank_wanted: a trial of the bank, by name; "" for all.
        menu_wanted: the menu of the selected one, at a global position.
    """

    selected = Signal(str)
    add_wanted = Signal()
    bank_wanted = Signal(str)
    menu_wanted = Signal(QPoint)

    def __init__(self) -> None:
        super().__init__()
        self._cards: list[TrialCard] = []
        self._names: list[str] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        row = QHBoxLayout()
        row.addWidget(heading(tell("Trials")), 1)
        self.add = self._link(tell("+ add"), tell("Add a copy of the trial shown"), self.add_wanted.emit)
        self.bank = self._link(tell("+ bank"), tell("Ready-made trials that fit this rig"), self._open_bank)
        row.addWidget(self.add)
        row.addWidget(self.bank)
        self._column.addLayout(row)

    def _link(self, text: str, tip: str, work: object) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("link", True)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(work)
        return button

    def card(self, name: str) -> TrialCard:
        """The card of a trial."""
        return self._cards[self._names.index(name)]

    def show_trials(self, project: Project, shown: str, met: dict[str, Met]) -> None:
        """Show the trials of a project, and what is known of their marks."""
        while len(self._cards) < len(project.trials):
            card = TrialCard()
            place = len(self._cards)
            card.clicked.connect(lambda place=place: self.selected.emit(self._names[place]))
            card.menu_wanted.connect(self.menu_wanted)
            self._cards.append(card)
            self._column.addWidget(card)
        self._names = [trial.name for trial in project.trials]
        for place, card in enumerate(self._cards):
            card.setVisible(place < len(project.trials))
            if place < len(project.trials):
                trial = project.trials[place]
                card.show_trial(trial, met.get(trial.name), trial.name == shown)

    def bank_menu(self) -> QMenu:
        """What the bank has."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(tell("all of them"), lambda: self.bank_wanted.emit(""))
        menu.addSeparator()
        for each in BANK:
            action = menu.addAction(menu_text(f"{each.name}: {each.text}"), partial(self.bank_wanted.emit, each.name))
            action.setData(each.name)
        return menu

    def _open_bank(self) -> None:
        self.bank_menu().popup(self.bank.mapToGlobal(QPoint(0, self.bank.height())))
