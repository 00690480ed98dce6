"""Programs in Python: the very functions, here and by MicroPython; and what a small computer does with them."""

import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

from kelvarn.handover.board_rows import random_row
from kelvarn.handover.carry import Carried
from kelvarn.handover.checks import Prover
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.proof import prove
from kelvarn.handover.python_files import python_files
from kelvarn.handover.pythons import build_python, lacking_python
from kelvarn.handover.twin import Twin
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Signal
from tests.campaigns.trials import random_project
from tests.core.test_chips import cabinet

micro = pytest.mark.skipif(bool(lacking_python("micropython")), reason=lacking_python("micropython"))
PLACES = ["python", pytest.param("micropython", marks=micro)]


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("seed", range(20, 26))
def test_random_candidates_decide_in_python_what_they_decide_here(place: str, seed: int, tmp_path: Path) -> None:
    project, draw = random_project(seed), random.Random(seed)
    carried = Carried(project, project.candidates[0], project.first_trial)
    interval_ms = round(1000 * project.rig.probe.interval_s)
    levels = [project.first_trial.plan.last_degC, *(getattr(each, "at_degC", 20.0) for each in project.rig.guards)]
    try:
        program = build_python(place, carried, tmp_path)
    except HandoverError as error:
        assert "valve" in str(error)
        return
    rows = [random_row(carried, k * interval_ms, levels, draw) for k in range(300)]
    twin = Twin(carried)
    told = [found for row in rows if (found := twin.row(row)) is not None]
    assert len(told) > 150
    assert (program.run(np.array(rows)) == np.array(told)).all()


@pytest.mark.parametrize("place", PLACES)
def test_a_proof_in_python_finds_no_difference(place: str, monkeypatch: pytest.MonkeyPatch) -> None:
    for name, count in (("_RIGS_ON_CHIP", 2), ("_MOST_SAMPLES", 200), ("_CUTS_ON_CHIP", 6), ("_ODD_SAMPLES", 300)):
        monkeypatch.setattr(f"kelvarn.handover.checks.{name}", count)
    carried = cabinet("double")
    proof = prove(carried.project, carried.candidate, carried.trial, on=(place,))
    assert (proof.differs, [check.name for check in proof.checks if check.left]) == (False, []), proof.checks
    assert f"{place}: power cuts" in [check.name for check in proof.checks]


def test_a_slip_in_python_is_found(tmp_path: Path) -> None:
    carried = cabinet("double")
    files = python_files(carried, "simulated")
    slips = [
        ("control.py", "KP_PER_K * (WEIGHT", "1.0001 * KP_PER_K * (WEIGHT"),
        ("program.py", "control.order(", "control.order if now else control.order("),
        ("program.py", "off = decision.drives_cut or (", "off = ("),
        ("store.py", "values[0] > _last[0]", "values[0] < _last[0]"),
    ]
    monkey = pytest.MonkeyPatch()
    for place, (name, before, after) in enumerate(slips):
        assert files[name].count(before) == 1, before
        program = build_python("python", carried, tmp_path / str(place), {name: files[name].replace(before, after)})
        prover = Prover(carried, tmp_path / f"p{place}", "python")
        prover.program = program
        found = [check().found.differing for title, check in prover.checks() if title in ("power cuts", "edges")]
        assert any(found), before
    monkey.undo()


def test_a_setting_out_of_its_range_leaves_it_off(tmp_path: Path) -> None:
    carried = cabinet("double")
    text = python_files(carried, "simulated")["settings.py"]
    assert "KP_PER_K = 0.12\n" in text
    for value, runs in (("0.13", True), ("-0.1", False)):
        slipped = {"settings.py": text.replace("KP_PER_K = 0.12\n", f"KP_PER_K = {value}\n")}
        program = build_python("python", carried, tmp_path / value, slipped)
        told = program.run(np.array([random_row(carried, k * 500, [50.0], random.Random(1)) for k in range(20)]))
        assert bool(len(told)) == runs


@pytest.fixture
def small_computer(tmp_path: Path) -> Iterator[Callable[[], tuple[subprocess.Popen[bytes], Path]]]:
    """Files of a small computer whose pins and probes lie in a folder; started and stopped."""
    carried, started = cabinet("double", converter=None, interval_s=0.1), []
    pins = tmp_path / "pins"
    pins.mkdir()
    for name, text in python_files(carried, "linux").items():
        if name == "pins.py":
            for kind in ("/sys/class/gpio/gpio", "/sys/bus/w1/devices/"):
                text = text.replace(kind, f"{pins}/")
            text = text.replace("/value", "").replace("28-000000000000/temperature", "probe")
            text = text.replace('"/dev/watchdog"', "None").replace("/var/lib/kelvarn", str(tmp_path / "kept"))
        (tmp_path / name).write_text(text)
    (pins / "22").write_text("1")  # the reset button is not pressed

    def start() -> tuple[subprocess.Popen[bytes], Path]:
        process = subprocess.Popen([sys.executable, "main.py"], cwd=tmp_path)
        started.append(process)
        return process, pins

    yield start
    for process in started:
        process.send_signal(signal.SIGCONT)
        process.kill()
        process.wait()


def reads(path: Path, value: str) -> bool:
    """Whether a pin has a value within some seconds."""
    for _ in range(200):
        if path.exists() and path.read_text() == value:
            return True
        time.sleep(0.05)
    return False


