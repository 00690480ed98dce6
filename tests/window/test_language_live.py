"""What opens on demand, or is told by a device, is in the window's language too, with its decimal mark."""

import re

import pytest
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QScrollArea
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS
from kelvarn.desktop.frame.window import BENCH, FIT, TRIAL, MainWindow
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts import texts
from kelvarn.link.practice.serve import TcpOutlet

from .conftest import click, close_window, open_window
from .test_bench import line, project, wait_until_heard
from .test_language import german, left_in_english, texts_of

__all__ = ["german", "line"]
_POINT = re.compile(r"(?<![\d.])\d+\.\d+(?![\d.])")


@pytest.fixture
def painted(monkeypatch: pytest.MonkeyPatch) -> set[str]:
    """All that is painted from now on, as it is read."""
    seen, laid_out = set[str](), texts.laid_out
    monkeypatch.setattr(
        texts, "laid_out", lambda text, *more, **how: seen.add(tell(text)) or laid_out(text, *more, **how)
    )
    return seen


def _look(window: MainWindow, seen: set[str]) -> None:
    window.grab()
    QCoreApplication.processEvents()
    seen.update(texts_of(window.station))
    own = window.document.project
    assert left_in_english(seen, own) == []
    typed = own.model_dump_json()
    assert [text for text in seen if _POINT.search(text) and "://" not in text and text not in typed] == []
    for column in window.station.findChildren(QScrollArea):
        if column.isVisible() and (within := column.widget()) is not None:
            assert within.width() <= column.viewport().width() + 1, within


def test_why_the_map_how_a_file_is_read_and_variants(german: None, painted: set[str], qtbot: QtBot) -> None:
    window = open_window(qtbot, DEMOS[0].build())
    window.resize(1280, 800)
    control = window.control
    window.view.select("Eager PI")
    click(control.why_button)
    qtbot.waitUntil(lambda: control.why_panel.found is not None, timeout=120_000)
    _look(window, painted)
    click(control.why_button)
    click(control.charts.map_button)
    qtbot.waitUntil(lambda: control.charts.map.map is not None and control.charts.map.map.complete, timeout=120_000)
    _look(window, painted)
    click(control.charts.map_button)
    window.go_to(FIT)
    for view in ("read", "plan", "calibrate"):
        window.fit.set_view(view)
        qtbot.waitUntil(lambda: not window.fit.known.busy, timeout=120_000)
        _look(window, painted)
    window.go_to(TRIAL)
    window.trial.variants.toggle()
    qtbot.waitUntil(lambda: not window.trial.variants.busy, timeout=120_000)
    _look(window, painted)
    close_window(window)


def test_a_device_and_the_first_hour(german: None, line: TcpOutlet, painted: set[str], qtbot: QtBot) -> None:
    window = open_window(qtbot, project())
    window.resize(1280, 800)
    window.go_to(BENCH)
    bench, station = window.bench.bench, window.bench
    assert bench.connect_to(line.where)
    qtbot.waitUntil(lambda: window.bench.live is not None, timeout=60_000)
    wait_until_heard(window, qtbot)
    click(station.tabs["live"])
    qtbot.waitUntil(lambda: bench.at.expected is not None and bench.at.future is not None, timeout=60_000)
    _look(window, painted)
    session = bench.session
    assert session is not None
    [point] = session.settings
    wanted = point.low + point.step
    bench.at.edits[point.name] = wanted
    assert bench.send() == ""
    qtbot.waitUntil(lambda: (found := session.listener.values.get(point.name)) is not None and found.value == wanted,
                    timeout=60_000)  # an order is never translated  # fmt: skip
    click(station.tabs["first hour"])
    hour = bench.at.first_hour
    assert hour is not None
    for key, ends in (("answers", True), ("probes", False), ("readings", False)):
        hour.choose(key)
        hour.begin()
        station.refresh()
        _look(window, painted)
        qtbot.waitUntil(lambda ends=ends: not ends or not hour.busy, timeout=60_000)  # type: ignore[misc]
        station.refresh()
        _look(window, painted)
    hour.cancel()
    bench.stop()
    qtbot.waitUntil(lambda: bench.session is not None and bench.session.stop_done_s is not None, timeout=60_000)
    station.refresh()
    _look(window, painted)
    close_window(window)
