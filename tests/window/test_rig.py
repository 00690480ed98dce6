"""A rig built by mouse and keys from an empty project."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.model.blank import blank_project
from kelvarn.model.fields import SURROUNDINGS

from .conftest import click, type_into


def fields(window: MainWindow) -> dict[str, NumberField]:
    """Number fields of the panel by title."""
    return {field.edit.accessibleName(): field for field in window.rig.panel.findChildren(NumberField)}


def test_a_rig_grows_and_shrinks_under_the_hands(window: MainWindow) -> None:
    before = window.document.project
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.document.project == blank_project()
    assert window.document.project != before
    click(window.rig.parts.add_body)
    name = window.focusWidget()
    assert name.accessibleName() == "Name of the body"
    type_into(name, "Solder")
    rig = window.document.project.rig
    assert [body.name for body in rig.bodies] == ["Body", "Solder"]
    assert rig.links[-1].joins("Body", "Solder")
    type_into(fields(window)["Heat capacity"].edit, "90")
    type_into(fields(window)["Link to Body"].edit, "2.5 W/K")
    assert window.document.project.rig.bodies[1].capacity_J_per_K == 90
    assert window.document.project.rig.links[1].conductance_W_per_K == 2.5
    click(window.rig.parts.add_loss)
    assert window.document.project.rig.links[-1].joins("Solder", SURROUNDINGS)
    assert not window.rig.parts.add_loss.isEnabled()
    assert not window.rig.parts.add_link.isEnabled()  # it is linked to all there is
    click(next(b for b in window.rig.panel.findChildren(QPushButton) if b.toolTip() == "Take out the link to Body"))
    assert [link.joins("Body", "Solder") for link in window.document.project.rig.links] == [False, False]
    assert "Nothing" not in window.rig.verdict  # it still loses heat
    [action] = window.rig.parts.link_menu().actions()
    action.trigger()
    assert window.document.project.rig.links[-1].joins("Body", "Solder")
    window.rig.heat_path.setFocus()
    QTest.keyClick(window.rig.heat_path, Qt.Key.Key_Delete)
    assert [body.name for body in window.document.project.rig.bodies] == ["Body"]
    assert window.document.undo_name == "remove Solder"
    while window.document.undo_name is not None:
        window.document.undo()
    assert window.document.project == blank_project()


def test_what_the_drive_heats_is_not_removed_and_why_is_said(window: MainWindow) -> None:
    window.go_to(0)
    window.rig.select("Heater mat")
    before = window.document.project
    click(window.rig.parts.remove)
    [box] = window.findChildren(QMessageBox)
    assert box.text() == "“Mat” acts on “Heater mat”; give it another body first."
    box.accept()
    assert window.document.project == before


def test_impossible_rigs_are_said_and_drawn(qtbot: QtBot, window: MainWindow) -> None:
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    window.rig.edits.add_body()
    window.rig.edits.unlink(1)
    assert "Nothing is linked to Body 2" in window.rig.verdict
    window.rig.edits.unlink(0)
    assert "it only gets warmer and warmer" in window.rig.verdict
    window.grab()
    QApplication.processEvents()
    assert window.runner.results  # it still runs: a body that loses no heat is no error
