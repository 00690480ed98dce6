"""Every kind of part of a rig, added, changed and removed by mouse and keys; the step, the cursor, the words."""

import itertools

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.fields.plain import ChoiceField, NameEdit
from kelvarn.desktop.frame.window import CONTROL, RIG, TRIAL, MainWindow
from kelvarn.desktop.stations.rig.heat_path import HeatPath
from kelvarn.desktop.stations.rig.items import ArrowItem, BodyItem
from kelvarn.desktop.stations.rig.keys import SURROUNDINGS, key_of, known_keys
from kelvarn.desktop.stations.rig.play import Play
from kelvarn.model.bodies import Body, Link
from kelvarn.model.edit import with_fields
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.fields import SURROUNDINGS as OUTSIDE
from kelvarn.model.project import Project
from kelvarn.units import Scale
from kelvarn.words.limitations import limitations

from .conftest import click, type_into, wait_for_step


@pytest.fixture
def rig(window: MainWindow, qtbot: QtBot) -> MainWindow:
    window.go_to(RIG)
    wait_for_step(qtbot, window)
    return window


def number(window: MainWindow, title: str) -> NumberField:
    return next(f for f in window.rig.panel.findChildren(NumberField) if f.edit.accessibleName() == title)


def pick(window: MainWindow, title: str, text: str) -> None:
    """Choose an entry of the first choice with a title, by keys."""
    box = next(f.box for f in window.rig.panel.findChildren(ChoiceField) if f.box.accessibleName() == title)
    index = box.findText(text)
    assert index >= 0, text
    box.setCurrentIndex(index)
    box.activated.emit(index)


def press(window: MainWindow, text: str) -> None:
    """Click a line of the panel."""
    click(next(b for b in window.rig.panel.findChildren(QPushButton) if b.text() == text and b.isVisibleTo(b.parent())))


def names(window: MainWindow) -> list[str]:
    return [field.edit.accessibleName() for field in window.rig.panel.findChildren(NumberField)]


def complaint(window: MainWindow) -> str:
    [box] = window.findChildren(QMessageBox)
    text = str(box.text())
    box.accept()
    box.deleteLater()
    return text


def test_arrows_drives_probes_and_the_wall_are_selected_by_mouse_and_keys(rig: MainWindow) -> None:
    path = rig.rig.heat_path
    for key in (key_of("drive", 0), key_of("probe", 0), SURROUNDINGS):
        click(path.viewport(), path.part(key).rect.center().toPoint())
        assert rig.rig.edits.selected == key
    assert path.part(key_of("drive", 0)).toolTip() == "Mat"
    arrow = path.part(key_of("link", 1))
    click(path.viewport(), arrow.rect.center().toPoint())
    assert rig.rig.edits.selected == key_of("link", 1)
    assert "Radiates over" in names(rig)
    path.setFocus()
    seen = set()
    for _ in known_keys(rig.document.project.rig):
        QTest.keyClick(path, Qt.Key.Key_Down)
        seen.add(rig.rig.edits.selected)
    assert seen == set(known_keys(rig.document.project.rig))


def test_a_fan_is_put_on_a_link_and_taken_off_again(rig: MainWindow) -> None:
    before = rig.document.project
    rig.rig.select("Walls")
    click(rig.rig.parts.add_fan)
    made = rig.document.project.rig
    assert [d.kind for d in made.drives] == ["slow_window", "fan"]
    assert made.links[3].driven_by == "Fan"
    assert rig.rig.edits.selected == key_of("link", 3)
    type_into(number(rig, "At full flow").edit, "12 W/K")
    press(rig, "+ W/K from the flow in m³/h")
    type_into(number(rig, "Flow").edit, "36 m3/h")
    press(rig, "Use 12.1 W/K")
    assert rig.document.project.rig.links[3].full_W_per_K == 12.12
    rig.rig.select(key_of("drive", 1))
    type_into(rig.rig.panel._name, "Breeze")  # type: ignore[arg-type]
    assert rig.document.project.rig.links[3].driven_by == "Breeze"
    rig.rig.heat_path.setFocus()
    QTest.keyClick(rig.rig.heat_path, Qt.Key.Key_Delete)
    assert len(rig.document.project.rig.drives) == 1
    assert rig.document.project.rig.links[3].driven_by is None
    while rig.document.undo_name is not None:
        rig.document.undo()
    assert rig.document.project == before


