"""What a device measures besides its samples, at the Bench: a board that adds a current to what the program tells."""

import re
import threading

from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import BENCH
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.handover.carry import Carried
from kelvarn.link.lines import with_sum, without_sum
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from tests.window.conftest import close_window, open_window
from tests.window.test_bench import project


class WithCurrent(TcpOutlet):
    """A port of a device whose board measures a current too, and tells of it after the program's own points."""

    def __init__(self) -> None:
        super().__init__(0)
        self.amperes, self._lists = 1.5, ""

    def say(self, data: bytes) -> None:
        """Say it, with the current where all points or all values are told."""
        said = []
        for line in data.decode().splitlines():
            body = without_sum(line) if "*" in line else line
            if body.startswith(("point ", "value ")):
                self._lists = body[:5]
            found = re.fullmatch(r"(ok \d+ lines=)(\d+)", body)
            if found and self._lists:
                more = f"{self._lists} current A 0 5 0 r - -" if self._lists == "point" else (
                    f"{self._lists} current {self.amperes} A 40 1"
                )  # fmt: skip
                said += [with_sum(more), with_sum(f"{found[1]}{int(found[2]) + 1}")]
                self._lists = ""
            else:
                said.append(line)
        super().say("".join(f"{line}\n" for line in said).encode())


def test_what_a_device_measures_besides_is_shown_within_its_limits_or_beyond(qtbot: QtBot) -> None:
    made = project()
    carried = Carried(made, made.candidate("Try"), made.first_trial)
    rig, outlet, ends = PracticeRig(carried, PythonBrain(carried), week_ms=0), WithCurrent(), threading.Event()
    thread = threading.Thread(target=PracticeServer(rig, outlet, 5.0).run, args=(lambda: not ends.is_set(),))
    thread.start()
    window = open_window(qtbot, made)
    window.go_to(BENCH)
    window.bench.link.where.setText(outlet.where)
    qtbot.keyClick(window.bench.link.where, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.bench.live is not None, timeout=60_000)
    qtbot.mouseClick(window.bench.tabs["live"], Qt.MouseButton.LeftButton)

    def said() -> list[tuple[str, object]]:
        labels = window.bench.device.findChildren(PlainLabel)
        return [(each.text(), each.property("role")) for each in labels if each.text().startswith("current")]

    qtbot.waitUntil(lambda: said() == [("current: 1.5 A", "met")], timeout=60_000)
    outlet.amperes = 7.25
    qtbot.waitUntil(lambda: said() == [("current: 7.25 A, beyond 5 A", "wrong")], timeout=60_000)
    session = window.bench.bench.session
    assert session is not None
    assert [point.name for point in session.listener.extras] == ["current"]
    close_window(window)
    ends.set()
    thread.join()
    outlet.close()
    rig.close()
