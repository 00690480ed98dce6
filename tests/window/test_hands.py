"""Careless hands: fields that rebuild their own panel, odd texts, wild drags; undoing it all restores the project."""

import math
import random
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop.fields.plain import Choice, NameEdit
from kelvarn.desktop.fields.ruler import RulerScale
from kelvarn.desktop.frame.window import CONTROL, RIG, TRIAL, MainWindow
from kelvarn.desktop.state.runner import MOST_SECONDS_AT_ONCE
from kelvarn.desktop.strip.strip import Strip
from kelvarn.model.mark import Mark
from kelvarn.model.rig_edit import rename_body
from tests.campaigns.deeds import Deeds, answer_boxes
from tests.window.conftest import drag, type_into


def test_fields_survive_the_panel_they_rebuild(window: MainWindow) -> None:
    name = window.control.settings.findChildren(NameEdit)[0]
    type_into(name, "Renamed")
    assert window.document.project.chosen == "Renamed"
    window.go_to(RIG)
    window.rig.select("Walls")
    type_into(window.rig.panel.findChildren(NameEdit)[0], "Shell")
    assert window.document.project.rig.bodies[2].name == "Shell"
    for wanted in ("relay", "pwm", "slow_window"):
        kinds = [c for c in window.rig.panel.findChildren(Choice) if c.accessibleName() == "Kind"]
        kind = next(c for c in kinds if c.isVisible())
        kind.setCurrentIndex(kind.findData(wanted))
        kind.activated.emit(kind.currentIndex())
        assert window.document.project.rig.drive.kind == wanted
    assert window.document.project.rig.drive.power_W == 250


@pytest.mark.long
@pytest.mark.parametrize(("seed", "at_once_s"), [(4, math.inf), (5, MOST_SECONDS_AT_ONCE), (6, 0.0)])
def test_whatever_hands_do_undo_restores_and_nothing_breaks(
    window: MainWindow, seed: int, at_once_s: float, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window.runner._most_at_once = at_once_s  # 0: all beside the window, as on a slow machine
    rng, before = random.Random(seed), window.document.project
    broken: list[BaseException | None] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, where: broken.append(error))

    answer_boxes(random.Random(seed), tmp_path, monkeypatch.setattr)
    deeds = Deeds(window, rng)
    done = [deeds.one() for _ in range(60)]
    window.grab()
    while window.document.undo_name is not None:
        window.document.undo()
    assert window.document.project == before
    assert broken == [], done


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_marks_added_while_runs_are_computed_beside_the_window(
    window: MainWindow, demo: str, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    broken: list[BaseException | None] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, where: broken.append(error))
    window.document.replace(find_demo(demo).build(), None)
    window.go_to(TRIAL)
    window.runner._most_at_once = 0.0
    before = len(window.document.project.first_trial.marks)
    for command in [name for name in window.menus.actions if name.startswith("Add marks: ")][:2]:
        window.menus.actions[command].trigger()
    assert len(window.document.project.first_trial.marks) > before
    hottest = Mark(measure="hottest_degC", limit=90, body=window.document.project.rig.body_names[0])
    window.document.set(("trials", 0, "marks"), (hottest,), "a mark on a body")
    if window.document.project.rig.response is None:  # renamed while the run before is still shown
        name = window.document.project.rig.bodies[0].name
        window.document.apply(rename_body(window.document.project, name, "<b>New"), "rename")
    qtbot.waitUntil(lambda: not window.runner.busy, timeout=60_000)
    assert broken == []


def test_while_something_is_dragged_only_what_it_shows_is_computed(window: MainWindow, qtbot: QtBot) -> None:
    window.go_to(CONTROL)
    jobs, document = window.runner.jobs, window.document
    qtbot.waitUntil(lambda: not jobs._newest, timeout=120_000)
    document.begin_stroke()
    for degC in (61.0, 62.0, 63.0):
        document.set(("trials", 0, "plan", "changes", 0, "to_degC"), degC, "Setpoint", dragged=True)
        QTest.qWait(50)
    waiting = {channel: job.future for channel, job in jobs._newest.items()}
    assert waiting
    assert set(waiting.values()) == {None}
    assert window.runner.result_of(document.project.candidates[0].name) is not None
    document.end_stroke()
    qtbot.waitUntil(lambda: not jobs._newest, timeout=120_000)


@pytest.mark.parametrize("deed", ["Duplicate", "Delete", "Undo", "Rig"])
@pytest.mark.parametrize("on_ruler", [False, True])
def test_what_comes_in_the_middle_of_a_drag_ends_it(window: MainWindow, deed: str, on_ruler: bool) -> None:
    window.view.select("On/off ±1")
    document, strip = window.document, window.control.strip
    if on_ruler:
        widget: RulerScale | Strip = window.control.settings.findChildren(RulerScale)[1]
        start, away = QPointF(widget.x_of(1.0), 6), QPointF(20, 0)  # type: ignore[union-attr]
    else:
        widget, away = strip, QPointF(0, -20)
        start = strip.rect_of("the edge at which it switches off").center()
    before = document.project
    drag(widget, start, start + away, release=False)
    dragged = document.project
    assert dragged != before
    window.menus.actions[deed].trigger()
    after = document.project
    QTest.mouseMove(widget, (start + 2 * away).toPoint())
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=(start + 2 * away).toPoint())
    assert document.project == after
    if deed == "Undo":
        assert after == before
    elif deed in ("Duplicate", "Delete"):
        document.undo()
        assert document.project == dragged
        document.undo()
        assert document.project == before
    else:
        assert (after, document.in_stroke) == (dragged, False)
