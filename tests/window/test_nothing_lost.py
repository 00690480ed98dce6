"""What was found to lose work, to run away or to be taken for something else: each as it was found."""

import os
from pathlib import Path

import pytest
from PySide6.QtCore import QObject, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QLineEdit, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.desktop.frame.window import CONTROL, HANDOVER, RIG, MainWindow
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.stations.rig.keys import key_of
from kelvarn.files.faults import FileError
from kelvarn.files.journal import Journal, left_behind
from kelvarn.files.project_file import load, save
from kelvarn.model.edit import put, with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.project import Project
from kelvarn.model.rig_edit import rename_body, rename_drive, rename_probe

from .conftest import close_window, drag, open_window

Button = QMessageBox.StandardButton


def answering(monkeypatch: pytest.MonkeyPatch, *answers: Button) -> list[str]:
    """Questions to come are answered so, in order; gives what was asked."""
    left, asked = list(answers), list[str]()

    def run(box: QMessageBox) -> int:
        asked.append(box.text())
        return left.pop(0)

    monkeypatch.setattr(QMessageBox, "exec", run)
    return asked


def do(window: MainWindow, command: str) -> None:
    window.menus.actions[command].trigger()


def test_save_as_asks_before_it_replaces_what_was_not_typed(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    precious = tmp_path / "mine.kelvarn"
    precious.write_text("precious")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine"), ""))
    asked = answering(monkeypatch, Button.Cancel, Button.Save)
    assert not window.files.save_as()
    assert precious.read_text() == "precious"
    assert "mine.kelvarn exists already" in asked[0]
    assert window.files.save_as()
    assert load(precious) == window.document.project


def test_what_was_changed_outside_is_really_saved_over(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "x.kelvarn"
    window.document.save(path)
    save(put(window.document.project, ("notes",), "theirs"), path)
    answering(monkeypatch, Button.Save)
    assert window.files.save()
    assert load(path) == window.document.project
    stood = path.stat().st_mtime_ns
    assert window.files.save()
    assert path.stat().st_mtime_ns == stood  # and what is as it was keeps its time


def test_edits_without_a_pause_are_kept_all_the_same(cabinet: Project, tmp_path: Path, qtbot: QtBot) -> None:
    document = Document(cabinet, None, Journal(tmp_path), autosave_ms=40)
    count = 0

    def kept() -> bool:
        nonlocal count
        count += 1
        document.set(("notes",), f"edit {count}", "notes")
        return any(tmp_path.glob("*.json"))

    qtbot.waitUntil(kept, timeout=60_000)
    assert Document(cabinet)._autosave.interval() < 2000
    document.close()


def test_recovered_work_goes_where_it_came_from(
    cabinet: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    there, elsewhere = tmp_path / "there", tmp_path / "elsewhere"
    for folder in (there, elsewhere):
        folder.mkdir()
        save(cabinet, folder / "x.kelvarn")
    monkeypatch.chdir(there)
    crashed = Document(load(Path("x.kelvarn")), Path("x.kelvarn"), Journal(tmp_path / "journal"))
    crashed.set(("notes",), "unsaved", "notes")
    crashed.autosave_now()
    crashed._journal.let_go()  # as the system does for a process that ends
    monkeypatch.chdir(elsewhere)
    before = (elsewhere / "x.kelvarn").read_bytes()
    found = left_behind(tmp_path / "journal")
    assert found is not None
    document = Document(cabinet, None, Journal(tmp_path / "journal"))
    document.recover(found)
    assert not document.changed_outside
    save(put(cabinet, ("notes",), "saved by somebody since"), there / "x.kelvarn")
    assert document.changed_outside
    document.save()
    assert (elsewhere / "x.kelvarn").read_bytes() == before
    assert load(there / "x.kelvarn").notes == "unsaved"
    assert list((tmp_path / "journal").iterdir()) == []


def test_recovering_writes_nothing_that_a_full_disk_could_refuse(
    cabinet: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    crashed = Journal(tmp_path)
    crashed.keep(put(cabinet, ("notes",), "the only copy"), None, None)
    crashed.let_go()
    found = left_behind(tmp_path)
    assert found is not None

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    document = Document(cabinet, None, Journal(tmp_path))
    monkeypatch.setattr(os, "fsync", full)
    document.recover(found)
    document.autosave_now()
    with pytest.raises(FileError, match="No space"):
        document.save(tmp_path / "x.kelvarn")
    assert document.project.notes == "the only copy"
    assert len(list(tmp_path.glob("*.json"))) == 1
    found.journal.let_go()
    again = left_behind(tmp_path)
    assert again is not None
    assert again.project.notes == "the only copy"
    again.journal.let_go()


@pytest.mark.parametrize("suffix", ["png", "svg"])
def test_a_full_disk_leaves_no_half_of_a_picture(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, suffix: str
) -> None:
    path = tmp_path / f"strip.{suffix}"
    window.control.strip.save_picture(path)
    before = path.read_bytes()
    write = Path.write_bytes

    def full(path: Path, content: bytes) -> None:
        write(path, content[: len(content) // 2])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(FileError, match="No space left on device"):
        window.control.strip.save_picture(path)
    assert path.read_bytes() == before
    assert list(tmp_path.glob("*.part")) == []


def test_save_as_suggests_a_name_and_no_path(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    suggested = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *given: suggested.append(Path(given[2])) or ("", ""))
    for name in ("../../x", "/etc/passwd", "漢" * 60, "Oven 2"):
        window.document.set(("name",), name, "name")
        window.files.save_as()
        assert suggested[-1].parent == Path.home()
    assert suggested[-1].name == "Oven 2.kelvarn"


NAMES = ("<img src=pipe>", "<b>bold</b> & &Co", "a<br>b", "&amp;", "[*]")


def hostile() -> Project:
    """The cabinet with names that would do something if they were taken for markup."""
    project = cure_cabinet()
    names = NAMES
    project = rename_body(project, "Air", names[0])
    project = rename_body(project, "Walls", names[1])
    project = rename_drive(project, 0, names[2])
    project = rename_probe(project, 0, names[0])
    project = put(project, ("candidates", 0, "name"), names[0])
    project = with_fields(project, name=names[4], chosen=None)
    project = put(project, ("candidates", 1, "name"), names[1])
    project = put(project, ("trials", 0, "name"), names[0])
    return with_fields(project, chosen=names[0])


def test_names_are_plain_text_wherever_they_are_shown(qtbot: QtBot, tmp_path: Path) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)  # whoever opens it waits for ever
    window = open_window(qtbot, hostile())
    try:
        for station in (CONTROL, RIG, HANDOVER):
            window.go_to(station)
            for candidate in window.document.project.candidates:
                window.view.select(candidate.name)
                QApplication.processEvents()
                for label in window.findChildren(QLabel):
                    assert label.textFormat() == Qt.TextFormat.PlainText, label.text()
                for widget in window.findChildren(QWidget):
                    assert "<img" not in widget.toolTip(), type(widget)
        for item in window.rig.heat_path.scene().items():
            assert "<img" not in item.toolTip()
        window.document.set(("notes",), "x", "rename <img src=x> & more")
        assert window.menus.actions["Undo"].text() == "Undo: rename <img src=x> && more"
        window.boxes.complain(f"<img src={pipe}>\n<b>more</b>")
        (box,) = window.findChildren(QMessageBox)
        assert box.textFormat() == Qt.TextFormat.PlainText
        box.close()
        assert window.windowTitle().endswith("[*] – Kelvarn")
        window.grab()
    finally:
        close_window(window)


@pytest.mark.parametrize("away", [HANDOVER, CONTROL])
def test_nothing_is_removed_that_is_not_seen(window: MainWindow, away: int) -> None:
    window.go_to(RIG)
    window.rig.edits.add_probe()
    window.rig.select(key_of("probe", 1))
    window.go_to(away)
    other = find_demo("heatsink-fan").build()
    window.document.replace(other, None)
    do(window, "Remove the part")
    assert window.document.project == other
    assert window.station is window.rig  # shown instead
    assert window.rig.edits.selected == other.rig.probe.body


def test_a_selection_does_not_outlive_what_was_selected(window: MainWindow) -> None:
    window.go_to(RIG)
    window.rig.edits.add_probe()
    assert window.rig.edits.selected == key_of("probe", 1)
    window.go_to(CONTROL)
    do(window, "Undo")
    do(window, "Undo")
    for command in ("Add a fan-driven link", "Remove the part", "Add a draw-off", "Add a probe"):
        do(window, command)
    for box in window.findChildren(QMessageBox):
        box.close()
    window.go_to(RIG)


@pytest.mark.parametrize("deed", ["delete", "open"])
def test_a_name_being_typed_when_its_candidate_goes_is_nobodys(window: MainWindow, deed: str) -> None:
    do(window, "Rename")
    card = window.control.cards.card("Careful PID")
    (line,) = card.findChildren(QLineEdit)
    QTest.keyClicks(line, "Another")
    if deed == "delete":
        window.control.candidate_actions.delete()
    else:
        window.document.replace(find_demo("wax-pot").build(), None)
    after = window.document.project
    QTest.keyClick(line, Qt.Key.Key_Return)
    assert window.document.project == after
    assert all(not line.isVisible() for card in window.control.cards._cards for line in card.findChildren(QLineEdit))


def test_an_open_mark_does_not_bring_an_old_project_back(window: MainWindow, qtbot: QtBot) -> None:
    bar = window.control.marks.bars[0]
    bar.clicked.emit()
    editor = next(w for w in QApplication.topLevelWidgets() if type(w).__name__ == "MarkEditor" and w.isVisible())
    window.document.replace(find_demo("wax-pot").build(), None)
    after = window.document.project
    editor._take()  # type: ignore[attr-defined]
    assert window.document.project == after


def test_edges_of_a_cooling_drive_are_dragged_to_their_own_side(qtbot: QtBot) -> None:
    fan = find_demo("heatsink-fan").build()
    place = len(fan.candidates) - 1
    window = open_window(qtbot, put(fan, ("candidates", place, "controller"), OnOff(below_K=3, above_K=3)))
    try:
        name = window.document.project.candidates[place].name
        window.view.select(name)
        strip = window.control.strip

        def settings() -> tuple[float, float]:
            c = window.document.project.candidates[place].controller
            return c.below_K, c.above_K  # type: ignore[union-attr]

        below, above = settings()
        px = strip.lane("temperature")[1].value.px_per_unit  # negative: warmer is up
        start = strip.rect_of("the edge at which it switches on").center()
        drag(strip, start, start + QPointF(0, 2 * px))  # up by 2 K: a fan switches on above the setpoint
        assert settings() == pytest.approx((below + 2, above), abs=0.15)
        start = strip.rect_of("the edge at which it switches off").center()
        drag(strip, start, start - QPointF(0, px))
        assert settings() == pytest.approx((below + 2, above + 1), abs=0.25)
    finally:
        close_window(window)


def test_too_warm_is_hatched_and_too_cold_is_plain(window: MainWindow) -> None:
    """Between the curve and the setpoint: told apart without colour, and not the wrong way round."""
    window.view.select("On/off ±1")
    strip = window.control.strip
    strip.cursor_s = None
    lane, frame = strip.lane("temperature")
    run = window.runner.result_of("On/off ±1").run  # type: ignore[union-attr]
    picture = strip.grab().toImage()
    ratio = picture.devicePixelRatio()

    def hues(below_setpoint: bool) -> list[int]:
        found = []
        for x in range(int(frame.rect.left()) + 8, int(frame.rect.left()) + 300):
            k = run.sample_at(frame.time.from_px(x))
            gap = float(run.setpoint_degC[k] - run.judged_degC[k])
            if (gap > 3) if below_setpoint else (gap < -3):
                middle = frame.value.to_px(float(run.setpoint_degC[k]) - gap / 2)
                pixel = picture.pixelColor((QPointF(x, middle) * ratio).toPoint())
                found.append(pixel.hue())
        return found

    cold, hot = hues(True), hues(False)
    assert cold
    assert all(180 < hue < 240 for hue in cold)
    assert any(hue < 40 for hue in hot)
    assert lane.bands[0].shaded is not None


def test_a_deed_ends_before_its_widget_does(window: MainWindow) -> None:
    """Objects that are made for a moment go again."""

    def count() -> int:
        QApplication.processEvents()
        return len(window.findChildren(QObject))

    def menus(times: int) -> None:
        for _ in range(times):
            for menu in (window.trial.panel.event_menu(), window.control.lanes.menu_of_lanes()):
                menu.popup(window.pos())
                menu.close()
            window.boxes.complain("x")
            for box in window.findChildren(QMessageBox):
                box.close()
            window.go_to(RIG)
            window.go_to(CONTROL)

    menus(3)
    before = count()
    menus(30)
    assert count() <= before + 5


def test_another_project_is_looked_at_anew(window: MainWindow) -> None:
    window.view.select("On/off ±1")
    window.view.move_cursor(14_000.0)
    window.view.pinned = True
    window.document.replace(find_demo("wax-pot").build(), None)  # it has one of that name too
    project = window.document.project
    assert window.view.candidate(project).name == project.chosen == "On/off −1 +0"
    assert not window.view.pinned
    assert window.view.cursor_s == pytest.approx(0.3 * project.first_trial.duration_s, abs=10)
