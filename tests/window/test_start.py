"""The screen with nothing open: from a click to a judged run in few deeds; by keys; demos, files, a crash."""

from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS
from kelvarn.demos.experiments import EXPERIMENTS, Experiment, experiment_of
from kelvarn.desktop.frame.start.cards import StartCard
from kelvarn.desktop.frame.window import CONTROL, FIT, RIG, MainWindow
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.files.journal import Journal
from kelvarn.files.project_file import save
from kelvarn.kinds import KINDS, kind_of
from kelvarn.model.blank import blank_project
from kelvarn.model.edit import put
from kelvarn.model.on_off import OnOff
from kelvarn.model.tolerances import guesses
from kelvarn.studies.results import result_of
from tests.conftest import two_candidates
from tests.window.conftest import click

MOST_DEEDS = 10


@pytest.fixture
def window(empty: MainWindow) -> MainWindow:
    return empty


def shown(card: QWidget, qtbot: QtBot) -> QWidget:
    """The card once it is laid out."""
    qtbot.waitUntil(lambda: card.isVisible() and card.height() > 8, timeout=60_000)
    return card


def wait_until_judged(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.nothing_open, timeout=60_000)
    name = window.document.project.candidates[0].name
    qtbot.waitUntil(lambda: window.runner.result_of(name) is not None, timeout=60_000)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.key)
def test_from_start_to_a_judged_run_takes_few_deeds(window: MainWindow, kind: object, qtbot: QtBot) -> None:
    assert window.nothing_open
    key = kind.key  # type: ignore[attr-defined]
    deeds = 0
    click(shown(window.start.kinds[key], qtbot))
    deeds += 1
    lines = window.start.questions.lines
    for line in lines:  # each is answered anew, though every one has a guess
        assert QTest.qWaitForWindowExposed(window)
        line.edit.setFocus()
        line.edit.selectAll()
        text = line.edit.text().replace("−", "-").replace("²", "2").replace("°", "")  # as keys have them
        QTest.keyClicks(line.edit, text)
        deeds += 1
    qtbot.keyClick(lines[-1].edit, Qt.Key.Key_Return)
    deeds += 1
    wait_until_judged(window, qtbot)
    assert deeds <= MOST_DEEDS
    result = window.runner.result_of(window.document.project.candidates[0].name)
    assert result is not None
    assert len(result.verdicts) >= 3
    assert window.station is window.stations[CONTROL]


def test_by_keys_alone_and_what_is_guessed_is_listed_by_what_it_does(window: MainWindow, qtbot: QtBot) -> None:
    first = window.start.kinds["box"]
    shown(first, qtbot).setFocus(Qt.FocusReason.TabFocusReason)
    qtbot.keyClick(first, Qt.Key.Key_Down)
    assert window.focusWidget() is window.start.kinds["pot"]
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    page = window.start.questions
    assert page.lines[0].edit is window.focusWidget()
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    wait_until_judged(window, qtbot)
    window.go_to(RIG)
    listed = window.rig.guessed
    found = guesses(window.document.project.rig)
    assert len(listed.lines) == 3
    qtbot.waitUntil(lambda: any(index for _, index in listed._rated), timeout=60_000)
    rated = [index for _, index in listed._rated]
    assert rated == sorted(rated, reverse=True)
    click(listed.more)
    assert len(listed.lines) == len(found)
    top = listed._rated[0][0].parameter
    click(listed.lines[0])
    assert window.rig.edits.selected
    window.document.set(("rig", *top.path), top.value * 1.5, "measured")
    qtbot.waitUntil(lambda: top.path not in {each.parameter.path for each, _ in listed._rated}, timeout=60_000)