def test_a_probe_is_added_given_the_role_and_the_old_one_removed(rig: MainWindow) -> None:
    rig.rig.select("Part")
    click(rig.rig.parts.add_probe)
    type_into(rig.focusWidget(), "In the part")
    pick(rig, "Role", "controls")
    probes = rig.document.project.rig.probes
    assert [(p.name, p.body, p.role) for p in probes] == [("Probe", "Air", "watch"), ("In the part", "Part", "control")]
    pick(rig, "Role", "guards")
    assert "One probe must control" in complaint(rig)
    press(rig, "+ converter (bits, thermistor, table)")
    type_into(number(rig, "Bits").edit, "12")
    press(rig, "+ two-point correction")
    type_into(number(rig, "True, high").edit, "98 °C")
    probe = rig.document.project.rig.probe
    assert probe.converter is not None
    assert probe.converter.bits == 12
    assert probe.correction is not None
    assert probe.correction.slope == pytest.approx(0.98)
    rig.rig.select(key_of("probe", 0))
    click(rig.rig.parts.remove)
    assert [p.name for p in rig.document.project.rig.probes] == ["In the part"]


def test_drives_come_in_every_kind_and_go(rig: MainWindow) -> None:
    rig.rig.select("Walls")
    for action in rig.rig.parts.drive_menu().actions()[:3]:
        action.trigger()
    assert [d.kind for d in rig.document.project.rig.drives] == ["slow_window", "relay", "slow_window", "pwm"]
    rig.rig.parts.drive_menu().actions()[4].trigger()
    assert "at most 4 drives" in complaint(rig)
    pick(rig, "Kind", "valve or servo")
    assert rig.document.project.rig.drives[3].kind == "valve"
    pick(rig, "Kind", "relay")
    assert rig.document.project.rig.drives[3].kind == "relay"
    pick(rig, "Drives share", "one after another")
    assert rig.document.project.rig.sharing == "priority"
    press(rig, "Remove this drive")
    assert len(rig.document.project.rig.drives) == 3
    rig.rig.select(key_of("drive", 0))
    press(rig, "+ what the switch must shed")
    type_into(number(rig, "Supply").edit, "24 V")
    assert any("more than its 5 W" in label.text() for label in rig.rig.panel.findChildren(QLabel))


def test_what_the_drive_acts_on_or_is_drawn_from_is_not_removed(rig: MainWindow) -> None:
    rig.rig.select("Part")
    click(rig.rig.parts.add_draw_off)
    assert rig.document.project.rig.draw_offs[0].body == "Part"
    rig.rig.select("Part")
    click(rig.rig.parts.remove)
    assert complaint(rig) == "“Draw-off” is drawn from “Part”; give it another body first."


def test_heat_capacity_is_worked_out_from_what_it_is(rig: MainWindow) -> None:
    rig.rig.select("Air")
    press(rig, "+ J/K from what it is made of")
    pick(rig, "Material", "air")
    pick(rig, "Given by", "volume")
    type_into(number(rig, "Volume").edit, "62 L")
    press(rig, "+ another piece")
    fields = [f for f in rig.rig.panel.findChildren(NumberField) if f.edit.accessibleName() == "Mass"]
    type_into(fields[-1].edit, "900 g")
    press(rig, "Use 867 J/K")
    body = rig.document.project.rig.bodies[1]
    assert body.capacity_J_per_K == 867.2
    assert (body.limit_degC, body.limit_why) == (580, "aluminium alloy begins to melt")
    assert rig.document.undo_name == "Air: 867 J/K"


def test_a_wall_says_what_rules_it(rig: MainWindow) -> None:
    rig.rig.select(key_of("link", 3))
    press(rig, "+ W/K from the layers of a wall")
    press(rig, "+ layer")
    pick(rig, "Layer 2", "stone wool")
    thick = [f for f in rig.rig.panel.findChildren(NumberField) if f.edit.accessibleName() == "Thickness"]
    type_into(thick[1].edit, "40 mm")
    use = next(b for b in rig.rig.panel.findChildren(QPushButton) if b.text().startswith("Use "))
    assert use.text() == "Use 0.691 W/K"
    click(use)
    assert rig.document.project.rig.links[3].conductance_W_per_K == pytest.approx(0.6905, abs=2e-4)