def test_a_small_computer_heats_trips_and_stays_off_when_started_again(
    small_computer: Callable[[], tuple[subprocess.Popen[bytes], Path]], tmp_path: Path
) -> None:
    process, pins = small_computer()
    heater, contactor = pins / "17", pins / "27"
    assert reads(heater, "0")
    time.sleep(0.5)
    assert heater.read_text() != "1"  # without a reading it never goes on
    (pins / "probe").write_text("21500\n")
    assert reads(heater, "1")
    (pins / "probe").write_text("85000\n")  # what a sensor says before its first conversion is no reading
    assert reads(heater, "0")
    assert reads(contactor, "1")  # and none that trips
    (pins / "probe").write_text("76000\n")
    assert reads(contactor, "0")
    time.sleep(1.0)  # what it decided is stored right after
    process.kill()
    process.wait()
    (pins / "probe").write_text("21500\n")
    small_computer()
    time.sleep(1.5)
    assert reads(heater, "0")
    assert reads(contactor, "0")  # it tripped
    (pins / "22").write_text("0")
    assert reads(heater, "1")
    assert list((tmp_path / "kept").iterdir())


def test_a_small_computer_that_hangs_lets_go_of_the_heater(
    small_computer: Callable[[], tuple[subprocess.Popen[bytes], Path]],
) -> None:
    (process, pins) = small_computer()
    (pins / "probe").write_text("21500\n")
    assert reads(pins / "17", "1")
    process.send_signal(signal.SIGSTOP)
    assert reads(pins / "17", "0")
    process.send_signal(signal.SIGCONT)
    assert reads(pins / "17", "1")
    process.kill()
    assert reads(pins / "17", "0")


_MACHINE = """
import sys, time, types
NOW, PINS, TIMER, FED, CAUSE = [0], {}, [None], [0], [1]
time.ticks_ms, time.ticks_diff, time.sleep_ms = (lambda: NOW[0]), (lambda a, b: a - b), (lambda ms: None)

class Pin:
    OUT, IN, PULL_UP = 0, 1, 2
    def __init__(self, pin, mode=1, pull=None, value=None):
        self.level = 1 if value is None else value
        PINS[pin] = self
    def value(self, level=None):
        if level is None:
            return self.level
        self.level = level

class Timer:
    PERIODIC = 1
    def __init__(self, number):
        if number < 0:
            raise ValueError("such a board has none")
    def init(self, period, mode, callback):
        TIMER[0] = callback

class WDT:
    def __init__(self, timeout):
        pass
    def feed(self):
        FED[0] = NOW[0]

class ADC:
    count = 30000
    def __init__(self, pin):
        pass
    def read_u16(self):
        return ADC.count

machine = types.ModuleType("machine")
machine.Pin, machine.Timer, machine.WDT, machine.ADC, machine.WDT_RESET = Pin, Timer, WDT, ADC, 3
machine.reset_cause = lambda: CAUSE[0]
sys.modules["machine"] = machine

def run(ms, made=None):
    import board
    for _ in range(ms // 10):
        NOW[0] += 10
        TIMER[0](None)
        if made is not None and board.goes_on(made):
            made.step()
    return PINS[15].level, PINS[16].level
"""


def test_a_board_with_micropython_drives_its_pins_and_lets_go_of_them(tmp_path: Path) -> None:
    """With a machine that is made up: how it is wired together, not what its chip does."""
    for name, text in {**python_files(cabinet("double"), "micropython"), "fake.py": _MACHINE}.items():
        (tmp_path / name).write_text(text)

    def run(script: str) -> "subprocess.CompletedProcess[str]":
        """Nothing is kept of what was compiled: pins.py changes within a second, and not in length."""
        return subprocess.run([sys.executable, "-B", "-c", script], cwd=tmp_path, capture_output=True, text=True,
                              check=False, timeout=120)  # fmt: skip

    def says(script: str) -> str:
        done = run("from fake import *\nimport program\n" + script)
        assert done.returncode == 0, done.stderr
        return done.stdout.strip().splitlines()[-1]

    assert says("import board; print(PINS[15].level, PINS[16].level)") == "0 0"
    made = "made = program.Program()\n"
    assert says(made + "print(run(2000, made))") == "(1, 1)"
    assert says(made + "run(2000, made); print(run(1400), NOW[0] - FED[0] > 300)") == "(0, 0) True"  # it hangs
    assert says(made + "ADC.count = 4000; run(2000, made); ADC.count = 30000; print(run(2000, made))") == "(0, 0)"
    assert says(made + "run(2000, made); PINS[17].level = 0; print(run(2000, made)[1])") == "1"  # reset lets go
    (tmp_path / "stored0").unlink(missing_ok=True)
    (tmp_path / "stored1").unlink(missing_ok=True)
    for held in (False, False, True):
        left = says("CAUSE[0] = 3\n" + made + "print(run(2000, made))")
        assert left == ("(0, 0)" if held else "(1, 1)")
    assert says(made + "print(run(2000, made))") == "(0, 0)"  # also after a power cut
    assert says(made + "run(1000, made); PINS[17].level = 0; print(run(2000, made))") == "(1, 1)"
    pins = (tmp_path / "pins.py").read_text()
    (tmp_path / "pins.py").write_text(pins.replace("RESET = 17", "RESET = 15"))
    assert "pin 15 is used twice" in run("from fake import *\nimport board").stderr


def test_a_rig_with_more_contacts_than_pins_is_one_sentence_but_not_where_pins_are_files() -> None:
    carried = cabinet("double")
    rig = with_fields(carried.project.rig, permits=tuple(Signal(name=f"Signal {k}") for k in range(12)))
    many = Carried(with_fields(carried.project, rig=rig), carried.candidate, carried.trial)
    with pytest.raises(HandoverError, match="too few pins"):
        python_files(many, "micropython")
    assert python_files(many, "linux")["pins.py"].count("/value") > 12
