"""Two versions compared, and a copy to share, from the menu."""

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QMessageBox
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.versions import VersionsDialog
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.files.comparing import differences
from kelvarn.files.project_file import load, save
from kelvarn.files.sharing import shared
from kelvarn.model.edit import put, with_fields
from kelvarn.model.handed import Unit
from kelvarn.model.pid import Pid

from .conftest import click


def _texts(dialog: VersionsDialog, table: str) -> list[list[str]]:
    found = getattr(dialog, table)
    return [
        ["" if (item := found.item(k, c)) is None else item.text() for c in range(found.columnCount())]
        for k in range(found.rowCount())
    ]


def test_two_versions_are_compared_from_the_menu(
    window: MainWindow, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = tmp_path / "before.kelvarn"
    save(window.document.project, before)
    place = next(k for k, each in enumerate(window.document.project.candidates) if isinstance(each.controller, Pid))
    name = window.document.project.candidates[place].name
    kp = window.document.project.candidates[place].controller.kp_per_K  # type: ignore[union-attr]
    window.document.set(("candidates", place, "controller", "kp_per_K"), 2 * kp, "twice the gain")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(before), ""))
    window.menus.actions["Compare with another version…"].trigger()
    [dialog] = window.findChildren(VersionsDialog)
    assert _texts(dialog, "table") == [
        ["settings", f"candidates › {name} › controller › kp_per_K", f"{kp:g}", f"{2 * kp:g}"]
    ]
    qtbot.waitUntil(lambda: dialog.results.rowCount() > 0, timeout=60_000)
    rows = _texts(dialog, "results")
    assert {row[0] for row in rows} == {name}
    assert all(row[3] != row[4] for row in rows)
    assert "Overshoot" in {row[2] for row in rows}
    dialog.reject()
    before.write_bytes(b"nonsense")
    window.menus.actions["Compare with another version…"].trigger()
    [box] = window.findChildren(QMessageBox)
    assert "before.kelvarn" in box.text()
    box.accept()


def test_a_copy_to_share_says_what_it_left_out(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = with_fields(window.document.project, units=(Unit(name="Shed of Jo", address="10.0.0.7"),))
    window.document.apply(put(project, ("notes",), "call Jo at 555 0102"), "notes")
    path = tmp_path / "shared.kelvarn"
    monkeypatch.setattr("kelvarn.desktop.frame.project_files.ask_where", lambda *_: path)
    window.menus.actions["Save a copy to share…"].trigger()
    [box] = window.findChildren(QMessageBox)
    assert "Left out: " in box.text()
    assert "unit" in box.text()
    box.accept()
    copy = load(path)
    assert (copy.notes, copy.units[0].name, copy.units[0].address) == ("", "Unit 1", "")
    assert window.document.project.notes == "call Jo at 555 0102"


def test_versions_are_kept_inside_compared_gone_back_to_and_taken_out(
    window: MainWindow, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def keep(name: str) -> None:
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (name, True))
        window.menus.actions["Keep this version…"].trigger()

    document = window.document
    first = document.project
    keep("As it began")
    assert differences(first, document.project) == []  # a version is no difference
    document.set(("rig", "drives", 0, "power_W"), 111.0, "power")
    document.set(("wiring", "supply_V"), 48.0, "supply")
    document.set(("trials", 0, "duration_s"), 15_555.0, "duration")
    document.set(("notes",), "stronger", "notes")
    keep("Weaker")
    assert [each.name for each in document.project.versions] == ["As it began", "Weaker"]
    keep("Weaker")
    [box] = window.findChildren(QMessageBox)
    assert "Weaker" in box.text()
    box.accept()
    save(document.project, tmp_path / "a.kelvarn")
    assert load(tmp_path / "a.kelvarn") == document.project
    menu = QMenu(window)
    window.files.fill_versions(menu)
    assert [action.text().split("   ")[0] for action in menu.actions()] == ["Weaker", "As it began"]
    menu.actions()[1].trigger()
    dialog = window.findChildren(VersionsDialog)[-1]
    where, was, now = _texts(dialog, "table")[0][1:]
    assert (where.split(" › ")[-1], was, now) == ("power_W", f"{first.rig.drives[0].power_W:g}", "111")
    back, away = (button for button in dialog.foot.buttons() if button.text() in ("Go back to it", "Take it out"))
    click(back if back.text() == "Go back to it" else away)
    for name in ("rig", "candidates", "trials", "wiring", "chosen"):
        assert getattr(document.project, name) == getattr(first, name)
    assert document.project.notes == "stronger"
    assert len(document.project.versions) == 2
    document.undo()
    assert document.project.rig.drives[0].power_W == 111.0
    window.files.show_version("Weaker")
    dialog = window.findChildren(VersionsDialog)[-1]
    click(next(button for button in dialog.foot.buttons() if button.text() == "Take it out"))
    assert [each.name for each in document.project.versions] == ["As it began"]
    assert shared(document.project).project.versions == ()
