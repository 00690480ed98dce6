"""Lanes: traces with times of their own, what can be chosen, keys and words for those who cannot see, pictures."""

import re
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.fields.notes import NotesEdit
from kelvarn.desktop.fields.plain import NameEdit
from kelvarn.desktop.frame.window import CONTROL, HANDOVER, RIG, TRIAL, MainWindow
from kelvarn.desktop.lanes import drive as drive_lanes
from kelvarn.desktop.lanes.choice import LANES
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.stations.control.cards import beyond_text, figures_of
from kelvarn.desktop.strip.lane import Handle, Lane, LaneTrace, Shown, ValueAxis
from kelvarn.desktop.strip.strip import Strip
from kelvarn.model.drives import Relay
from kelvarn.model.edit import EditError, add_trial, put, remove_trial, with_fields
from kelvarn.model.events import DriveFault
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import CutOff
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig_edit import to_response
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.results import result_of
from kelvarn.units import Quantity, Scale
from tests.conftest import one_lag, trial

from .conftest import close_window, drag, open_window, type_into, wait_for_step


def lane_of(*traces: LaneTrace, handles: tuple[Handle, ...] = ()) -> Lane:
    return Lane("t", "Temperature", ValueAxis(Quantity.TEMPERATURE), traces=traces, handles=handles)


def test_each_trace_is_read_by_its_own_times() -> None:
    fine, coarse = np.arange(0, 101, 1.0), np.arange(0, 101, 7.0)
    lane = lane_of(
        LaneTrace("fine", fine, fine, 0),
        LaneTrace("coarse", coarse, coarse, 1),
        LaneTrace("short", fine[:31], fine[:31], 2),
    )
    assert [(r.name, r.text) for r in lane.readings(72.0)] == [("fine", "72.0 °C"), ("coarse", "70.0 °C")]
    assert [r.text for r in lane.readings(20.0)] == ["20.0 °C", "21.0 °C", "20.0 °C"]


def test_the_step_from_warm_is_read_where_it_is_drawn(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("wax-pot").build())
    try:
        window.go_to(RIG)
        wait_for_step(qtbot, window)
        steps = window.rig.steps
        assert steps.cold is not None
        assert steps.warm is not None
        assert steps.cold.run.time_s[1] != steps.warm.run.time_s[1]  # the intervals differ
        window.rig.strip.move_cursor(0.4 * float(steps.cold.run.time_s[-1]))
        window.rig.show_cursor()
        at, warm = window.rig.strip.cursor_s, steps.warm.run
        assert at is not None
        found = re.search(r"Wax from warm ([\d.]+) °C", window.rig.strip.accessibleDescription())
        assert found is not None
        assert float(found[1]) == pytest.approx(float(np.interp(at, warm.time_s, warm.judged_degC)), abs=0.2)
    finally:
        close_window(window)


def toggle(window: MainWindow, key: str) -> None:
    """Click a lane in the list at the strip's edge."""
    menu = window.control.lanes.menu_of_lanes()
    action = next(each for each in menu.actions() if each.text() == LANES[key].words)
    if action.isEnabled():
        action.trigger()


def test_every_lane_can_be_chosen_and_the_choice_is_kept(window: MainWindow) -> None:
    for key in LANES:
        if key not in window.document.project.lanes:
            toggle(window, key)
        assert key in window.document.project.lanes
    lanes = [lane for lane, _ in window.control.strip.frames()]
    assert [lane.key for lane in lanes][:3] == ["temperature", "bodies", "probes"]
    window.grab()
    for lane in lanes:
        assert lane.axis is None or lane.readings(3000.0), lane.key
    for key in LANES:
        toggle(window, key)
    assert window.document.project.lanes == ("events",)  # the last one stays
    while window.document.undo_name is not None:
        window.document.undo()
    assert window.document.project.lanes == ("temperature", "drive", "switching", "events")