def test_what_becomes_of_the_answers_is_said_and_what_is_wrong_with_one(window: MainWindow, qtbot: QtBot) -> None:
    window.start.ask(kind_of("kiln"))
    page = window.start.questions

    def said() -> str:
        items = [page.becomes.itemAt(k) for k in range(page.becomes.count())]
        return " ".join(item.widget().text() for item in items if item is not None and item.widget() is not None)

    qtbot.waitUntil(lambda: "850.0 °C needs" in said(), timeout=60_000)
    setpoint = next(line for line in page.lines if line.question.key == "setpoint")
    setpoint.edit.setText("700 °C")
    qtbot.waitUntil(lambda: "700.0 °C needs" in said(), timeout=60_000)
    for text, says in (("5000", "It must be from"), ("warm", "does not start with a number"), ("", "Type a number")):
        setpoint.edit.setText(text)
        assert says in setpoint.fault.text()
        click(page.button)
        assert "has no answer yet" in page.said.text()
        assert window.nothing_open
    setpoint.edit.setText("1292 °F")
    assert setpoint.value == pytest.approx(700, abs=0.01)
    assert setpoint.fault.text() == ""
    size = next(line for line in page.lines if line.question.key == "size")
    size.edit.setText("35")  # in the unit that was shown
    assert size.value == pytest.approx(0.035)
    click(page.back)
    assert window.start.pages.currentIndex() == 0


def test_a_demo_is_drawn_and_opened(window: MainWindow, qtbot: QtBot) -> None:
    cards = window.start.demos
    assert list(cards) == [demo.name for demo in DEMOS]
    qtbot.waitUntil(lambda: all(card.paint_picture is not None for card in cards.values()), timeout=60_000)
    click(shown(cards["wax-pot"], qtbot))
    assert window.document.project.name == "Wax pot"
    assert not window.nothing_open


