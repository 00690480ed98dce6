"""Gain map and "why" in the window: dragged, laid over the strip, taken; by mouse and keys."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.stations.remarks import Flag
from kelvarn.desktop.stations.rig.keys import key_of
from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Run, compute
from kelvarn.model.edit import put
from kelvarn.model.pid import Pid

from .conftest import click, close_window, open_window


def open_map(window: MainWindow, qtbot: QtBot) -> None:
    """Fold the map out, and wait for its first picture."""
    window.view.select("Careful PID")
    click(window.control.charts.map_button)
    assert window.control.charts.map.isVisible()
    picture = window.control.charts.map
    qtbot.waitUntil(lambda: picture.map is not None and picture.map.level > 0, timeout=60_000)


def law_of(window: MainWindow, name: str) -> Pid:
    found = window.document.project.candidate(name).controller
    assert isinstance(found, Pid)
    return found


def test_a_candidate_is_dragged_over_the_map_and_the_strip_follows(window: MainWindow, qtbot: QtBot) -> None:
    open_map(window, qtbot)
    picture = window.control.charts.map
    known = picture.map
    assert known is not None
    [handle] = picture.handles
    qtbot.wait(50)  # the axes have found their room
    before, x, y = law_of(window, "Careful PID"), 30.0, 12.0
    start = handle.rect().center()
    end = handle.mapFrom(picture.drawing.plot, picture.drawing.plot.place(x, y))
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(handle, end.toPoint())
    assert picture.map is known or picture.map.x == known.x  # it does not change under the hand
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton)
    law = law_of(window, "Careful PID")
    assert law.kp_per_K == pytest.approx(known.x.value(x), rel=0.1)
    assert law.ti_s == pytest.approx(known.y.value(y), rel=0.1)
    assert law.td_s == before.td_s
    qtbot.waitUntil(lambda: not window.runner.busy, timeout=60_000)
    result = window.runner.result_of("Careful PID")
    assert result is not None
    assert result.run.controller == law
    handle = picture.handles[0]
    handle.setFocus()
    QTest.keyClick(handle, Qt.Key.Key_Right)
    assert law_of(window, "Careful PID").kp_per_K > law.kp_per_K
    QTest.keyClick(handle, Qt.Key.Key_Return)
    window.document.undo()
    window.document.undo()
    assert law_of(window, "Careful PID") == before
    assert window.document.undo_name is None


def test_the_map_follows_other_settings_and_measures(window: MainWindow, qtbot: QtBot) -> None:
    open_map(window, qtbot)
    picture = window.control.charts.map
    first = picture.map
    assert first is not None
    picture.across.setCurrentIndex(picture.up.currentIndex())
    picture.across.activated.emit(0)  # both the same: they change places
    assert picture.map is not None
    assert (picture.map.x.path, picture.map.y.path) == (first.y.path, first.x.path)
    window.document.apply(
        put(window.document.project, ("candidates", 1, "controller", "td_s"), 20.0), "another law under the map"
    )
    qtbot.waitUntil(lambda: picture.map is not None and picture.map.level > 0, timeout=60_000)
    known = picture.map
    assert known is not None
    row, column = (int(k[0]) for k in known.computed.nonzero())
    assert known.computed[row, column]
    law = put(put(law_of(window, "Careful PID"), known.x.path, known.x.values[column]), known.y.path,
              known.y.values[row])  # fmt: skip
    measures = measure(compute(window.document.project.rig, law, window.document.project.first_trial))
    assert law.td_s == 20.0
    assert known.met[row, column] == all(v.met for v in judge(window.document.project.first_trial, measures))
    window.document.apply(
        put(window.document.project, ("candidates", 1, "controller"), law_of(window, "Careful PID").as_strategy("P")),
        "P has one setting",
    )
    assert picture.handles == [] or picture.map is not None
    click(window.control.charts.map_button)
    assert not window.control.charts.map_fold.isVisible()


def test_why_lays_a_run_over_the_strip_and_a_remedy_is_taken(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    try:
        window.view.select("Eager PI")
        click(window.control.why_button)
        panel = window.control.why_panel
        qtbot.waitUntil(lambda: panel.found is not None, timeout=60_000)
        assert panel.question.text().startswith("Why is it 4.5 K over?")
        wound = next(b for b in panel.shows if "wound up" in b.property("words"))
        click(wound)
        qtbot.waitUntil(lambda: len(window.control.overlays.shown) == 1, timeout=60_000)
        [laid] = window.control.overlays.shown
        part = next(p for p in panel.found.parts if "wound up" in p.alternative.words) if panel.found else None
        assert part is not None
        again = compute(part.alternative.rig, part.alternative.law, window.document.project.first_trial)
        assert (laid.run.judged_degC == again.judged_degC).all()
        names = [trace.name for trace in window.control.strip.lane("temperature")[0].traces]
        assert laid.name in names
        click(wound)
        assert window.control.overlays.shown == ()
        count = len(window.document.project.candidates)
        assert panel.found is not None
        remedy = panel.found.remedies[0]
        click(panel.takes[0])
        assert not panel.takes[0].isEnabled()  # it is of the project before
        assert not panel.shows[0].isEnabled()
        project = window.document.project
        if remedy.alternative.of_rig:
            assert project.rig == remedy.alternative.rig
        else:
            assert len(project.candidates) == count + 1
            assert project.candidates[-1].controller == remedy.alternative.law
        qtbot.waitUntil(lambda: not window.runner.busy and not window.runner.jobs.busy("why"), timeout=60_000)
        window.document.undo()
        assert len(window.document.project.candidates) == count
        panel.measure.setCurrentIndex(next(k for k in range(panel.measure.count())
                                           if "Recovery" in panel.measure.itemText(k)))  # fmt: skip
        panel.measure.activated.emit(panel.measure.currentIndex())
        qtbot.waitUntil(lambda: panel.question.text().startswith("Why is it back"), timeout=60_000)
        click(window.control.why_button)
        assert not panel.isVisible()
    finally:
        close_window(window)


def test_the_goal_is_asked_for_and_drawn_as_ground(window: MainWindow, qtbot: QtBot) -> None:
    del qtbot
    window.document.apply(put(window.document.project, ("rig", "goal"), None), "no goal")
    window.rig.wanted.emit()
    assert "what must be kept" in window.rig.goal.text()
    click(window.rig.goal)
    goal = window.document.project.rig.goal
    assert goal is not None
    assert (goal.body, goal.low_degC, goal.high_degC) == ("Air", 58, 62)
    assert window.rig.goal.text().startswith("Goal: Air 58.0 °C … 62.0 °C")
    window.control.wanted.emit()
    grounds = {
        level.value: level.below
        for level in window.control.strip.lane("temperature")[0].levels
        if level.ground == "tinted"
    }
    assert grounds == {58: True, 62: False}
    window.document.apply(put(window.document.project, ("rig", "goal", "low_degC"), None), "no lowest")
    window.control.wanted.emit()
    levels = window.control.strip.lane("temperature")[0].levels
    [level] = [level for level in levels if level.text.startswith("Air at most 62")]
    assert level.ground == "tinted"
    assert not level.below


def test_the_gain_is_turned_up_until_it_rings(window: MainWindow, qtbot: QtBot) -> None:
    window.view.select("Careful PID")
    click(window.control.charts.ring_button)
    overlays = window.control.overlays
    qtbot.waitUntil(lambda: len(overlays.shown) == 5, timeout=60_000)
    gains = [law_of_run(each.run).kp_per_K for each in overlays.shown]
    assert gains == sorted(gains)
    assert gains[0] > law_of(window, "Careful PID").kp_per_K
    names = {trace.name for trace in window.control.strip.lane("temperature")[0].traces}
    assert {each.name for each in overlays.shown} <= names
    click(window.control.charts.ring_button)
    assert overlays.shown == ()
    click(window.control.charts.ring_button)
    qtbot.waitUntil(lambda: len(overlays.shown) == 5, timeout=60_000)
    window.document.apply(
        put(window.document.project, ("candidates", 1, "controller", "td_s"), 20.0), "another law: they are of none now"
    )
    assert overlays.shown == ()


def law_of_run(run: Run) -> Pid:
    assert isinstance(run.controller, Pid)
    return run.controller


def test_the_loop_over_frequency_says_where_it_rings(window: MainWindow, qtbot: QtBot) -> None:
    window.view.select("Careful PID")
    click(window.control.charts.loop_button)
    picture = window.control.charts.loop
    qtbot.waitUntil(lambda: "oscillates with a period" in picture.says.text(), timeout=60_000)
    assert "1.76" in picture.says.text()  # the peak sensitivity that the reserve says
    window.view.select("On/off ±1")
    qtbot.waitUntil(lambda: "no linear law" in picture.says.text(), timeout=60_000)
    # One lag does not describe this rig, so that no cycle is foretold by one.
    qtbot.waitUntil(lambda: window.control.reserve.text == "", timeout=60_000)
    click(window.control.charts.loop_button)
    assert not picture.isVisible()


def test_settings_are_typed_in_another_form(window: MainWindow, qtbot: QtBot) -> None:
    del qtbot
    window.view.select("Careful PID")
    settings = window.control.settings
    settings._toggle_more()
    forms = settings.forms
    assert forms is not None
    forms.box.setCurrentIndex(forms.box.findData("parallel"))
    forms.box.activated.emit(forms.box.currentIndex())
    law = law_of(window, "Careful PID")
    assert float(forms.lines[1].text()) == pytest.approx(law.kp_per_K / law.ti_s, rel=1e-5)

    def type_in(row: int, text: str) -> None:
        line = forms.lines[row]
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)

    type_in(1, "0.0005")
    made = law_of(window, "Careful PID")
    assert made.kp_per_K / made.ti_s == pytest.approx(0.0005)
    assert (made.kp_per_K, made.kp_per_K * made.td_s) == pytest.approx((law.kp_per_K, law.kp_per_K * law.td_s))
    type_in(0, "-1")
    assert forms.lines[0].wrong
    assert "above 0" in forms.fault.text()
    assert law_of(window, "Careful PID") == made
    type_in(0, "banana")
    assert "does not start with a number" in forms.fault.text()
    type_in(0, "0.2")
    assert not forms.fault.text()
    assert law_of(window, "Careful PID").kp_per_K == pytest.approx(0.2)
    forms.lines[0].setText("3")
    forms.lines[0].setModified(True)
    other = window.document.project.candidates[0]
    window.view.select("On/off ±1")  # what was being typed belongs to the one it was typed for
    assert law_of(window, "Careful PID").kp_per_K in (pytest.approx(0.2), pytest.approx(3.0))
    assert window.document.project.candidates[0] == other


def test_remarks_are_flags_at_settings_and_a_list(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("heatsink-fan").build())
    try:
        window.view.select("Three steps")
        control = window.control
        qtbot.waitUntil(lambda: len(window.remarks.found) == 2, timeout=60_000)
        window.rig.wanted.emit()
        window.rig.select(key_of("drive", 0))
        flags = [flag for flag in window.rig.panel.findChildren(Flag) if flag.isVisible()]
        assert len(flags) == 1
        assert "400 times a second" in flags[0].findChild(PlainLabel).text()
        window.control.wanted.emit()
        window.menus.actions["Remarks"].trigger()
        shown = control.lists.remarks_list
        assert shown is not None
        assert len(shown.buttons) == 2
        QTest.keyClick(shown, Qt.Key.Key_F8)
        assert shown.buttons[1].hasFocus()
        shown.reasons[0].setText("the amplifier is louder")
        QTest.keyClick(shown.reasons[0], Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: len(window.remarks.found) == 1, timeout=60_000)
        assert window.document.project.rig.set_aside[0].reason == "the amplifier is louder"
        assert len(shown.buttons) == 1
        click(shown.buttons[0])
        law = window.document.project.candidates[0].controller
        assert law.steps[1].back_off_K == 2.0  # type: ignore[union-attr]
        qtbot.waitUntil(lambda: window.remarks.found == [], timeout=60_000)
        shown.close()
        window.document.undo()
        qtbot.waitUntil(lambda: len(window.remarks.found) == 1, timeout=60_000)
        assert window.document.project.rig.set_aside
    finally:
        close_window(window)


def test_what_a_remark_is_of_may_have_gone_when_it_is_set_aside(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    try:
        qtbot.waitUntil(lambda: any(each.candidate for each in window.remarks.found), timeout=60_000)
        remark = next(each for each in window.remarks.found if each.candidate)
        window.view.select(remark.candidate)
        window.menus.actions["Delete"].trigger()
        before = window.document.project
        window.remarks.put_aside(remark, "of no account")
        assert window.document.project == before
        window.document.undo()
        window.remarks.put_aside(replace(remark, text="of another project"), "of no account")
        assert not window.document.project.candidate(remark.candidate).set_aside
        window.remarks.put_aside(remark, "of no account")
        assert window.document.project.candidate(remark.candidate).set_aside
    finally:
        close_window(window)


def test_remarks_of_one_project_are_not_flagged_in_the_next(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    try:
        window.rig.wanted.emit()
        qtbot.waitUntil(lambda: any("Stuck on" in each.text for each in window.remarks.found), timeout=60_000)
        window.document.replace(find_demo("heatsink-fan").build(), None)
        QCoreApplication.processEvents()
        window.rig.select(key_of("drive", 0))  # the same setting of another drive
        assert not [flag for flag in window.rig.panel.findChildren(Flag) if flag.isVisible()]
        qtbot.waitUntil(lambda: not window.remarks.busy, timeout=60_000)
        flags = [flag for flag in window.rig.panel.findChildren(Flag) if flag.isVisible()]
        assert ["400 times a second" in flag.findChild(PlainLabel).text() for flag in flags] == [True]
    finally:
        close_window(window)


def test_cards_of_a_fan_say_what_matters_for_a_fan(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("heatsink-fan").build())
    try:
        qtbot.waitUntil(lambda: window.runner.result_of("Three steps") is not None, timeout=60_000)
        figures = window.control.cards.card("Three steps").figures()
        result = window.runner.result_of("Three steps")
        assert result is not None
        hottest, starts = result.measures.hottest_degC["Sink"], result.measures.values["steps_per_h"]
        assert [caption for caption, _, _ in figures] == ["hottest", "step starts", "mean drive"]
        assert figures[0][1] == f"{hottest:.1f} °C"
        assert figures[1][1:] == (f"{starts:.0f} /h", "ember")
        assert "3 of 4 marks met" in window.control.cards.card("Three steps").accessibleDescription()
        settings = window.control.settings
        window.view.select("Quiet PI")
        settings._toggle_more()
        window.control.candidate_actions.feed_forward()
        law = window.document.project.candidates[2].controller
        assert isinstance(law, Pid)
        assert (law.feed_per_K or 0) > 0
    finally:
        close_window(window)
