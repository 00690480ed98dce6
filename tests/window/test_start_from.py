"""Starting points and reserve at Control: a click makes a candidate that meets the marks."""

import re

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.stations.control.reserve import reserve_text, swing_text
from kelvarn.engine.run import compute
from kelvarn.model.on_off import OnOff
from kelvarn.tune.reserve import LeastReserve, Reserve
from kelvarn.units import Scale
from tests.conftest import one_lag, trial

from .conftest import click, close_window, open_window


def test_a_click_in_the_list_makes_a_candidate_that_meets_all_marks(window: MainWindow, qtbot: QtBot) -> None:
    before = len(window.document.project.candidates)
    click(window.control.settings.start_from)
    made = window.control.settings.opened
    assert made is not None
    qtbot.waitUntil(lambda: made.table.rowCount() > 0, timeout=60_000)
    texts = [[made.table.item(row, column) for column in range(6)] for row in range(made.table.rowCount())]
    assert [item.text() for item in texts[0] if item][-1] == "6 of 6"
    none = next(row for row in texts if row[2] is not None and row[2].text().startswith("not applicable"))
    assert none[0] is not None
    made.use(texts.index(none))  # nothing comes of it
    assert len(window.document.project.candidates) == before
    place = made.table.visualItemRect(made.table.item(0, 2)).center()
    QTest.mouseClick(made.table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    project = window.document.project
    assert len(project.candidates) == before + 1
    assert window.view.candidate(project).name == "PID, Tyreus–Luyben"
    result = window.runner.result_of("PID, Tyreus–Luyben")
    assert result is not None
    assert result.met == 6
    window.document.undo()
    assert len(window.document.project.candidates) == before


def test_the_list_closed_early_and_rigs_without_a_reading(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("wax-pot").build())
    try:
        window.menus.actions["Start from a tuning rule…"].trigger()
        made = window.control.settings.opened
        assert made is not None
        made.close()
        qtbot.waitUntil(lambda: not window.runner.jobs.busy("advice"), timeout=60_000)
        window.view.select("P")
        qtbot.waitUntil(lambda: "either on or off" in window.control.reserve.text, timeout=60_000)
        window.view.select("On/off ±1")
        qtbot.waitUntil(lambda: "Reserve" not in window.control.reserve.text, timeout=60_000)
    finally:
        close_window(window)


def test_the_reserve_follows_the_settings(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.control.reserve.text != "", timeout=60_000)
    assert window.control.reserve.text == "Reserve: gain ×3.06, extra delay 44.7 s (Ms 1.76)"
    place = window.view.candidate_index(window.document.project)
    window.document.set(("candidates", place, "controller", "kp_per_K"), 0.6, "too much")
    qtbot.waitUntil(lambda: window.control.reserve.text.startswith("Reserve: none: it oscillates"), timeout=60_000)
    window.document.undo()
    qtbot.waitUntil(lambda: "×3.06" in window.control.reserve.text, timeout=60_000)


@pytest.mark.parametrize(
    ("found", "words"),
    [
        (Reserve(3.1, 60.0, 48.0, 55.0, 1.6), "Reserve: gain ×3.1, extra delay 48 s (Ms 1.6)"),
        (Reserve(None, None, None, None, 1.0), "Reserve: any gain, any delay (Ms 1)"),
        (Reserve(0.8, 60.0, None, None, None), "Reserve: none: it oscillates; gain ×0.8 is all that it bears."),
    ],
)
def test_a_reserve_in_words(found: Reserve, words: str) -> None:
    assert reserve_text(LeastReserve(found, 50.0), several=False) == words
    assert reserve_text(LeastReserve(found, 50.0), several=True) == words.replace(
        "none:" if "none:" in words else "Reserve:", "none at 50.0 °C:" if "none:" in words else "Reserve at 50.0 °C:"
    )


def test_the_cycle_of_on_off_is_foretold_of_one_lag_only() -> None:
    rig, law, asked = one_lag(100.0, 200.0, 10.0), OnOff(), trial(3000, 60.0)
    said = swing_text(rig, law, asked, Scale.FAHRENHEIT)
    assert said.startswith("By one lag and dead time it swings")
    swing_K = compute(rig, law, asked).judged_degC[-1000:]
    assert float(re.search(r"swings ([\d.]+) °F", said)[1]) == pytest.approx(1.8 * np.ptp(swing_K), rel=0.1)  # type: ignore[index]
    assert swing_text(find_demo("wax-pot").build().rig, law, asked, Scale.CELSIUS) == ""


@pytest.mark.long
def test_the_simplest_that_does_is_found_and_taken(window: MainWindow, qtbot: QtBot) -> None:
    click(window.control.settings.ask)
    made = window.control.settings.opened
    assert made is not None
    qtbot.waitUntil(lambda: "computing, " in made.said, timeout=60_000)  # it tells how far it is
    qtbot.waitUntil(lambda: made.table.rowCount() == 4, timeout=120_000)
    assert "The simplest that does is PI ★" in made.said
    place = made.table.visualItemRect(made.table.item(2, 1)).center()
    QTest.mouseClick(made.table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    result = window.runner.result_of("PI, best for the marks")
    assert result is not None
    assert result.met == 6