def test_the_axis_names_what_it_is_about(qtbot: QtBot, cabinet: Project) -> None:
    answer = ResponseModel(name="Humidity", unit="% RH", gain_K=60.0)
    window = open_window(qtbot, to_response(cabinet, answer))
    try:
        assert window.control.strip.lane("temperature")[0].title == "Humidity, % RH"
        window.go_to(RIG)
        wait_for_step(qtbot, window)
        assert window.rig.strip.lane("bodies")[0].title == "Humidity, % RH"
    finally:
        close_window(window)


def test_what_is_on_the_strip_can_be_heard(window: MainWindow) -> None:
    strip = window.control.strip
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Right)
    said = strip.accessibleDescription()
    for part in ("Careful PID ★", "setpoint 60.0 °C", "settled 32 min", "Door 100 s", "full drive 4 min"):
        assert part in said, said


def test_handles_are_moved_by_keys_as_by_the_mouse(window: MainWindow) -> None:
    strip, document = window.control.strip, window.document
    window.menus.actions["Select the next handle"].trigger()
    assert strip.taken is not None
    assert strip.taken.name == "the setpoint"
    assert "the setpoint: 60.0 °C" in strip.accessibleDescription()
    QTest.keyClick(strip, Qt.Key.Key_Up)
    QTest.keyClick(strip, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert document.project.first_trial.plan.last_degC == 65.5
    assert "the setpoint: 65.5 °C" in strip.accessibleDescription()
    QTest.keyClick(strip, Qt.Key.Key_Right)  # along time it does not go
    assert document.project.first_trial.plan.last_degC == 65.5
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert document.undo_name == "Setpoint 60.0 °C → 65.5 °C"
    document.undo()
    assert not document.dirty
    while strip.taken is None or strip.taken.name != "“Door”":
        window.menus.actions["Select the next handle"].trigger()
    assert "“Door”: 2 h; arrows move" in strip.accessibleDescription()
    QTest.keyClick(strip, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert document.project.first_trial.events[0].at_s < 7200
    QTest.keyClick(strip, Qt.Key.Key_Escape)  # given up
    assert not document.dirty
    assert document.undo_name is None


def test_a_corner_of_the_plan_is_dragged_in_two_directions(qtbot: QtBot, cabinet: Project) -> None:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=5400, to_degC=45, ramp_K_per_s=0.02)))
    window = open_window(qtbot, put(cabinet, ("trials", 0, "plan"), plan))
    try:
        strip = window.control.strip
        frame = strip.lane("temperature")[1]
        start = strip.rect_of("the corner of setpoint 2").center()
        drag(strip, start, start + QPointF(1800 * frame.time.px_per_unit, 10 * frame.value.px_per_unit))
        moved = window.document.project.first_trial.plan.changes[1]
        assert moved.at_s == pytest.approx(7200, abs=60)
        assert moved.to_degC == pytest.approx(55, abs=1)
        assert moved.ramp_K_per_s == 0.02
        start = strip.rect_of("the corner of setpoint 2").center()
        drag(strip, start, start - QPointF(20000 * frame.time.px_per_unit, 0))  # not before the first one
        assert 0 < window.document.project.first_trial.plan.changes[1].at_s < 60
        start = strip.rect_of("the corner of setpoint 2").center()
        strip.zoom.ranges["temperature"] = (0.0, 5000.0)
        strip.repaint_all()
        start = strip.rect_of("the corner of setpoint 2").center()
        drag(strip, start, start + QPointF(0, 40))  # to below absolute zero
        assert window.document.project.first_trial.plan.changes[1].to_degC >= -273
        while window.document.undo_name is not None:
            window.document.undo()
        assert window.document.project.first_trial.plan == plan
    finally:
        close_window(window)


def test_the_strip_knows_nothing_of_what_it_shows() -> None:
    folder = Path(__file__).parents[2] / "src" / "kelvarn" / "desktop" / "strip"
    for path in folder.glob("*.py"):
        assert not re.search(r"from kelvarn\.(model|studies|demos)", path.read_text(encoding="utf-8")), path


