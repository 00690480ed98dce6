"""Links to devices: lines read, asked again, garbled, lost; recordings; the practice rig; other computers; commands."""

import json
import random
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest

from kelvarn.engine.run import compute
from kelvarn.files.logs.reader import read_log
from kelvarn.files.project_file import save
from kelvarn.handover.carry import Carried
from kelvarn.link.address import link_address
from kelvarn.link.device import Device, Refusal
from kelvarn.link.faults import LinkError
from kelvarn.link.lines import (
    LineError,
    Sample,
    add_to,
    answer_of,
    point_of,
    sample_of,
    value_of,
    with_sum,
    without_sum,
)
from kelvarn.link.listener import LinkState, Listener
from kelvarn.link.practice.brain import Brain, PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import Outlet, PracticeServer, SerialOutlet, TcpOutlet
from kelvarn.link.recording import log_of_recording
from kelvarn.link.wire import Wire, open_wire
from kelvarn.model.edit import with_fields
from tests.core.commands import kelvarn
from tests.core.test_adjusting import adjustable
from tests.core.test_line import carried_of


def wait_until(is_so: Callable[[], bool], within_s: float = 60.0) -> None:
    end = time.monotonic() + within_s
    while not is_so():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.005)


@contextmanager
def practised(
    outlet: Outlet, carried: Carried | None = None, speed: float = 20.0,
    brain_of: Callable[[Carried], Brain] = PythonBrain,
) -> Iterator[PracticeRig]:  # fmt: skip
    """A practice rig in a thread, on an outlet."""
    carried = carried or carried_of()
    rig, ends = PracticeRig(carried, brain_of(carried), week_ms=0), threading.Event()
    thread = threading.Thread(target=PracticeServer(rig, outlet, speed).run, args=(lambda: not ends.is_set(),))
    thread.start()
    try:
        yield rig
    finally:
        ends.set()
        thread.join()
        outlet.close()
        rig.close()


class Script:
    """A wire on which somebody answers as told."""

    def __init__(self, answer: Callable[[str], list[str]]) -> None:
        self._answer, self.heard, self._out = answer, list[str](), bytearray()
        self._lock, self.lost = threading.Lock(), ""

    def read(self, timeout_s: float) -> bytes:
        if self.lost:
            raise LinkError(self.lost)
        with self._lock:
            data, self._out = bytes(self._out), bytearray()
        if not data:
            time.sleep(min(timeout_s, 0.005))
        return data

    def write(self, data: bytes) -> None:
        line = data.decode().rstrip("\n")
        self.heard.append(line)
        body = without_sum(line) if "*" in line else line
        with self._lock:
            for each in self._answer(body):
                self._out += each.encode("latin-1") + b"\n"

    def close(self) -> None:
        pass


def test_a_line_that_is_lost_is_said_again_with_its_number() -> None:
    turns = [0]

    def answer(body: str) -> list[str]:
        turns[0] += 1
        number = body.split()[0]
        return (
            [] if turns[0] == 1 else ["\xff\x00 noise", with_sum(f"ok {int(number) - 1}"), with_sum(f"ok {number} x=1")]
        )

    script = Script(answer)
    device = Device(script, draw=random.Random(1))
    found, _ = device.ask("get x", within_s=0.3)
    assert found.values() == {"x": "1"}
    assert script.heard[0] == script.heard[1]
    assert (device.traffic.lost, device.traffic.garbled) == (1, 1)
    device.close()


def test_a_device_that_refuses_or_is_silent_or_lost_is_said_so() -> None:
    script = Script(lambda body: [with_sum(f"no {body.split()[0]} out of its range")])
    device = Device(script)
    with pytest.raises(Refusal, match="out of its range"):
        device.order("set x 1")
    with pytest.raises(LinkError, match="no program of Kelvarn"):
        device.hello()
    device.close()
    device = Device(Script(lambda _: []))
    with pytest.raises(LinkError, match="does not answer “get x”: said 2 times"):
        device.ask("get x", within_s=0.05, tries=2)
    lost: list[str] = []
    script = Script(lambda _: [])
    device = Device(script, on_lost=lost.append)
    script.lost = "It is lost."
    with pytest.raises(LinkError, match="It is lost"):
        device.ask("get x", within_s=2.0)
    assert lost == ["It is lost."]
    device.close()