def test_the_rig_becomes_a_response_model_and_comes_back(rig: MainWindow, qtbot: QtBot) -> None:
    before = rig.document.project
    rig.menus.actions["Known only by its answer (response model)"].trigger()
    made = rig.document.project.rig
    assert made.response is not None
    assert made.response.gain_K == pytest.approx(211.81, rel=1e-4)
    assert not rig.rig.parts.add_body.isEnabled()
    assert {"Gain", "Lag"} <= set(names(rig))
    wait_for_step(qtbot, rig)
    assert rig.runner.result_of("Careful PID").run.rig.response is not None
    rig.document.undo()
    assert rig.document.project == before


def test_the_step_follows_the_rig_and_its_words_too(rig: MainWindow, qtbot: QtBot) -> None:
    assert "time constant" in rig.rig.reading.text()
    assert "at full drive it gets there in 14 min" in rig.rig.verdict
    first = rig.rig.steps.cold
    rig.rig.set_step_drive(0.8)
    wait_for_step(qtbot, rig)
    assert rig.rig.steps.cold is not None
    assert rig.rig.steps.cold is not first
    assert rig.rig.steps.cold.after == 0.8
    rig.view.set_scale(Scale.FAHRENHEIT)
    assert "°F per %" in rig.rig.reading.text()


def test_what_is_refused_is_said_in_the_scale_shown(rig: MainWindow) -> None:
    path = rig.rig.heat_path
    click(path.viewport(), path.part(key_of("probe", 0)).rect.center().toPoint())
    rig.view.set_scale(Scale.FAHRENHEIT)
    if "Highest reading" not in names(rig):
        press(rig, "+ more")
    edit = next(f.edit for f in rig.rig.panel.findChildren(NumberField) if f.edit.accessibleName() == "Highest reading")
    said: list[str] = []
    edit.complaint.connect(said.append)
    lowest = rig.document.project.rig.probe.lowest_degC * 1.8 + 32
    type_into(edit, f"{lowest + 1:g} °F")
    expected = f"at least 1.8 °F above the lowest ({lowest:g} °F), not {lowest + 1:g} °F."
    assert said[-1].endswith(expected)


def test_the_cursor_plays_through_the_step(rig: MainWindow) -> None:
    air = rig.rig.heat_path.part("Air")
    assert isinstance(air, BodyItem)
    shown = air.temperature
    rig.menus.actions["Play the cursor, or stop"].trigger()
    assert rig.rig.play.running
    rig.rig._play_to(20_000.0)
    assert air.temperature != shown
    click(rig.rig.play_button)
    assert not rig.rig.play.running
    clock, moved = iter([0.0, 1.0, 100.0]), []
    play = Play(moved.append, lambda: next(clock))
    play.toggle(0.0, 140.0)
    play.step()
    play.step()
    assert moved == [10.0, 140.0]
    assert not play.running


