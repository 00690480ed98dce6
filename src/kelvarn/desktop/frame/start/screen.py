"""The screen with nothing open: what do you want to keep at a temperature, or look at one that works, or go on."""

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import NamedTuple, Protocol

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from kelvarn.demos import DEMOS, Demo
from kelvarn.demos.experiments import EXPERIMENTS, Experiment
from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import date_told, tell
from kelvarn.desktop.parts.plain import PlainLabel, clear, plain_tip
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.layout import Floats
from kelvarn.files.journal import Unsaved
from kelvarn.kinds import KINDS, Kind
from kelvarn.model.project import Project
from kelvarn.sentence import say
from kelvarn.studies.results import result_of
from kelvarn.units import Scale

from .cards import StartCard, course_painter, heat_path_painter
from .names import named
from .questions import QuestionsPage

_POINTS = 80
_TITLE_OF_LOG, _LINE_OF_LOG = say("Known only by a log"), say("drop a file of any board here")


class Files(Protocol):
    """What opens files."""

    def ask_open(self) -> None:
        """Ask for a project or a log, and open it."""

    def leave_for(self, path: Path) -> None:
        """Open a project."""


class StartScreen(QWidget):
    """What the window shows while nothing is open.

    Args:
        jobs: what computes pictures and candidates.
        opened: told the project that was built, or a demo's.
        files: opens what is there already.
        scale: in which answers are shown.
    """

    def __init__(
        self, jobs: Jobs, opened: Callable[[Project], object], files: Files, scale: Callable[[], Scale]
    ) -> None:  # fmt: skip
        super().__init__()
        self._jobs, self._opened, self._files, self.scale = jobs, opened, files, scale
        self.demos: dict[str, StartCard] = {}
        self.kinds: dict[str, StartCard] = {}
        self.experiments: dict[str, StartCard] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(_Head())
        self.pages = QStackedWidget()
        self.questions = QuestionsPage(self._build, lambda: self.pages.setCurrentIndex(0), jobs)
        choices = QWidget()
        columns = QHBoxLayout(choices)
        columns.setContentsMargins(24, 14, 24, 10)
        columns.setSpacing(22)
        columns.addLayout(self._kinds_column(), 40)
        columns.addLayout(self._demos_column(), 66)
        self._last = QVBoxLayout()
        self._last.setSpacing(6)
        columns.addLayout(self._last, 19)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # cards take the keys, and are scrolled to
        scroll.setWidget(choices)
        self.pages.addWidget(scroll)
        self.pages.addWidget(self.questions)
        outer.addWidget(self.pages, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(24, 6, 24, 10)
        drop = PlainLabel(tell("Drop a project or a log anywhere in this window."))
        drop.setProperty("role", "muted")
        foot.addWidget(drop)
        foot.addStretch(1)
        foot.addWidget(link(tell("open a file …"), files.ask_open))
        outer.addLayout(foot)

    def _kinds_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(heading(tell("What do you want to keep at a temperature?")))
        for kind in KINDS:
            card = StartCard(tell(kind.title), tell(kind.line), partial(self.ask, kind), picture=52)
            card.show_picture(heat_path_painter(kind.path))
            self.kinds[kind.key] = card
            column.addWidget(card)
        card = StartCard(tell(_TITLE_OF_LOG), tell(_LINE_OF_LOG), self._files.ask_open, picture=52)
        card.show_picture(course_painter(np.array([0.0, 0.1, 0.5, 0.8, 0.93, 1.0]), np.ones(6), 1))
        self.kinds["log"] = card
        column.addWidget(card)
        column.addWidget(
            small(
                tell("A few questions, all with a guess in place; then the rig stands, and each part can be changed.")
            )
        )
        column.addStretch(1)
        return column

    def _demos_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(heading(tell("Or look at one that works")))
        grid = QGridLayout()
        grid.setSpacing(8)
        for k, demo in enumerate(DEMOS):
            card = StartCard(tell(demo.title), tell(demo.brief), partial(self._open_demo, demo), 74, 92)
            self.demos[demo.name] = card
            grid.addWidget(card, k // 2, k % 2)
        column.addLayout(grid)
        column.addSpacing(10)
        column.addWidget(heading(tell("Five-minute experiments: one effect on purpose")))
        grid = QGridLayout()
        grid.setSpacing(6)
        for k, each in enumerate(EXPERIMENTS):
            card = StartCard(tell(each.title), tell(each.line), partial(self._open_experiment, each), 46)
            self.experiments[each.key] = card
            grid.addWidget(card, k // 2, k % 2)
        column.addLayout(grid)
        column.addWidget(
            small(tell("Each says what to try and what to look at, one sentence each; nothing to read first."))
        )
        column.addStretch(1)
        return column

    def refresh(self, recent: list[tuple[Path, str, bool]], unsaved: Unsaved | None, recover: Callable[[], object],
                away: Callable[[], object]) -> None:  # fmt: skip
        """Show what was opened lately, and what a crash left; begin the pictures of the demos.

        Args:
            recent: files, each with how many marks were met, and whether another has changed it since.
            unsaved, recover, away: what a crash left, and what becomes of it.
        """
        clear(self._last)
        if recent:
            self._last.addWidget(heading(tell("Open again")))
        for path, marks, changed in recent:
            self._last.addWidget(self._again(path, marks, changed))
        if unsaved is not None:
            self._last.addWidget(heading(tell("Left from a crash")))
            self._last.addWidget(StartCard(unsaved.project.name, tell("changes after the last save"), recover, 46))
            self._last.addWidget(link(tell("bring back"), recover))
            self._last.addWidget(link(tell("throw away"), away))
        if not recent and unsaved is None:
            self._last.addWidget(heading(tell("Open again")))
            self._last.addWidget(small(tell("Projects stand here once one was saved.")))
        self._last.addStretch(1)
        theme.dress(self)
        self._draw_next(list(DEMOS))

    def _again(self, path: Path, marks: str, changed: bool) -> StartCard:
        gone = not path.is_file()
        said = tell("the file has gone") if gone else tell("changed elsewhere since") if changed else tell(marks)
        when = "" if gone else _day(path.stat().st_mtime)
        card = StartCard(
            path.stem, " · ".join(part for part in (said, when) if part), partial(self._files.leave_for, path), 46
        )
        card.setToolTip(plain_tip(str(path)))
        card.setEnabled(not gone)
        card.line_role = "gold" if gone or changed else "muted"
        return card

    def _draw_next(self, demos: list[Demo]) -> None:
        """Compute the pictures of the demos one after the other."""
        if demos:
            demo = demos[0]
            self._jobs.start("start: pictures", lambda: _course(demo), partial(self._drawn, demos))

    def _drawn(self, demos: list[Demo], found: object) -> None:
        if isinstance(found, Course):
            place = [each.name for each in DEMOS].index(demos[0].name)
            self.demos[demos[0].name].show_picture(course_painter(found.degC, found.setpoint_degC, place))
        self._draw_next(demos[1:])

    def ask(self, kind: Kind) -> None:
        """Ask the questions of a kind."""
        self.questions.ask(kind, self.scale())
        self.pages.setCurrentIndex(1)

    def _build(self, kind: Kind, answers: dict[str, float]) -> None:
        self.questions.say(tell("The rig is built, and two candidates are tried …"), busy=True)
        self._jobs.start("start: build", lambda: kind.made(answers), self._built)

    def _built(self, found: object) -> None:
        if isinstance(found, Project):
            self.questions.say("")
            self.pages.setCurrentIndex(0)
            self._opened(named(found))
        else:
            self.questions.say(tell("That is no rig: {why}", why=str(found)))

    def _open_demo(self, demo: Demo) -> None:
        self._opened(demo.build())

    def _open_experiment(self, experiment: Experiment) -> None:
        self._opened(experiment.build())

    def leave(self) -> None:
        """Stop what is computed for it."""
        for channel in ("start: pictures", "start: build", "start: becomes"):
            self._jobs.stop(channel)


class Course(NamedTuple):
    """A run in little."""

    degC: Floats
    setpoint_degC: Floats


def _course(demo: Demo) -> Course:
    """Temperature and setpoint of a demo's first run, so many points."""
    project = demo.build()
    run = result_of(project.rig, project.candidates[-1].controller, project.first_trial).run
    at = np.linspace(0, run.time_s.size - 1, _POINTS).round().astype(int)
    return Course(run.judged_degC[at], run.setpoint_degC[at])


class _Head(QWidget):
    """The name of the program, that nothing is open, and what it is for."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 8, 18, 12)
        names = QVBoxLayout()
        names.setSpacing(1)
        name: QLabel = PlainLabel("Kelvarn")
        name.setFont(theme.font("title"))
        names.addWidget(name)
        state = PlainLabel(tell("nothing open"))
        state.setFont(theme.font("small"))
        state.setProperty("role", "muted")
        names.addWidget(state)
        row.addLayout(names)
        row.addSpacing(90)
        row.addWidget(PlainLabel(tell("Know how it will behave before power is applied.")))
        row.addStretch(1)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, look = QPainter(self), theme.current()
        painter.fillRect(self.rect(), look.color("panel"))
        painter.fillRect(0, self.height() - 1, self.width(), 1, look.color("hairline"))
        painter.end()


def _day(stamp: float) -> str:
    """A day as people say it."""
    then, now = datetime.fromtimestamp(stamp).date(), datetime.now().date()
    apart = (now - then).days
    if apart == 0:
        return tell("today")
    if apart == 1:
        return tell("yesterday")
    return date_told(then, "dddd" if apart < 7 else "d MMMM yyyy")