def test_an_older_program_and_another_one_are_told_apart() -> None:
    def of(version: int) -> Callable[[str], list[str]]:
        return lambda body: [with_sum("program p r 1000"),
                             with_sum(f"ok {body.split()[0]} v={version} state=1-2 board=b reset=x up=1")]  # fmt: skip

    device = Device(Script(of(2)))
    with pytest.raises(LinkError, match="load its program anew"):
        device.hello()
    device.close()
    device = Device(Script(of(1)))
    assert device.hello().state == "1-2"
    device.close()


def test_whatever_arrives_is_no_fault_of_the_program() -> None:
    draw = random.Random(5)
    texts = (
        "w 1 100 20.5 60.000 10.00 5.00 25 0 16", "x 1 0 0 0 0 0", "r 1 0 20.5", "o 1 0 50.0", "ok 3 a=1", "no 4 so",
        "point a degC 0 1 0 r - -", "value a 1 degC 3 1", "event 3 stop", "probe a 1 2 1 1",
    )  # fmt: skip
    lines = [with_sum(text) for text in texts]
    taken = []
    device = Device(Script(lambda _: []), on_sample=taken.append)
    for _ in range(3000):
        line = bytearray(draw.choice(lines), "ascii")
        for _ in range(draw.randrange(4)):
            at = draw.randrange(len(line))
            line[at : at + draw.randrange(2)] = bytes([draw.randrange(256)] * draw.randrange(3))
        device._take(bytes(line))
    for words in (
        ["w"],
        ["w", "a", "b", "c", "d", "e", "f", "g", "h", "i"],
        ["x", "2", "1"],
        ["r", "1", "x", "1"],
        ["o", "1", "0", "1,5"],
    ):
        with pytest.raises(LineError):
            add_to(Sample(*[0] * 15), words) if words[0] != "w" else sample_of(words)  # type: ignore[arg-type]
    for words in (["point"], ["value"]):
        with pytest.raises(LineError):
            point_of(words) if words[0] == "point" else value_of(words)
    assert answer_of("okay") is None
    assert all(isinstance(each, Sample) for each in taken)
    device.close()


@pytest.mark.parametrize("kind", ["tcp", "serial"])
def test_a_practice_rig_is_met_as_a_stranger(kind: str, tmp_path: Path) -> None:
    outlet = TcpOutlet(0) if kind == "tcp" else SerialOutlet(tmp_path / "line")
    taken: list[Sample] = []
    with practised(outlet) as rig:
        device = Device(open_wire(link_address(outlet.where)), taken.append)
        found = device.hello()
        assert (found.board, found.reset, found.interval_s) == ("practice", "power", 2.0)
        assert device.values()["kp_per_k"].unit == "1/K"
        device.order("set kp_per_k 0.25")
        device.ask("watch 1")
        wait_until(lambda: len(taken) > 3)
        assert taken[-1].probes_degC[0] == taken[-1].reading_degC
        rig.switch("open", on=True)
        wait_until(lambda: taken[-1].reading_degC is not None and taken[-1].reading_degC > 1000)
        device.stop()
        wait_until(lambda: taken[-1].stopped and taken[-1].given == 0.0)
        device.close()


def test_a_person_with_a_terminal_can_speak_it() -> None:
    """Plain bytes, without numbers and sums."""
    outlet = TcpOutlet(0)
    with practised(outlet), socket.create_connection(("127.0.0.1", outlet.port)) as line:
        line.settimeout(60.0)
        line.sendall(b"hel")
        time.sleep(0.05)
        line.sendall(b"lo\r\nget mode\r\npractice\r\nbla\n")
        heard = b""
        while b"not understood" not in heard or b"ok lines=" not in heard:
            heard += line.recv(4096)
        text = heard.decode()
        assert "ok v=1 state=" in text
        assert "ok mode=0 - " in text
        assert "# practice door off Door" in text


