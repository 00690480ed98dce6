"""Nothing is wider than its place, and nothing hides what it must not hide, whatever the names are."""

import itertools
from typing import Any

import pytest
from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QScrollArea
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import RIG, TRIAL, MainWindow
from kelvarn.desktop.parts import texts
from kelvarn.desktop.stations.rig.keys import known_keys
from kelvarn.desktop.stations.trial.panel import Selected
from kelvarn.model.edit import add_candidate, put
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.model.project import Project

from .conftest import click, close_window, open_window


def with_long_names(project: Project) -> Project:
    """A project whose every name is as long as a name may be."""
    rig, trial = project.rig, project.trials[0]
    parts = [
        *rig.bodies,
        *rig.drives,
        *rig.probes,
        *rig.draw_offs,
        *rig.guards,
        *rig.permits,
        *trial.events,
        *project.candidates,
    ]
    longer = {part.name: f"{part.name} {'WMWM ' * 20}"[: MOST_CHARACTERS - 1] + "W" for part in parts}

    def renamed(value: Any) -> Any:
        if isinstance(value, dict):
            return {key: each if key == "terms" else renamed(each) for key, each in value.items()}
        if isinstance(value, list):
            return [renamed(each) for each in value]
        return longer.get(value, value) if isinstance(value, str) else value

    return Project.model_validate_json(
        Project.model_validate(renamed(project.model_dump(mode="json"))).model_dump_json()
    )


def too_wide(panel: QScrollArea) -> int:
    """By how many px a column is wider than its place."""
    QApplication.processEvents()
    return panel.widget().width() - panel.viewport().width()


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_no_column_is_wider_than_its_place(qtbot: QtBot, demo: str) -> None:
    window = open_window(qtbot, with_long_names(find_demo(demo).build()), at_once=False)
    window.resize(1024, 700)
    try:
        settings = window.control.settings
        click(next(b for b in settings.findChildren(QPushButton) if b.text().startswith("+ more")))
        for folded in (False, True):
            for candidate in window.document.project.candidates:
                window.view.select(candidate.name)
                for strategy in ("On/off", "P", "PI", "PID"):
                    click(next(b for b in settings.findChildren(QPushButton) if b.text() == strategy))
                    assert too_wide(settings) <= 0, (candidate.name, strategy, folded)
            if not folded:
                click(next(b for b in settings.findChildren(QPushButton) if b.text().startswith("– fewer")))
        window.go_to(TRIAL)
        trial, rules = window.document.project.first_trial, window.document.project.rig
        for selected in (
            Selected(), *(Selected("event", each.name) for each in trial.events),
            *(Selected("rule", each.name) for each in (*rules.guards, *rules.permits)),
        ):  # fmt: skip
            window.trial.panel.select(selected)
            assert too_wide(window.trial.panel) <= 0, selected
        left = window.trial.cards.parentWidget().parentWidget().parentWidget()
        assert isinstance(left, QScrollArea)
        assert too_wide(left) <= 0
        window.go_to(RIG)
        for key in known_keys(window.document.project.rig):
            window.rig.select(key)
            assert too_wide(window.rig.panel) <= 0, key
    finally:
        close_window(window)


@pytest.mark.parametrize("count", [0, 1, 7, 25])
def test_however_many_marks_there_are_they_stand_apart_inside_the_window(qtbot: QtBot, count: int) -> None:
    kinds = itertools.cycle(name for name, kind in MEASURES.items() if kind.scope in ("window", "run"))
    marks = tuple(Mark(measure=next(kinds), limit=1234.5) for _ in range(count))
    window = open_window(qtbot, put(cure_cabinet(), ("trials", 0, "marks"), marks))
    try:
        window.resize(1024, 700)
        QApplication.processEvents()
        assert window.size() == QSize(1024, 700)
        foot, bars = window.control.marks, window.control.marks.bars
        assert foot.height() <= 160
        places = [QRect(bar.mapTo(foot, QPoint()), bar.size()) for bar in bars]
        assert all(place.left() >= 16 and place.right() <= 1024 - 16 for place in places)
        assert not any(a.intersects(b) for a, b in itertools.combinations(places, 2))
        for bar in bars:
            room = bar.width() - texts.laid_out(bar._texts[0], "big").width
            assert texts.laid_out(bar._mark.limit_text(bar._scale, short=True), "small").width < room  # type: ignore[union-attr]
        if count == 25:
            last = bars[-1]
            bars[0].setFocus()
            for _ in range(count - 1):
                QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
            assert last.hasFocus()
            assert foot.rect().contains(QRect(last.mapTo(foot, QPoint()), last.size()))  # scrolled to
    finally:
        close_window(window)


def test_the_name_of_a_barcode_hides_no_on_time(window: MainWindow) -> None:
    window.view.select("On/off ±1")
    lane, frame = next(pair for pair in window.control.strip.frames() if pair[0].bars is not None)
    run = window.runner.result_of("On/off ±1").run
    window.control.strip.cursor_s = None
    painted = window.control.strip.grab().toImage()
    color = theme.current().candidate(lane.index, 0.75)
    y = round(frame.rect.bottom() - 12)
    ratio = painted.devicePixelRatio()
    ink = 0
    for x in range(round(frame.rect.left()) + 2, round(frame.rect.left()) + 200):
        at = QPointF(x + 0.5, y) * ratio
        shown = painted.pixelColor(at.toPoint())
        on = run.drive[[int(frame.time.from_px(x + d) / run.rig.probe.interval_s) for d in (-1, 2)]]
        if on[0] == on[1]:  # not at an edge
            dark = abs(shown.hueF() - color.hueF()) < 0.05 and shown.saturationF() > 0.3
            assert dark == (on[0] > 0.5), x
            ink += dark
    assert ink > 40


def test_a_low_strip_keeps_its_curves_and_the_barcode_of_the_selected(qtbot: QtBot) -> None:
    project = cure_cabinet()
    for _ in range(3):
        project, name = add_candidate(project, project.candidates[0])
    window = open_window(qtbot, project)
    try:
        window.view.select(name)
        for size, expected in ((QSize(1280, 900), 3), (QSize(1024, 700), 2)):
            window.resize(size)
            QApplication.processEvents()
            lanes = dict(window.control.strip.frames())
            coded = [lane.title for lane in lanes if lane.bars is not None]
            assert (len(coded), coded[-1]) == (expected, name)
            assert next(iter(lanes.values())).rect.height() > 150
    finally:
        close_window(window)