def test_files_opened_lately_and_one_that_has_gone(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    for name in ("one", "two"):
        save(two_candidates(), tmp_path / f"{name}.kelvarn")
        window.session.add_recent(tmp_path / f"{name}.kelvarn")
    (tmp_path / "one.kelvarn").unlink()
    window.show_start()
    cards = {card.title: card for card in window.start.findChildren(StartCard) if card.title in ("one", "two")}
    assert (cards["one"].line, cards["one"].isEnabled()) == ("the file has gone", False)
    assert cards["two"].line.startswith("today")
    click(shown(cards["two"], qtbot))
    assert window.document.path == tmp_path / "two.kelvarn"


def test_what_a_crash_left_is_offered_and_thrown_away(window: MainWindow, qtbot: QtBot) -> None:
    journal = Journal()
    journal.keep(two_candidates(), None, None)
    journal.let_go()
    window.show_start()
    assert "Left from a crash" in {label.text() for label in window.start.findChildren(PlainLabel)}
    [away] = [button for button in window.start.findChildren(QPushButton) if button.text() == "throw away"]
    click(shown(away, qtbot))
    assert not journal.entry.exists()
    assert window.nothing_open


def test_what_a_crash_left_is_brought_back_or_stays_for_another_time(window: MainWindow, qtbot: QtBot) -> None:
    for take in (False, True):
        if not take:
            journal = Journal()
            journal.keep(two_candidates(), None, None)
            journal.let_go()
        window.show_start()
        back = [button for button in window.start.findChildren(QPushButton) if button.text() == "bring back"][-1]
        shown(back, qtbot)
        if take:
            click(back)
            assert window.document.project == two_candidates()
            assert window.document.dirty
        else:
            window.go_to(RIG)  # somebody goes on with something else
            QApplication.processEvents()
    assert not window.nothing_open


def test_a_log_leads_to_fit_and_closing_leads_back(
    window: MainWindow, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    rows = "\n".join(f"{10 * k},{20 + 30 * (1 - 0.9**k):.2f},{1 if k else 0}" for k in range(60))
    (tmp_path / "log.csv").write_text(f"time_s,temp_C,duty\n{rows}\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "log.csv"), ""))
    click(shown(window.start.kinds["log"], qtbot), QPoint(20, 20))
    qtbot.waitUntil(lambda: not window.nothing_open, timeout=60_000)
    assert window.station is window.stations[FIT]
    assert len(window.document.project.logs) == 1
    window.document._saved = window.document.project
    window.menus.actions["Close the project"].trigger()
    assert window.nothing_open
    assert window.document.project.logs == ()


DEEDS = {
    "no-band": lambda p: put(p, ("candidates", 0, "controller"), OnOff(below_K=1.2, above_K=1.2)),
    "rings": lambda p: put(p, ("candidates", 1, "controller", "kp_per_K"), 2.5),
    "wound-up": lambda p: put(p, ("candidates", 0, "controller", "anti_windup"), "hold"),
    "wrong-place": lambda p: put(p, ("rig", "probes", 0, "body"), "Part"),
    "stall": lambda p: put(p, ("candidates", 0, "controller", "floor"), 0.35),
    "breaks": lambda p: put(p, ("rig", "guards", 0, "action"), "off"),
    "colder": lambda p: put(p, ("trials", 0, "plan", "changes", 0, "to_degC"), -4.0),
    "long-window": lambda p: put(p, ("rig", "drives", 0, "window_s"), 5.0),
}


@pytest.mark.parametrize("experiment", EXPERIMENTS, ids=lambda each: each.key)
def test_an_experiment_says_what_to_try_and_that_it_was_seen(
    window: MainWindow, experiment: Experiment, qtbot: QtBot
) -> None:
    click(shown(window.start.experiments[experiment.key], qtbot))
    wait_until_judged(window, qtbot)
    line = window.experiment
    qtbot.waitUntil(lambda: line.said.text().startswith(f"Try: {experiment.tries}"), timeout=60_000)
    assert experiment.look in line.said.text()
    assert line.isVisible()
    assert len(window.document.project.candidates) == 2
    window.document.apply(DEEDS[experiment.key](window.document.project), "a deed")
    qtbot.waitUntil(lambda: line.was_seen, timeout=60_000)
    assert experiment.told in line.said.text()
    window.document.undo()
    window.refresh()
    assert line.was_seen  # what was seen was seen
    window.document.replace(blank_project(), None)
    window.refresh()
    assert not line.isVisible()


def test_experiments_show_their_effect() -> None:
    """The figures that their sentences speak of."""

    def of(key: str, deed: bool = False) -> dict[str, Any]:
        found = experiment_of(key)
        assert found is not None
        project = found.build()
        project = DEEDS[key](project) if deed else project
        return {each.name: result_of(project.rig, each.controller, project.first_trial) for each in project.candidates}

    def value(results: dict[str, Any], name: str, key: str) -> float:
        measures = results[name].measures
        return float((measures.main.values | measures.values)[key])

    assert value(of("no-band"), "No band", "switch_ons_per_h") > 4 * value(of("no-band"), "±1 K", "switch_ons_per_h")
    assert value(of("wound-up"), "Winds up", "overshoot_K") > 5 * value(of("wound-up"), "Lets go", "overshoot_K")
    part = of("wrong-place")["PI"].measures.end_degC["Part"]
    assert part < 54
    flow = of("stall")["Hums"].run
    asked, turns = flow.drive > 0.05, flow.flow[0] > 0.05
    assert (asked & ~turns).mean() > 0.15  # it is asked, and stands
    broken = of("breaks")["PI"].measures
    assert broken.hottest_degC["Block"] > 75
    assert of("breaks", deed=True)["PI"].measures.hottest_degC["Block"] < 65
    assert value(of("colder"), "On/off ±0.5", "most_ice_kg") < 0.05 < value(
        of("colder", deed=True), "On/off ±0.5", "most_ice_kg")  # fmt: skip
    warm, cold = (of("colder", deed=deed)["On/off ±0.5"].run for deed in (False, True))
    first = warm.judged_degC > 6.0
    until = int(first.argmin())
    assert warm.judged_degC[:until] == pytest.approx(cold.judged_degC[:until], abs=0.05)  # no faster
    assert value(of("long-window"), "PI", "swing_K") > 5 * value(of("long-window", deed=True), "PI", "swing_K")
