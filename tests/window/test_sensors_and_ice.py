"""A sensor's table typed and pasted; ice at a link with its lane; the wave of a quick PWM at the cursor."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import CONTROL, RIG, MainWindow
from kelvarn.desktop.stations.rig.keys import key_of
from kelvarn.desktop.strip.lane import LaneTrace, Wave
from kelvarn.desktop.strip.wave import paint_wave, wave_text
from kelvarn.model.edit import put
from kelvarn.model.probes import Converter

from .conftest import type_into, wait_for_step
from .test_rig_parts import complaint, names, number, pick, press


@pytest.fixture
def rig(window: MainWindow, qtbot: QtBot) -> MainWindow:
    window.go_to(RIG)
    wait_for_step(qtbot, window)
    return window


def _converter(window: MainWindow) -> Converter:
    made = window.document.project.rig.probe.converter
    assert made is not None
    return made


def test_a_table_is_chosen_typed_pasted_and_undone(rig: MainWindow) -> None:
    rig.rig.select(key_of("probe", rig.document.project.rig.control_index))
    press(rig, "+ converter (bits, thermistor, table)")
    assert {"NTC at 25 °C", "Beta", "Fixed resistor"} <= set(names(rig))
    pick(rig, "Sensor", "resistance by table")
    assert "Beta" not in names(rig)
    probe = rig.document.project.rig.probe
    assert (probe.lowest_degC, probe.highest_degC) == (-50, 200)
    press(rig, "+ row")
    assert len(_converter(rig).points) == 7
    type_into(number(rig, "7: at").edit, "240")
    assert _converter(rig).points[-1].degC == 240
    type_into(number(rig, "7: at").edit, "100")  # it would turn
    assert _converter(rig).points[-1].degC == 240
    assert "go up" in number(rig, "7: at")._fault.text()
    QGuiApplication.clipboard().setText("°C\tohm\n0\t32650\n25\t10000\n90\t915\n")
    press(rig, "Paste a table")
    assert [point.value for point in _converter(rig).points] == [32650, 10000, 915]
    probe = rig.document.project.rig.probe
    assert (probe.lowest_degC, probe.highest_degC) == (0, 90)
    QGuiApplication.clipboard().setText("nothing of use")
    press(rig, "Paste a table")
    assert "0 rows" in complaint(rig)
    assert len(_converter(rig).points) == 3
    rig.document.undo()
    assert len(_converter(rig).points) == 7
    pick(rig, "Sensor", "voltage by table")
    assert _converter(rig).points[-1].value == 4.5
    assert "Full scale" in names(rig)


def test_ice_is_added_to_a_link_and_shown_in_its_lane(rig: MainWindow, qtbot: QtBot) -> None:
    rig.rig.select(key_of("link", 0))
    press(rig, "+ ice, where it gets colder than 0 °C")
    assert "Dew point of the air" in names(rig)
    type_into(number(rig, "Ice at the start").edit, "200 g")
    [link] = [each for each in rig.document.project.rig.links if each.icing is not None]
    assert link.icing is not None
    assert link.icing.start_kg == 0.2
    rig.document.set(("lanes",), ("temperature", "ice"), "lanes")
    rig.go_to(CONTROL)
    qtbot.waitUntil(lambda: bool(rig.control.strip.lane("ice")[0].traces), timeout=60_000)
    lane = rig.control.strip.lane("ice")[0]
    assert lane.traces[0].value[0] == pytest.approx(0.2)
    assert lane.traces[0].value[-1] == pytest.approx(0, abs=1e-3)  # a warm cabinet melts it


def test_a_quick_pwm_is_drawn_at_the_cursor(window: MainWindow, qtbot: QtBot) -> None:
    project = window.document.project
    fan = {"kind": "fan", "name": "Fan", "acts": "heats", "pwm_Hz": 25_000.0}
    drives = (project.rig.drives[0].model_dump(), fan)
    window.document.apply(put(project, ("rig", "drives"), drives), "a fan")
    window.document.set(("lanes",), ("temperature", "pulses"), "lanes")
    window.go_to(CONTROL)
    strip = window.control.strip
    qtbot.waitUntil(lambda: any(lane.wave for lane, _ in strip.frames()), timeout=60_000)
    [(lane, frame)] = [(lane, frame) for lane, frame in strip.frames() if lane.wave]
    assert lane.wave is not None
    assert lane.wave.period_s == pytest.approx(40e-6)

    def line() -> list[int]:
        """A row of the lane's picture."""
        image = strip.grab().toImage()
        ratio = image.width() / strip.width()
        y = round((frame.rect.bottom() - 4) * ratio)
        return [image.pixel(x, y) for x in range(image.width())]

    found = []
    for at_s in (10.0, 6000.0):
        strip.move_cursor(at_s)
        duty = lane.wave.duty.at(at_s)
        found.append((duty, line()))
    assert found[0][0] != found[1][0]
    assert found[0][1] != found[1][1]
    assert [wave_text(duty, 40e-6) for duty in (0.0, 0.3, 1.0)] == [
        "off all of 40 µs", "on 12 µs of 40 µs", "on all of 40 µs",
    ]  # fmt: skip
    assert wave_text(0.5, 0.02) == "on 10 ms of 20 ms"
    for duty in (0.25, 0.75):  # so long is the line at its top, of each period
        image = QImage(900, 40, QImage.Format.Format_RGB32)
        image.fill(0xFFFFFF)
        painter = QPainter(image)
        at = LaneTrace("Fan", np.array([0.0, 1.0]), np.array([duty, duty]), 0)
        paint_wave(painter, Wave(at, 40e-6), replace(frame, rect=QRectF(0, 0, 900, 40)), 0.0, 10.0)
        painter.end()
        high, low = (sum(image.pixel(x, y) & 0xFFFFFF != 0xFFFFFF for x in range(20, 700)) for y in (4, 36))
        assert high / (high + low) == pytest.approx(duty, abs=0.1)