def chain(count: int, rig: MainWindow) -> Project:
    """A rig of many bodies, linked in a tree, each losing heat."""
    base = rig.document.project
    bodies = tuple(Body(name=f"Body number {k}", capacity_J_per_K=100 + k) for k in range(count))
    links = [Link(a=bodies[(k - 1) // 2].name, b=bodies[k].name, conductance_W_per_K=2) for k in range(1, count)]
    links += [Link(a=bodies[-k].name, b=OUTSIDE, conductance_W_per_K=0.5) for k in range(1, 4)]
    drive, probe = (with_fields(part, body=bodies[0].name) for part in (base.rig.drive, base.rig.probe))
    trial = with_fields(base.trials[0], events=(), marks=())
    made = with_fields(base.rig, bodies=bodies, links=tuple(links), drives=(drive,), probes=(probe,))
    return with_fields(base, rig=made, trials=(trial,))


@pytest.mark.parametrize("count", [3, 6, 9, 12])
def test_no_label_lies_on_another_in_a_rig_of_up_to_twelve_bodies(rig: MainWindow, count: int) -> None:
    rig.document.replace(chain(count, rig), None)
    for width in (1280, 1500):
        rig.resize(width, 900)
        labels = rig.rig.heat_path.labels()
        assert len(labels) == count + 4
        for a, b in itertools.combinations(labels, 2):
            assert not a.adjusted(1, 1, -1, -1).intersects(b)


@pytest.mark.parametrize("name", [demo.name for demo in DEMOS])
def test_every_demo_is_drawn_with_its_heat_balanced_at_each_body(rig: MainWindow, qtbot: QtBot, name: str) -> None:
    rig.document.replace(find_demo(name).build(), None)
    wait_for_step(qtbot, rig)
    assert rig.rig.steps.cold is not None
    assert rig.rig.steps.cold.reading is not None
    rig.rig.show_step(False)
    path: HeatPath = rig.rig.heat_path
    assert any(isinstance(path.part(key_of("link", k)), ArrowItem) for k in range(3))
    for a, b in itertools.combinations(path.labels(), 2):
        assert not a.adjusted(1, 1, -1, -1).intersects(b)
    assert not rig.grab().isNull()
    assert limitations(rig.document.project.rig)
    click(path.viewport(), QPoint(3, 3))


def test_a_response_model_may_be_about_humidity(rig: MainWindow, qtbot: QtBot) -> None:
    rig.menus.actions["Known only by its answer (response model)"].trigger()
    unit = next(e for e in rig.rig.panel.findChildren(NameEdit) if e.accessibleName() == "Unit")
    type_into(unit, "% RH")
    assert rig.view.scale.value == "% RH"
    assert not rig.line.scale_box.isEnabled()
    wait_for_step(qtbot, rig)
    assert "% RH per %" in rig.rig.reading.text()
    rig.go_to(CONTROL)
    assert "% RH" in rig.control.marks.bars[0].toolTip()
    assert not rig.grab().isNull()
    while rig.document.undo_name is not None:
        rig.document.undo()
    assert rig.view.scale is Scale.CELSIUS


def test_events_of_every_kind_are_added_where_the_trial_is_set(rig: MainWindow) -> None:
    rig.rig.select("Part")
    click(rig.rig.parts.add_draw_off)
    rig.go_to(TRIAL)
    before = len(rig.document.project.trials[0].events)
    possible = [kind for kind in EVENT_KINDS.values() if not kind.missing(rig.document.project.rig)]
    for of_kind in possible:
        menu = rig.trial.panel.event_menu()
        next(action for action in menu.actions() if action.text() == of_kind.what).trigger()
    events = rig.document.project.trials[0].events[before:]
    assert [type(event) for event in events] == possible
    assert len(possible) >= len(EVENT_KINDS) - 1
    assert not rig.runner.faults
    fault = next(event for event in rig.document.project.trials[0].events if event.kind == "probe_fault")
    rig.go_to(CONTROL)
    links = rig.control.settings.findChildren(QPushButton)
    click(next(each for each in links if each.toolTip() == f"Show “{fault.name}” at Trial"))
    assert rig.station is rig.trial
    box = next(f.box for f in rig.trial.panel.findChildren(ChoiceField) if f.box.accessibleName() == "Fault")
    box.setCurrentIndex(box.findText("drift"))
    box.activated.emit(box.currentIndex())
    assert (
        next(event for event in rig.document.project.trials[0].events if event.kind == "probe_fault").fault == "drift"
    )
    assert not rig.grab().isNull()


def test_several_probes_in_one_body_can_be_read(rig: MainWindow) -> None:
    for demo in DEMOS:
        rig.document.replace(demo.build(), None)
        for _ in range(2):
            rig.rig.select(rig.document.project.rig.probe.body)
            click(rig.rig.parts.add_probe)
        for a, b in itertools.combinations(rig.rig.heat_path.labels(), 2):
            assert not a.adjusted(1, 1, -1, -1).intersects(b)


def test_a_probe_takes_after_a_common_type_and_says_how_far_it_may_be_off(rig: MainWindow) -> None:
    rig.rig.select(key_of("probe", 0))
    pick(rig, "Type", "type K thermocouple")
    probe = rig.document.project.rig.probe
    assert (probe.resolution_K, probe.highest_degC, probe.lag_s) == (0.25, 1000, 20)
    assert any("off by 1.5 K at 60.0 °C" in label.text() for label in rig.rig.panel.findChildren(QLabel))
    pick(rig, "Type", "of its own kind")
    assert rig.document.project.rig.probe.like == ""
    assert rig.document.project.rig.probe.resolution_K == 0.25
