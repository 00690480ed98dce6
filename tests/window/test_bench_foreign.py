"""Devices of others at the Bench: their values told apart by a click, their register map typed, before a link opens."""

from pathlib import Path

import pytest
from PySide6.QtWidgets import QComboBox, QTableWidgetItem
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import BENCH, MainWindow
from kelvarn.desktop.stations.bench.foreign import MapDialog, ValuesDialog
from kelvarn.handover.points import points_of
from kelvarn.handover.register_map import register_map
from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.foreign_links import map_of
from kelvarn.link.practice.bus_outlet import BusTcpOutlet
from tests.core.test_foreign_links import oven
from tests.core.test_line import carried_of
from tests.core.test_outside import broker, gcc, mosquitto, served
from tests.window.conftest import click

__all__ = ["broker", "oven"]


def _choose(box: QComboBox, text: str) -> None:
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


@pytest.fixture
def bench(window: MainWindow) -> MainWindow:
    window.go_to(BENCH)
    return window


@mosquitto
def test_values_of_a_device_are_mapped_by_a_click(bench: MainWindow, oven: str, qtbot: QtBot) -> None:
    panel, work = bench.bench.link, bench.bench.bench
    panel.where.setText(oven.removesuffix("?json"))
    assert panel.values.isVisibleTo(panel)
    assert not panel.registers.isVisibleTo(panel)
    click(panel.values)
    qtbot.waitUntil(lambda: isinstance(panel.dialog, ValuesDialog), timeout=60_000)
    dialog = panel.dialog
    assert isinstance(dialog, ValuesDialog)
    by_path = {dialog.table.item(k, 0).text(): box for k, box in enumerate(dialog.roles)}
    assert {path: box.currentText() for path, box in by_path.items()} == {
        "temp": "temperature", "target": "setpoint", "heater": "drive", "vcc": "shown only", "uptime": "shown only",
    }  # fmt: skip
    _choose(by_path["vcc"], "temperature")  # it is wrong, but one may
    assert by_path["temp"].currentText() == "shown only"
    _choose(by_path["vcc"], "shown only")
    assert not dialog.button.isEnabled()
    assert "temperature" in dialog.said.text()
    _choose(by_path["target"], "temperature")
    _choose(by_path["temp"], "setpoint")
    click(dialog.button)
    qtbot.waitUntil(lambda: work.session is not None and work.session.last is not None, timeout=60_000)
    assert work.session is not None
    last = work.session.last
    assert last is not None
    assert last.reading_degC == 60  # as it was chosen: what it calls its target
    assert last.setpoint_degC in (61.5, 62.5)
    assert "&reading=target&setpoint=temp&drive=heater" in panel.where.text()
    work.close()


def test_a_wrong_choice_in_an_address_is_said() -> None:
    address = link_address("mqtt://127.0.0.1:1883/a?json&reading=x/y%20z&drive=")
    assert address.chosen == (("reading", "x/y z"), ("drive", ""))
    assert link_address(str(address)) == address
    for wrong in ("mqtt://h:1/a?json&what=x", "mqtt://h:1/a?yaml", "mqtt://h:1/a?&reading=x"):
        with pytest.raises(RuntimeError, match="nothing that a broker is asked"):
            link_address(wrong)


@gcc
def test_a_map_is_typed_kept_and_used(
    bench: MainWindow, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    reading = next(row for row in register_map(points_of(carried_of())) if row.name.startswith("probe_"))
    outlet = BusTcpOutlet(0)
    with served(outlet):
        panel, work = bench.bench.link, bench.bench.bench
        panel.where.setText(outlet.where)
        assert panel.registers.isVisibleTo(panel)
        click(panel.registers)
        dialog = panel.dialog
        assert isinstance(dialog, MapDialog)
        kept = tmp_path / "mine.csv"
        monkeypatch.setattr("kelvarn.desktop.stations.bench.foreign.ask_where", lambda *_: kept)

        def typed(row: int, *cells: str) -> None:
            for column, text in enumerate(cells):
                dialog.table.setItem(row, column, QTableWidgetItem(text))

        row = ("oven", reading.table, str(reading.address), str(reading.words), "yes", f"{reading.scale:g}")
        typed(0, *row)
        click(dialog.button)
        assert "no row has the role reading" in dialog.said.text()
        assert not kept.exists()
        typed(1, "oven too", reading.table, str(reading.address), "1")
        click(dialog.button)
        assert "overlap" in dialog.said.text()
        typed(1, "", "", "", "")
        typed(0, *row, "", "", "", "high", "reading")
        click(dialog.button)
        qtbot.waitUntil(lambda: work.session is not None and work.session.last is not None, timeout=60_000)
        assert work.session is not None
        assert work.session.last is not None
        assert work.session.last.reading_degC is not None
        assert [row.name for row in map_of(kept)] == ["oven"]
        work.close()


def test_a_map_that_is_read_stands_in_the_table_as_it_was(bench: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "theirs.csv"
    head = "name,table,address,words,signed,scale,unit,low,high,order,role\n"
    path.write_text(f"{head}T,input,7,2,yes,0.1,degC,-50,300,low,reading\nS,holding,3,1,no,1,,,,high,\n")
    address = LinkAddress("modbus-tcp", "127.0.0.1", 502)
    dialog = MapDialog(bench, address, tmp_path, lambda _where: None)
    dialog.read(path)
    (tmp_path / "again.csv").write_text(dialog.typed())
    assert map_of(tmp_path / "again.csv") == map_of(path)
    path.write_text("nonsense")
    dialog.read(path)
    assert "row" in dialog.said.text()
    dialog.reject()
    dialog.deleteLater()