def test_a_listener_comes_back_when_the_cable_was_pulled_and_the_device_began_anew() -> None:
    outlet, told, taken = TcpOutlet(0), list[LinkState](), list[Sample]()
    with practised(outlet) as rig:
        listener = Listener(link_address(outlet.where), taken.append, lambda state, _: told.append(state))
        listener.begin()
        wait_until(lambda: len(taken) > 2)
        outlet.drop_callers()
        wait_until(lambda: told.count(LinkState.OPEN) == 2)
        count = len(taken)
        wait_until(lambda: len(taken) > count + 2)
        rig.switch("power", on=True)
        wait_until(lambda: LinkState.LOST in told[3:], 30.0)
        rig.switch("power", on=False)
        count = len(taken)
        wait_until(lambda: len(taken) > count + 2, 30.0)
        assert taken[-1].t_ms < 60_000
        listener.close()


def _read_to_the_end(wire: Wire) -> None:
    while True:  # what was said before comes first
        wire.read(5.0)


def test_another_device_at_the_same_place_is_said_so_and_an_end_that_was_closed_too() -> None:
    outlet = TcpOutlet(0)
    with practised(outlet):
        listener = Listener(link_address(outlet.where), lambda _: None)
        listener.try_once()
        assert listener.identity is not None
        listener.identity = listener.identity._replace(state="0000-0000")
        with pytest.raises(LinkError, match="Another device answers"):
            listener.try_once()
        listener.close()
        wire = open_wire(link_address(outlet.where))
        outlet.pulled = True
        with pytest.raises(LinkError, match="the other side has closed it"):
            _read_to_the_end(wire)
        wire.close()


def test_the_plant_of_a_practice_rig_is_that_of_the_engine() -> None:
    """The same decisions, read within a twentieth of a kelvin."""
    made = carried_of(resolution_K=0.0, noise_K=0.0)
    trial = with_fields(made.trial, duration_s=3600.0, events=(), marks=())
    project = with_fields(made.project, trials=(trial,))
    carried = Carried(project, made.candidate, trial)
    rig = PracticeRig(carried, None if shutil.which("gcc") else PythonBrain(carried, 1), week_ms=0)
    rig.hear(b"watch 1\n")
    said = b""
    while rig.time_s < 1500.0:
        rig.tick()
        said += rig.spoken()
    rows = [sample_of(without_sum(line).split(" ")) for line in said.decode().splitlines() if line.startswith("w ")]
    run = compute(project.rig, made.candidate.controller, trial)
    k = np.searchsorted(run.time_s, [row.t_ms / 1000.0 - 1e-3 for row in rows])
    assert max(abs(row.given - run.drive[at]) for row, at in zip(rows, k, strict=True)) < 0.01
    assert max(abs((row.reading_degC or 0) - run.measured_degC[at]) for row, at in zip(rows, k, strict=True)) < 0.05
    rig.close()


@pytest.mark.parametrize("name", ["cure-cabinet", "heatsink-fan", "enamelling-kiln"])
def test_what_happens_to_a_practice_rig_happens_and_ends(name: str) -> None:
    from kelvarn.demos import find_demo

    project = find_demo(name).build()
    carried = Carried(project, project.candidates[-1], project.first_trial)
    rig = PracticeRig(carried, PythonBrain(carried), week_ms=0)
    while rig.time_s < 300.0:
        rig.tick()
    for happening, _ in rig.happenings:
        before = rig.plant.bodies_degC
        assert rig.switch(happening.name) is True
        for _ in range(100):
            rig.tick()
        raws = rig.plant.raws()
        if happening.name == "open":
            probe = project.rig.probes[0]
            assert raws[0] in (probe.highest_degC, (1 << probe.converter.bits) - 1 if probe.converter else None)
        if happening.name == "stuck_on":
            assert max(np.array(rig.plant.bodies_degC) - np.array(before)) != 0.0
        assert rig.switch(happening.name, on=False) is False
        for _ in range(100):
            rig.tick()
    assert rig.switch("nothing") is None
    rig.close()


