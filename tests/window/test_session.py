"""What is kept from one start to the next, and ways into the window: recent files, logs, tables, the printer."""

import csv
import re
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.desktop import theme
from kelvarn.desktop.frame.start.cards import StartCard
from kelvarn.desktop.frame.window import CONTROL, FIT, TRIAL, MainWindow
from kelvarn.desktop.state.collector import collect_here
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.session import MOST_RECENT, Session
from kelvarn.files.project_file import save
from kelvarn.model.edit import put
from kelvarn.units import Scale

from ..conftest import two_candidates
from .conftest import close_window


def session_in(folder: Path) -> Session:
    return Session(QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat))


def window_of(session: Session, document: Document | None = None) -> MainWindow:
    made = MainWindow(document or Document(cure_cabinet()), Runner(), session)
    collect_here(made)
    made.show()
    return made


def listed(window: MainWindow) -> list[str]:
    """What the menu of recent files lists."""
    menu = next(each for each in window.findChildren(QMenu) if each.title() == "Open recent")
    menu.aboutToShow.emit()
    return [action.text() for action in menu.actions()]


def test_size_units_and_theme_are_kept_for_the_next_time(qtbot: QtBot, tmp_path: Path) -> None:
    first = window_of(session_in(tmp_path))
    first.resize(960, 655)  # no wider: the offscreen screen is small
    first.view.set_scale(Scale.FAHRENHEIT)
    first.use_theme(theme.NIGHT)
    close_window(first)
    second = window_of(session_in(tmp_path))
    assert (second.width(), second.height()) == (960, 655)
    assert second.view.scale is Scale.FAHRENHEIT
    assert session_in(tmp_path).get("theme") == theme.NIGHT.name
    theme.use(theme.PAPER)
    close_window(second)


def test_settings_that_mean_nothing_are_no_trouble(qtbot: QtBot, tmp_path: Path) -> None:
    for key, value in (("scale", "furlongs"), ("geometry", b"nonsense"), ("recent", "/nowhere"), ("left/station", 7)):
        session_in(tmp_path).put(key, value)
    made = window_of(session_in(tmp_path))
    made.go_on()
    assert made.view.scale is Scale.CELSIUS
    assert made.stations.index(made.station) == CONTROL
    assert listed(made) == ["none yet"]
    close_window(made)


def test_recent_files_are_listed_newest_first_and_open_again(qtbot: QtBot, tmp_path: Path) -> None:
    session = session_in(tmp_path)
    files = [tmp_path / f"p{k}.kelvarn" for k in range(MOST_RECENT + 2)]
    for k, path in enumerate(files):
        save(put(two_candidates(), ("name",), f"Project {k}"), path)
    made = window_of(session, Document(two_candidates()))
    for path in files:
        made.files.open(path)
    made.files.open(files[3])
    files[7].unlink()  # what is gone is not offered
    names = [text.split()[0] for text in listed(made)]
    assert names == ["p3.kelvarn", "p9.kelvarn", "p8.kelvarn", "p6.kelvarn", "p5.kelvarn", "p4.kelvarn", "p2.kelvarn"]
    menu = next(each for each in made.findChildren(QMenu) if each.title() == "Open recent")
    menu.actions()[2].trigger()
    assert made.document.project.name == "Project 8"
    made.document.save(tmp_path / "other.kelvarn")
    assert listed(made)[0].startswith("other.kelvarn")
    close_window(made)