def test_a_handle_carries_its_edit(qtbot: QtBot) -> None:
    went: list[tuple[float, float]] = []

    def to(time_s: float, value: float) -> str:
        went.append((time_s, value))
        return "there"

    time = np.arange(0, 101, 1.0)
    strip = Strip(Document(find_demo("wax-pot").build()))
    qtbot.addWidget(strip)
    strip.resize(700, 400)
    handle = Handle("it", "corner", "both", to, at_s=50, value=20)
    strip.show_lanes(Shown((lane_of(LaneTrace("x", time, time, 0), handles=(handle,)),), 100.0, time))
    strip.show()
    frame, at = strip.frames()[0][1], strip.rect_of("it").center()
    drag(strip, at, at + QPointF(10 * frame.time.px_per_unit, 5 * frame.value.px_per_unit))
    assert went[-1] == pytest.approx((60, 25), abs=0.8)


def test_pictures_are_vectors_or_pixels_as_asked(window: MainWindow, tmp_path: Path) -> None:
    strip = window.control.strip
    strip.save_picture(tmp_path / "x.svg")
    drawn = (tmp_path / "x.svg").read_text(encoding="utf-8")
    assert "<image" not in drawn
    assert "base64" not in drawn
    assert drawn.count("<polyline") + drawn.count("<path") > 100
    assert "full drive 4 min" in drawn
    # Readers that know nothing of clipping show the same, also where curves leave their lanes.
    strip.zoom.ranges["temperature"] = (50.0, 62.0)
    strip.save_picture(tmp_path / "x.svg")
    shown = QImage(strip.size(), QImage.Format.Format_RGB32)
    painter = QPainter(shown)
    QSvgRenderer(re.sub(r' clip-path="[^"]*"', "", (tmp_path / "x.svg").read_text("utf-8")).encode()).render(painter)
    painter.end()
    pixels = strip.image()
    apart = [
        abs(shown.pixelColor(x, y).lightness() - pixels.pixelColor(x, y).lightness()) > 60
        for x in range(0, strip.width(), 3)
        for y in range(0, strip.height(), 3)
    ]
    assert sum(apart) < 0.02 * len(apart)
    strip.save_picture(tmp_path / "x.png")
    assert QImage(str(tmp_path / "x.png")).size() == strip.size()
    window.menus.actions["Copy the strip as a picture"].trigger()


def test_a_project_has_several_trials_and_everything_speaks_of_the_one_shown(window: MainWindow) -> None:
    document, settings = window.document, window.control.settings
    window.menus.actions["Copy the trial"].trigger()
    assert [trial.name[-1] for trial in document.project.trials] == ["t", "2"]
    assert window.view.trial(document.project).name.endswith(" 2")
    window.go_to(CONTROL)
    assert settings.trial_box.count() == 2
    document.set(("trials", 1, "plan", "changes", 0, "to_degC"), 40.0, "cooler")
    assert "on “Cold start, door, cold night 2”" in window.control.marks._caption.text()
    result = window.runner.result_of("Careful PID")
    assert result is not None
    assert result.measures.main.setpoint_degC == 40
    window.go_to(HANDOVER)
    assert "setpoint 40.0 °C" in window.handover.text()
    window.handover.set_target("json")
    assert '"setpoint_degC": 40.0' in window.handover.text()
    window.go_to(CONTROL)
    settings.trial_box.setCurrentIndex(0)
    settings.trial_box.activated.emit(0)
    assert window.control.strip.lane("temperature")[0].also == (60.0,)
    result = window.runner.result_of("Careful PID")
    assert result is not None
    assert result.measures.main.setpoint_degC == 60
    window.menus.actions["Next trial"].trigger()
    window.go_to(TRIAL)
    window.menus.actions["Delete the trial"].trigger()
    assert len(document.project.trials) == 1
    with pytest.raises(EditError, match="last trial"):
        remove_trial(document.project, document.project.first_trial.name)
    assert add_trial(document.project, document.project.first_trial.name)[1].endswith(" 2")