def test_a_practice_rig_that_hangs_lets_go_of_its_outputs_and_is_restarted() -> None:
    carried = carried_of()
    rig = PracticeRig(carried, PythonBrain(carried), week_ms=0)
    while rig.time_s < 10.0:
        rig.tick()
    assert rig.levels[0] > 0.0
    rig.switch("hang", on=True)
    while rig.time_s < 16.0:
        rig.tick()
    assert rig.levels == (0.0,)
    rig.switch("hang", on=False)
    rig.hear(b"hello\n")
    while rig.time_s < 18.0:
        rig.tick()
    assert b"reset=" in rig.spoken()
    rig.close()


# Commands.


def test_what_is_wrong_with_a_link_is_one_sentence(tmp_path: Path) -> None:
    taken = socket.create_server(("127.0.0.1", 0))
    port = taken.getsockname()[1]
    taken.close()
    for link, said in {
        "foo": "is no link", "tcp://": "is no link", "serial:": "is no link", "tcp://h:99999": "is no link",
        f"serial:{tmp_path}/no": "is not there", f"tcp://127.0.0.1:{port}": "nobody listens there",
        f"serial:{tmp_path}": "cannot be opened",
    }.items():  # fmt: skip
        done = kelvarn("points", link)
        assert done.returncode == 2, link
        assert said in done.stderr, link
        assert "Traceback" not in done.stderr
    for arguments, said in {
        ("record", "foo", "x.txt"): "end in .csv", ("watch", "foo", "--for", "x"): "not a duration",
        ("watch", "foo", "--for", "-3s"): "--for",
    }.items():  # fmt: skip
        done = kelvarn(*arguments)
        assert (done.returncode, said in done.stderr) == (2, True), done.stderr


def test_the_commands_meet_a_practice_rig_that_runs_by_itself(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    project = adjustable("KP_PER_K").project
    save(project, tmp_path / "p.kelvarn")
    options = ["--candidate", "Try", "--tcp", "0", "--speed", "50"] + ([] if shutil.which("gcc") else ["--python"])
    rig = subprocess.Popen(
        [sys.executable, "-m", "kelvarn", "practice", str(tmp_path / "p.kelvarn"), *options],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        assert rig.stdout is not None
        link = rig.stdout.readline().decode().strip()
        found = json.loads(kelvarn("points", link, "--json").stdout)
        assert found["device"]["board"] == "practice"
        assert [row["name"] for row in found["points"] if row["writes"]] == ["kp_per_k"]
        done = kelvarn("watch", link, "--for", "2s", "--out", tmp_path / "w.csv")
        assert done.returncode == 0, done.stderr
        rows = done.stdout.splitlines()
        assert rows[0].startswith("time_s,setpoint_degC")
        assert len(rows) > 10
        again = kelvarn("record", link, tmp_path / "w.csv", "--for", "1s")
        assert "rows in" in again.stderr
        assert read_log(log_of_recording(tmp_path / "w.csv", [])).time_s.size > len(rows) - 1
    finally:
        rig.send_signal(signal.SIGTERM)
        assert rig.wait(10) == 0
        for stream in (rig.stdout, rig.stderr):
            if stream is not None:
                stream.close()
    done = kelvarn("practice", tmp_path / "p.kelvarn", "--speed", "0")
    assert (done.returncode, "--speed" in done.stderr) == (2, True)
    done = kelvarn("practice", tmp_path / "p.kelvarn", "--serial", "--tcp", "0")
    assert "Give one of" in done.stderr
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    with socket.create_server(("127.0.0.1", 0)) as taken:
        done = kelvarn("practice", tmp_path / "p.kelvarn", "--candidate", "Try", "--tcp", taken.getsockname()[1])
    assert "in use; name another port" in done.stderr
    assert not list(tmp_path.glob("kelvarn-*"))
