"""The real board file on the 8-bit chip: its registers and pins, run by simavr.

Looked at: that every output is driven to its safe level before anything can switch it on; that with readings its edges
fall where those of the engine do; that without readings nothing ever goes on.
"""

import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kelvarn.engine.layout import curves_of, probe_record
from kelvarn.engine.plant import Drive, DriveKind
from kelvarn.engine.probes import count_of
from kelvarn.sentence import say

from .board_files import plain
from .board_rows import plain_row
from .carry import Carried
from .chips import AVR
from .files import STRICT, program_files
from .maker import maker_files
from .proof_records import Check, Compared, Difference
from .toolchain import ProgramError, compile_with, first_line, put_files
from .twin import Twin
from .wiring.pins import pin_plan

CORE = Path("/usr/share/arduino/hardware/arduino/avr")
"""Where Debian's package arduino-core-avr has what such a board comes with."""
_CHIP = (*AVR, "-DARDUINO=10819")
_CPP = ("-std=gnu++11", "-fno-exceptions", "-fno-threadsafe-statics")
_HERTZ, _LASTS_MS, _EDGE_MS = 16e6, 8000, 3.0
_COLD_K = (12.0, 6.0, 3.0, 1.5, 0.7, 0.3)
"""From the setpoint; the first at which an output goes on and off again is taken."""
_BECOMES_OUTPUT = 2


def lacking_core() -> str:
    """Why a board file cannot be tried, in a sentence; empty where it can."""
    return "" if CORE.exists() else "Not tried: arduino-core-avr is not installed (apt install arduino-core-avr)."


@dataclass(frozen=True)
class PinChange:
    """What a pin does: when, which, and its level; 2 where it becomes an output."""

    ms: float
    pin: int
    level: int


def build_sketch(carried: Carried, folder: Path, slipped: dict[str, str] | None = None) -> Path:
    """Compile a program for the 8-bit maker board as its tool does.

    Args:
        carried: the program.
        folder: where; it is made.
        slipped: files that replace its own.

    Raises:
        HandoverError: the board has not what it needs, or the compiler refuses.
    """
    files = {**program_files(carried), **maker_files(carried, "maker8"), **(slipped or {})}
    put_files({name.replace(".ino", "_ino.cpp"): text for name, text in files.items()}, folder)
    here = [f"-I{CORE}/{part}" for part in ("cores/arduino", "variants/standard", "libraries/EEPROM/src")] + ["-I."]
    core = CORE / "cores/arduino"
    c_files = sorted(name for name in files if name.endswith(".c"))
    compile_with(["avr-gcc", *STRICT, *_CHIP, *here, "-c", *c_files], folder)
    compile_with(["avr-g++", *_CPP, "-Wall", "-Wextra", "-Werror", *_CHIP, *here, "-c", "board_maker.cpp",
                  "program_ino.cpp"], folder)  # fmt: skip
    compile_with(["avr-gcc", *_CHIP, *here, "-w", "-c", *map(str, sorted(core.glob("*.c")))], folder)
    compile_with(["avr-g++", *_CPP, *_CHIP, *here, "-w", "-c", *_core_files(core)], folder)
    objects = sorted(each.name for each in folder.glob("*.o"))
    compile_with(["avr-g++", *_CHIP[:2], "-Wl,--gc-sections", *objects, "-lm", "-o", "program.elf"], folder)
    compile_with(["gcc", "-O2", "-x", "c", "-", "-lsimavr", "-o", "pins_runner"], folder, plain("pins_runner.c"))
    return folder / "program.elf"


def _core_files(core: Path) -> list[str]:
    """What the board comes with in C++, but for its strings, which old compilers refuse and no program here has."""
    return [str(path) for path in sorted(core.glob("*.cpp")) if path.name != "WString.cpp"]


def pins_of(program: Path, lasts_ms: int, analog_mV: Sequence[int]) -> list[PinChange]:
    """What the pins do.

    Args:
        program: as `build_sketch` makes it.
        lasts_ms: for how long it runs.
        analog_mV: at each of the analogue inputs.
    """
    given = [f"{channel}={volt}" for channel, volt in enumerate(analog_mV)]
    command = [str(program.parent / "pins_runner"), str(program), str(lasts_ms), *given]
    ended = subprocess.run(command, capture_output=True, check=False, text=True, timeout=600)
    if ended.returncode != 0:
        raise ProgramError(
            say("The board's program failed on the chip: {first_line}", first_line=first_line(ended.stderr.encode()))
        )
    found = []
    for line in ended.stdout.splitlines():
        parts = line.split()
        if len(parts) == 3 and all(part.lstrip("-").isdigit() for part in parts):
            found.append(PinChange(int(parts[0]) / _HERTZ * 1e3, int(parts[1]), int(parts[2])))
    return found


