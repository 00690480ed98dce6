"""What can be reached from where: every setting, every mark, every station, by mouse, wheel and keys."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QMenu, QPushButton, QWidget

from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.fields.plain import ChoiceField, NameEdit, SwitchField
from kelvarn.desktop.fields.ruler import RulerScale
from kelvarn.desktop.frame.window import BENCH, CONTROL, FIT, HANDOVER, RIG, TRIAL, MainWindow
from kelvarn.desktop.stations.control.mark_editor import MarkEditor
from kelvarn.desktop.stations.control.marks import MarkBar
from kelvarn.model.edit import put
from kelvarn.model.mark import MEASURES
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid

from .conftest import click, drag, type_into

NONE, SHIFT, CTRL, ALT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


def fields(parent: QWidget) -> dict[str, NumberEdit]:
    return {edit.accessibleName(): edit for edit in parent.findChildren(NumberEdit) if edit.isVisibleTo(parent)}


def button(parent: QWidget, text: str) -> QPushButton:
    return next(b for b in parent.findChildren(QPushButton) if b.text().startswith(text))


def wheel(widget: QWidget, at: QPointF, turns: int, modifiers: Qt.KeyboardModifier = NONE) -> bool:
    """Turn the wheel over a point; whether somebody wanted it."""
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, 120 * turns), Qt.MouseButton.NoButton, modifiers,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)
    return event.isAccepted()


def controller(window: MainWindow) -> Pid | OnOff:
    return window.control.candidate_actions.selected.controller


# Settings


def test_every_setting_of_every_strategy_is_reached_and_takes_its_unit(window: MainWindow) -> None:
    panel = window.control.settings
    click(button(panel, "+ more"))
    expected = {
        "On/off": {"Switches on below the setpoint by", "Switches off above the setpoint by", "Shortest on",
                   "Restart delay", "Confirm delay",
                   "Decides every"},
        "P": {"Gain Kp", "Bias", "Lowest drive", "Highest drive", "Rate limit"},
        "PI": {"Gain Kp", "Integral time Ti", "Setpoint weight b", "Bias", "Lowest drive", "Highest drive",
               "Rate limit", "Tracking time Tt"},
        "PID": {"Gain Kp", "Integral time Ti", "Derivative time Td", "Setpoint weight b", "Filter N", "Speed weight c",
                "Bias", "Lowest drive", "Highest drive", "Rate limit", "Tracking time Tt"},
    }  # fmt: skip
    of_trial = {"Setpoint", "Duration", "Starts at", "Settled within ±"}
    for strategy, names in expected.items():
        click(next(b for b in panel.findChildren(QPushButton) if b.text() == strategy))
        assert window.control.candidate_actions.selected.strategy.lower() == strategy.lower()
        shown = set(fields(panel))
        assert names <= shown
        assert of_trial <= shown
        assert not (set().union(*expected.values()) - names) & shown, strategy
    for title, text, field, value in (
        ("Filter N", "12", "filter_n", 12),
        ("Lowest drive", "5 %", "low", 0.05),
        ("Highest drive", "80", "high", 0.8),
        ("Bias", "7.5", "bias", 0.075),
        ("Rate limit", "2", "rate_per_s", 0.02),
        ("Rate limit", "90 %/min", "rate_per_s", 0.015),
        ("Rate limit", "", "rate_per_s", None),
        ("Tracking time Tt", "3 min", "tracking_s", 180),
        ("Speed weight c", "0.25", "derivative_weight", 0.25),
    ):
        type_into(fields(panel)[title], text)
        assert getattr(controller(window), field) == pytest.approx(value)
    click(button(panel, "– fewer settings"))
    assert "Filter N" not in fields(panel)


def test_limits_out_of_order_are_refused_beside_the_field(window: MainWindow) -> None:
    panel = window.control.settings
    click(button(panel, "+ more"))
    edit = fields(panel)["Lowest drive"]
    type_into(edit, "90 %")
    complaints: list[str] = []
    edit = fields(panel)["Highest drive"]
    edit.complaint.connect(complaints.append)
    type_into(edit, "50 %")
    found = controller(window)
    assert isinstance(found, Pid)
    assert (found.low, found.high) == (0.9, 1.0)
    assert complaints[-1] == "Lowest drive must be below the highest (50 %), not 90 %."
    QTest.keyClick(edit, Qt.Key.Key_Escape)
    assert edit.text() == "100 %"
    assert not edit.property("wrong")


@pytest.mark.parametrize("station", [CONTROL, RIG])
def test_undo_and_redo_are_the_projects_right_after_a_value_was_typed(window: MainWindow, station: int) -> None:
    window.go_to(station)
    panel, title = {CONTROL: (window.control.settings, "Duration"), RIG: (window.rig.panel, "Heat capacity")}[station]
    before, edit = window.document.project, fields(panel)[title]
    old = edit.text()
    type_into(edit, "7777")
    changed = window.document.project
    assert changed != before
    assert edit.hasFocus()
    QTest.keyClick(edit, Qt.Key.Key_Z, CTRL)
    assert (window.document.project, edit.text()) == (before, old)
    QTest.keyClick(edit, Qt.Key.Key_Z, CTRL | SHIFT)
    assert window.document.project == changed
    QTest.keyClicks(edit, "8")  # what is being typed is undone by itself
    QTest.keyClick(edit, Qt.Key.Key_Z, CTRL)
    assert window.document.project == changed


def test_switch_and_choices_are_edits_like_all_others(window: MainWindow) -> None:
    panel = window.control.settings
    click(button(panel, "+ more"))
    windup = next(f for f in panel.findChildren(ChoiceField) if f.box.accessibleName() == "Anti-windup")
    windup.box.setCurrentIndex(windup.box.findData("hold"))
    windup.box.activated.emit(windup.box.currentIndex())
    found = controller(window)
    assert isinstance(found, Pid)
    assert found.anti_windup == "hold"
    assert "Tracking time Tt" not in fields(panel)
    click(next(b for b in panel.findChildren(QPushButton) if b.text() == "On/off"))
    once = next(f for f in panel.findChildren(SwitchField) if f.text() == "Once only")
    once.click()
    found = controller(window)
    assert isinstance(found, OnOff)
    assert found.once
    for _ in range(3):
        window.document.undo()
    assert not window.document.dirty


def test_a_wheel_over_a_choice_scrolls_and_does_not_choose(window: MainWindow) -> None:
    box = window.control.settings.findChildren(QComboBox)[0]
    before = window.document.project, box.currentIndex()
    assert not wheel(box, QPointF(5, 5), 1)
    assert (window.document.project, box.currentIndex()) == before


def test_arrow_keys_step_rulers_and_numbers(window: MainWindow) -> None:
    ruler = next(r for r in window.control.settings.findChildren(RulerScale) if r.accessibleName() == "Gain Kp ruler")
    ruler.setFocus()
    values = [0.16]
    for key, modifiers in ((Qt.Key.Key_Right, NONE), (Qt.Key.Key_Right, SHIFT), (Qt.Key.Key_Left, ALT)):
        QTest.keyClick(ruler, key, modifiers)
        found = controller(window)
        assert isinstance(found, Pid)
        values.append(found.kp_per_K)
    one, ten, tenth = values[1] / values[0], values[2] / values[1], values[2] / values[3]
    assert 1 < tenth < one < ten
    start = QPointF(ruler.x_of(values[-1]), 6)
    drag(ruler, start, start + QPointF(60, 0), release=False)
    QTest.keyClick(ruler, Qt.Key.Key_Escape)
    found = controller(window)
    assert isinstance(found, Pid)
    assert found.kp_per_K == pytest.approx(values[-1])
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=start.toPoint())


def test_an_event_is_renamed_refused_and_removed(window: MainWindow) -> None:
    window.go_to(TRIAL)
    window.trial.show_event("Door")
    panel = window.trial.panel
    name = next(e for e in panel.findChildren(NameEdit) if e.text() == "Door")
    type_into(name, "Cold night")
    assert name.property("wrong")
    assert window.document.project.trials[0].events[0].name == "Door"
    type_into(name, "Hatch")
    assert window.document.project.trials[0].events[0].name == "Hatch"
    assert any(mark.event == "Hatch" for mark in window.document.project.trials[0].marks)
    gone = next(b for b in panel.findChildren(QPushButton) if b.accessibleName() == "Remove event Hatch")
    click(gone)
    trial = window.document.project.trials[0]
    assert [event.name for event in trial.events] == ["Cold night"]
    assert not any(mark.event == "Hatch" for mark in trial.marks)
    window.document.undo()
    window.document.undo()
    assert not window.document.dirty


# Strip


def test_the_wheel_zooms_about_the_pointer(window: MainWindow) -> None:
    strip = window.control.strip
    at = QPointF(strip.width() * 0.6, 150)
    time, degC = strip.time_axis().from_px(at.x()), strip.lane("temperature")[1].value.from_px(at.y())
    before = strip.time_axis().high - strip.time_axis().low
    assert wheel(strip, at, 2)
    axis = strip.time_axis()
    assert axis.high - axis.low == pytest.approx(before * 0.64)
    assert axis.from_px(at.x()) == pytest.approx(time)
    height = strip.lane("temperature")[1].value.high - strip.lane("temperature")[1].value.low
    assert wheel(strip, at, 1, SHIFT)
    axis = strip.lane("temperature")[1].value
    assert axis.high - axis.low == pytest.approx(height * 0.8)
    assert axis.from_px(at.y()) == pytest.approx(degC)
    window.menus.actions["Zoom back"].trigger()
    assert strip.lane("temperature")[1].value.high - strip.lane("temperature")[1].value.low == pytest.approx(height)
    window.menus.actions["Fit the strip"].trigger()
    assert (strip.time_axis().low, strip.time_axis().high) == (0, 14400)


def test_a_zoomed_strip_is_pulled_along_and_stops_at_its_ends(window: MainWindow) -> None:
    strip = window.control.strip
    for _ in range(4):
        QTest.keyClick(strip, Qt.Key.Key_Plus)
    low, high = strip.time_axis().low, strip.time_axis().high
    free = QPointF(420, 250)
    drag(strip, free, free + QPointF(120, 0))
    assert strip.time_axis().low < low
    assert strip.time_axis().high - strip.time_axis().low == pytest.approx(high - low)
    assert not window.view.pinned
    for _ in range(12):
        drag(strip, free, free + QPointF(300, 0))
    assert strip.time_axis().low == 0
    for _ in range(12):
        drag(strip, free, free - QPointF(300, 0))
    assert strip.time_axis().high == 14400
    QTest.mouseDClick(strip, Qt.MouseButton.LeftButton, pos=free.toPoint())
    assert (strip.time_axis().low, strip.time_axis().high) == (0, 14400)


def test_keys_move_the_cursor_by_pixels_and_readings_follow(window: MainWindow) -> None:
    strip = window.control.strip
    window.view.move_cursor(7200.0)
    window.control.show_cursor()
    step = 1 / strip.time_axis().px_per_unit
    at = window.view.cursor_s
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert window.view.cursor_s - at == pytest.approx(step, abs=1.0)
    QTest.keyClick(strip, Qt.Key.Key_Left, SHIFT)
    assert window.view.cursor_s - at == pytest.approx(-9 * step, abs=2.0)
    for _ in range(400):
        QTest.keyClick(strip, Qt.Key.Key_Left, SHIFT)
    assert window.view.cursor_s == 0
    assert window.control.why_line.text().startswith("Careful PID: ")


def test_an_untouchable_spot_drags_nothing(window: MainWindow) -> None:
    before = window.document.project
    strip = window.control.strip
    drag(strip, QPointF(400, 250), QPointF(500, 320))
    QTest.mousePress(strip, Qt.MouseButton.RightButton, pos=QPoint(300, 200))
    QTest.mouseRelease(strip, Qt.MouseButton.RightButton, pos=QPoint(300, 200))
    assert window.document.project is before


# Cards and marks


def test_cards_are_walked_through_and_have_a_menu(window: MainWindow) -> None:
    cards = window.control.cards
    first, second = cards.card("On/off ±1"), cards.card("Careful PID")
    second.setFocus()
    QTest.keyClick(second, Qt.Key.Key_Up)
    QTest.keyClick(first, Qt.Key.Key_Return)
    assert window.control.candidate_actions.selected.name == "On/off ±1"
    window.menus.actions["Next candidate"].trigger()
    assert window.control.candidate_actions.selected.name == "Careful PID"
    window.menus.actions["Next candidate"].trigger()
    window.menus.actions["Previous candidate"].trigger()
    assert window.control.candidate_actions.selected.name == "Careful PID"
    QApplication.sendEvent(
        first, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(9, 9), first.mapToGlobal(QPoint(9, 9)))
    )
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    assert window.control.candidate_actions.selected.name == "On/off ±1"
    names = [action.text() for action in menu.actions()]
    assert names == ["Choose for the device", "Rename", "Duplicate", "Hide or show", "Delete"]
    menu.actions()[2].trigger()
    menu.close()
    assert [c.name for c in window.document.project.candidates][-1] == "On/off ±1 2"


def test_renaming_can_be_given_up(window: MainWindow) -> None:
    window.menus.actions["Rename"].trigger()
    line = QApplication.focusWidget() or window.control.cards.card("Careful PID").findChildren(QLineEdit)[-1]
    assert isinstance(line, QLineEdit)
    QTest.keyClicks(line, "Else")
    QTest.keyClick(line, Qt.Key.Key_Escape)
    assert window.document.undo_name is None
    assert window.document.project.candidates[1].name == "Careful PID"


def test_the_last_candidate_stays(window: MainWindow) -> None:
    window.menus.actions["Delete"].trigger()
    window.menus.actions["Delete"].trigger()
    assert len(window.document.project.candidates) == 1


def editor() -> MarkEditor:
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, MarkEditor) and w.isVisible())


@pytest.mark.parametrize("measure", MEASURES)
def test_a_mark_of_every_measure_can_be_set(window: MainWindow, measure: str) -> None:
    kind = MEASURES[measure]
    click(button(window.control.marks, "+ mark"))
    form = editor()
    form._measure.setCurrentIndex(form._measure.findData(measure))
    form._measure.activated.emit(form._measure.currentIndex())
    assert form._subject.isEnabled() == (kind.scope in ("event", "body"))
    type_into(form._limit, "50")
    mark = window.document.project.trials[0].marks[-1]
    assert mark.measure == measure
    assert (mark.event is not None) == (kind.scope == "event")
    assert (mark.body is not None) == (kind.scope == "body")
    bar = window.control.marks.bars[-1]
    assert bar.accessibleName().startswith(f"Mark {mark.title}")
    assert not bar.grab().isNull()
    verdict = window.runner.result_of("Careful PID").verdicts[-1]
    assert verdict.value is not None or verdict.reason
    bar.setFocus()
    QTest.keyClick(bar, Qt.Key.Key_Return)
    assert editor()._measure.currentData() == measure
    click(button(editor(), "Remove"))
    window.document.undo()
    window.document.undo()
    assert not window.document.dirty


def test_a_mark_without_an_answer_says_why(window: MainWindow) -> None:
    project = put(window.document.project, ("candidates", 1, "controller", "kp_per_K"), 1e-6)
    window.document.apply(project, "far too weak")
    bars: list[MarkBar] = window.control.marks.bars
    settled = next(bar for bar in bars if "Settled" in bar.accessibleName())
    assert settled.accessibleName().endswith("never")
    assert "outside the band at the end" in settled.toolTip()


# Stations, finder


def test_the_line_is_walked_by_keys_and_by_mouse(window: MainWindow) -> None:
    line = window.line
    line.setFocus()
    for key, station in ((Qt.Key.Key_Left, FIT), (Qt.Key.Key_Left, RIG), (Qt.Key.Key_Left, RIG),
                         (Qt.Key.Key_Right, FIT), (Qt.Key.Key_Right, CONTROL),
                         (Qt.Key.Key_Down, TRIAL), (Qt.Key.Key_Right, BENCH),
                         (Qt.Key.Key_Right, HANDOVER), (Qt.Key.Key_Right, HANDOVER)):  # fmt: skip
        QTest.keyClick(line, key)
        assert window.stations.index(window.station) == station
    click(line, QPoint(5, 50))
    assert window.stations.index(window.station) == HANDOVER
    click(line, line.station_rect(2).center().toPoint())
    assert window.stations.index(window.station) == CONTROL


def test_units_are_chosen_in_the_corner(window: MainWindow) -> None:
    box = window.line.scale_box
    for text, shown in (("°F", "140 °F"), ("K", "333.15 K"), ("°C", "60 °C")):
        box.setCurrentIndex(box.findText(text))
        box.activated.emit(box.currentIndex())
        assert fields(window.control.settings)["Setpoint"].text() == shown
    assert not window.document.dirty