def test_the_start_screen_says_what_each_came_to_and_what_was_changed_elsewhere(qtbot: QtBot, tmp_path: Path) -> None:
    session, path, other = session_in(tmp_path), tmp_path / "one.kelvarn", tmp_path / "other.kelvarn"
    save(two_candidates(), path)
    save(put(two_candidates(), ("name",), "Other"), other)

    def lines(made: MainWindow) -> dict[str, tuple[str, str]]:
        made.show_start()
        QApplication.processEvents()
        cards = [card for card in made.start.findChildren(StartCard) if card.title in ("one", "other")]
        return {card.title: (card.line, card.line_role) for card in cards if not card.isHidden()}

    made = window_of(session, Document(two_candidates()))
    made.runner.prepare()
    made.files.open(path)
    made.view.select("Careful PID")
    qtbot.waitUntil(lambda: "of 6" in made.control.marks_met(), timeout=60_000)
    made.files.open(other)  # without leaving: as killed
    assert lines(made) == {"one": ("today", "muted"), "other": ("today", "muted")}
    made.files.leave_for(path)
    qtbot.waitUntil(lambda: "of 6" in made.control.marks_met(), timeout=60_000)
    made.close_project()
    assert lines(made)["one"] == (f"{made.session.noted(path)[0]} · today", "muted")
    assert re.fullmatch("[0-6] of 6 marks met", made.session.noted(path)[0])
    save(put(two_candidates(), ("name",), "By another"), path)
    assert lines(made)["one"] == ("changed elsewhere since · today", "gold")
    made.files.leave_for(path)
    assert session.noted(path) == ("", False)  # what was met then is of no account
    made.document.set(("name",), "Mine", "rename")
    made.document.save()
    assert "changed" not in lines(made)["one"][0]  # it was this window
    save(two_candidates(), tmp_path / "never noted.kelvarn")
    assert session.noted(tmp_path / "never noted.kelvarn") == ("", False)  # of a version before
    other.unlink()
    assert lines(made)["other"] == ("the file has gone", "gold")
    close_window(made)


def test_work_goes_on_where_it_was_left(qtbot: QtBot, tmp_path: Path) -> None:
    path, project = tmp_path / "x.kelvarn", cure_cabinet()
    save(project, path)
    first = window_of(session_in(tmp_path), Document(project, path))
    first.view.select("P")
    first.view.select_trial(project.trials[1].name)
    first.go_to(TRIAL)
    close_window(first)
    left = session_in(tmp_path).left()
    assert left == (project, path)
    second = window_of(session_in(tmp_path), Document(*left))
    second.go_on()
    assert second.view.candidate(project).name == "P"
    assert second.view.trial(project).name == project.trials[1].name
    assert second.stations.index(second.station) == TRIAL
    close_window(second)
    path.write_bytes(b"spoilt")
    assert session_in(tmp_path).left() is None


def test_the_desktops_light_and_dark_are_followed_until_one_is_chosen(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    hints = QApplication.styleHints()
    monkeypatch.setattr(theme, "system_theme", lambda: theme.NIGHT)
    hints.colorSchemeChanged.emit(Qt.ColorScheme.Dark)
    assert theme.current() is theme.NIGHT
    window.toggle_theme()
    assert theme.current() is theme.PAPER
    hints.colorSchemeChanged.emit(Qt.ColorScheme.Dark)
    assert theme.current() is theme.PAPER  # chosen by hand
    window.menus.actions["Light or dark as the desktop is"].trigger()
    assert theme.current() is theme.NIGHT
    theme.use(theme.PAPER)


def test_open_takes_a_log_as_well(window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    log = find_demo("cure-cabinet").build().logs[0]
    (tmp_path / log.file).write_bytes(log.raw)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / log.file), ""))
    before = window.document.project
    window.menus.actions["Open…"].trigger()
    assert window.document.project.rig == before.rig
    assert [each.file for each in window.document.project.logs] == [log.file]
    assert window.stations.index(window.station) == FIT


def test_the_run_is_saved_as_a_table(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    path = tmp_path / "run.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    window.menus.actions["Save the run as a table…"].trigger()
    qtbot.waitUntil(path.exists, timeout=60_000)
    with path.open() as stream:
        rows = list(csv.DictReader(stream))
    run = window.runner.result_of(window.view.candidate(window.document.project).name).run  # type: ignore[union-attr]
    assert len(rows) == run.time_s.size
    assert float(rows[50]["Mat_put_out"]) == pytest.approx(run.put_out[0][50], rel=1e-8)
    probe = run.rig.probes[0]
    assert float(rows[50][f"{probe.name}_reads_degC"]) == pytest.approx(run.probes_degC[0][50], rel=1e-8)
    assert {"asked", "Mat_W", "guard"} <= set(rows[0])


def test_the_sheet_is_printed(window: MainWindow, tmp_path: Path) -> None:
    window.menus.actions["Print the sheet…"].trigger()
    (dialog,) = window.findChildren(QPrintDialog)
    dialog.reject()
    printer = QPrinter(QPrinter.PrinterMode.ScreenResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "sheet.pdf"))
    window.handover.print_on(printer)
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