def try_board(carried: Carried, folder: Path) -> Check:
    """Try the board file of a program."""
    name = "avr: the board file"
    if missing := lacking_core():
        return Check(name, left=missing)
    program = build_sketch(carried, folder)
    rig, interval_ms = carried.project.rig, Twin(carried).device.control.timing[0].interval_ms
    lasts_ms = max(_LASTS_MS, 2 * interval_ms)
    analog = all(probe.converter is not None for probe in rig.probes)
    counts = _telling_counts(carried, lasts_ms) if analog else []
    changes = pins_of(program, lasts_ms, [_millivolt(count) for count in counts])
    switched = [place for place, drive in enumerate(carried.known.rows[Drive]) if drive.kind != DriveKind.PWM]
    plan = pin_plan(carried.project, "maker8")
    pins, contactor = [int(pin) for pin in plan.outputs], int(plan.contactor)
    wrong = [_unsafe(changes, pins[place]) for place in range(len(rig.drives))]
    said = f"{lasts_ms / 1000:g} s: safe {_safe_after_ms(changes, pins[0]):.2f} ms after reset"
    samples = len(rig.drives)
    if analog:
        said += f"; edges of {len(switched)} outputs with readings"
        expected = _expected(carried, counts, lasts_ms)
        for place in switched:
            wrong.append(_edges_apart(expected[place], changes, pins[place], contactor))
            samples += max(1, len(expected[place]))
    else:
        said += "; nothing goes on without a reading (digital probes are not simulated)"
        wrong += [any(each.pin == pins[place] and each.level == 1 for each in changes) for place in switched]
        samples += len(switched)
    differing = sum(map(bool, wrong))
    first = Difference("pins of the board file", 0, (), 0.0, float(differing)) if differing else None
    return Check(name, said, Compared(samples, differing, first))


def _telling_counts(carried: Carried, lasts_ms: int) -> list[int]:
    """What the converters of the probes give where the law acts, if possible with outputs that go on and off again."""
    return max((_counts_at(carried, away_K) for away_K in _COLD_K),
               key=lambda counts: max(len(edges) for edges in _expected(carried, counts, lasts_ms)))  # fmt: skip


def _counts_at(carried: Carried, away_K: float) -> list[int]:
    rig = carried.project.rig
    degC = carried.trial.plan.changes[0].to_degC - (away_K if rig.heats else -away_K)
    points: Any = curves_of(rig)
    return [int(count_of(probe_record(rig, probe), points, degC)) for probe in rig.probes]


def _millivolt(count: int) -> int:
    """At which a converter of 10 bits over 5 V gives a count."""
    return -(-count * 5000 // 1023)


def _unsafe(changes: Sequence[PinChange], pin: int) -> bool:
    """Whether a pin is not an output at its safe level before it first goes on."""
    of = [each for each in changes if each.pin == pin]
    safe = next((each.ms for each in of if each.level == _BECOMES_OUTPUT), None)
    on = next((each.ms for each in of if each.level == 1), None)
    return safe is None or (on is not None and on < safe)


def _safe_after_ms(changes: Sequence[PinChange], pin: int) -> float:
    return next((each.ms for each in changes if each.pin == pin and each.level == _BECOMES_OUTPUT), float("nan"))


def _expected(carried: Carried, counts: Sequence[int], lasts_ms: int) -> list[list[tuple[float, int]]]:
    """Edges of each output by the engine, ms after the first decision, and the level after each."""
    twin, drives = Twin(carried), len(carried.project.rig.drives)
    edges: list[list[tuple[float, int]]] = [[] for _ in range(drives)]
    before = [0] * drives
    for ms in range(lasts_ms):
        twin.row(plain_row(carried, ms, [float(count) for count in counts]))
        for place, level in enumerate(twin.told()[-2 - drives : -2]):
            if int(level > 0.0) != before[place]:
                before[place] = int(level > 0.0)
                edges[place].append((float(ms), before[place]))
    return edges


def _edges_apart(expected: Sequence[tuple[float, int]], changes: Sequence[PinChange], pin: int, contactor: int) -> bool:
    """Whether edges of a pin are others than expected, or elsewhere by more than a few milliseconds."""
    begins = next((each.ms for each in changes if each.pin == contactor and each.level == 1), None)
    if begins is None:
        return bool(expected)
    found = [(each.ms - begins, each.level) for each in changes
             if each.pin == pin and each.level in (0, 1) and each.ms > begins - 1.0]  # fmt: skip
    ends = changes[-1].ms - begins
    wanted = [edge for edge in expected if edge[0] < ends - _EDGE_MS]
    if len(found) < len(wanted):
        return True
    return any(
        abs(one[0] - other[0]) > _EDGE_MS or one[1] != other[1] for one, other in zip(wanted, found, strict=False)
    )