def test_notes_and_reasons_are_typed(window: MainWindow) -> None:
    window.go_to(TRIAL)
    notes = next(edit for edit in window.trial.panel.findChildren(NotesEdit) if edit.isVisible())
    notes.setFocus()
    QTest.keyClicks(notes, "as the data sheet says")
    window.trial.strip.setFocus()
    assert window.document.project.first_trial.notes == "as the data sheet says"
    window.go_to(RIG)
    window.rig.select("Heater mat")
    lines = window.rig.panel.findChildren(NameEdit)
    type_into(next(edit for edit in lines if edit.accessibleName() == "Limit is"), "silicone")
    assert window.document.project.rig.bodies[0].limit_why == "silicone"
    assert "beyond 110.0 °C (silicone)" in window.rig.verdict


def test_ticks_of_the_handover_are_set_and_printed(window: MainWindow) -> None:
    window.go_to(HANDOVER)
    assert "☐ <strong>Independent cut-off" in window.handover.text()
    box = next(box for box in window.handover.findChildren(QCheckBox) if box.text() == "Independent cut-off")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    (tick,) = window.document.project.checked
    assert (tick.check, len(tick.at)) == ("cut_off", 16)
    assert "☑ <strong>Independent cut-off" in window.handover.text()
    assert window.document.undo_name == "Independent cut-off: seen to"


def test_a_card_says_where_a_run_departs_further_than_its_figures(window: MainWindow) -> None:
    card = window.control.cards.card("Careful PID")
    assert "28.1 K below setpoint after Door" in card.accessibleDescription()
    calm = with_fields(window.document.project.first_trial, events=(), marks=())
    window.document.set(("trials", 0), calm, "no events")
    assert "away" not in card.accessibleDescription()


def test_showing_asks_for_nothing_to_be_computed(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []
    monkeypatch.setattr(window.runner.jobs, "start", lambda channel, *_: asked.append(channel))
    monkeypatch.setattr(window.runner, "request", lambda *_: asked.append("runs"))
    for station in window.stations:
        for _ in range(3):
            station.refresh()
            station.show_cursor()
    assert asked == []


def test_curves_are_of_what_is_controlled_and_only_the_trial_shown_is_held(window: MainWindow) -> None:
    lane = window.control.strip.lane("temperature")[0]
    for trace, name in zip(lane.traces, ("On/off ±1", "Careful PID"), strict=False):
        result = window.runner.result_of(name)
        assert result is not None
        assert trace.name.startswith(name)
        assert trace.value is result.run.judged_degC  # not what the probe reads
    for _ in range(3):
        window.menus.actions["Copy the trial"].trigger()
    assert {key.trial for key in window.runner.results} == {window.view.trial(window.document.project).name}
    assert len(window.runner.results) == 2


def test_a_run_that_a_guard_ended_shows_what_is_put_out_and_says_so_first() -> None:
    rig = with_fields(one_lag(), guards=(CutOff(name="Fuse", body="Block", at_degC=70),), drives=(
        Relay(body="Block", power_W=200),))  # fmt: skip
    result = result_of(rig, Fixed(drive=1.0), trial(2000, 60))
    run = result.run
    ended = int(np.flatnonzero(run.tripped)[0])
    assert run.drive[-1] == 1  # the controller knows nothing of it
    assert set(drive_lanes.put(run)[ended:].tolist()) == {0.0}
    assert set(drive_lanes.put(run)[1 : ended - 1].tolist()) == {1.0}
    figures = figures_of(result, Scale.CELSIUS)
    assert figures[0] == ("switched off", "at 2 min", "ember")
    assert beyond_text(result, Scale.CELSIUS) == "by “Fuse”"
    stuck = result_of(with_fields(rig, guards=()), Fixed(drive=0.0), trial(200, events=(
        DriveFault(name="S", at_s=100, drive="Heater", fault="stuck_on"),)))  # fmt: skip
    assert drive_lanes.put(stuck.run)[[50, 150]].tolist() == [0, 1]
