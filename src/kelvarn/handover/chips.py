"""Programs on the instruction set of a chip: compiled for it and run by a simulator, where these are installed."""

import shutil
import subprocess
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from kelvarn.engine.layout import Floats
from kelvarn.sentence import say

from .board_files import on_chip, plain, row_types, simulated, told_types
from .carry import Carried
from .faults import HandoverError
from .files import STRICT, program_files
from .proof_records import Measured
from .toolchain import compile_with, exchange, in_doubles, of_doubles, put_files
from .translate.program import Kind, Type

_HERTZ = 16e6
AVR = ("-Os", "-mmcu=atmega328p", "-DF_CPU=16000000UL", "-ffunction-sections", "-fdata-sections")
"""How a program for the 8-bit chip is compiled, as the tool of its boards does."""
_ARM = ("-Os", "-mcpu=cortex-m3", "-mthumb", "-ffunction-sections", "-fdata-sections")
_TOOLS = {
    "avr": {"avr-gcc": "gcc-avr avr-libc", "gcc": "gcc", "simavr": "simavr libsimavr-dev"},
    "cortex-m": {
        "arm-none-eabi-gcc": "gcc-arm-none-eabi libnewlib-arm-none-eabi", "qemu-system-arm": "qemu-system-arm",
    },
}  # fmt: skip
"""What each needs, and in which packages it is."""


def lacking(chip: str) -> str:
    """Why nothing can be proved on a chip, in a sentence; empty where it can be."""
    missing = [f"{packages} (apt install {packages})" for tool, packages in _TOOLS[chip].items()
               if shutil.which(tool) is None]  # fmt: skip
    return say("Not proved on the chip: not installed are {missing}.", missing=", ".join(missing)) if missing else ""


@dataclass
class ChipProgram:
    """A program that was compiled for a chip; each run of it is measured.

    Attributes:
        measured: what was measured so far, its size first.
    """

    measured: dict[str, Measured] = field(default_factory=dict)


@dataclass
class AvrProgram(ChipProgram):
    """A program for the 8-bit chip, run by simavr.

    Attributes:
        path, runner: itself, and what runs it.
        step, end: addresses of the control step, and of the first free byte of memory.
        takes, tells: what its cells are.
    """

    path: Path = Path()
    runner: Path = Path()
    step: int = 0
    end: int = 0
    takes: tuple[Type, ...] = ()
    tells: tuple[Type, ...] = ()

    def run(self, rows: Floats, *, memory: Path | None = None, away_ms: int = 0, cut_after: int = -1) -> Floats:
        """What it tells of each sample, as `toolchain.Executable.run` says; its power is never cut."""
        assert cut_after < 0
        cells = np.empty(len(rows), _dtype(self.takes))
        for column, kind in zip(cells.dtype.names or (), self.takes, strict=True):
            place = int(column[1:])
            # The clock wraps at 2³², which is the same bits as a number with a sign.
            cells[column] = rows[:, place] if kind.kind == Kind.REAL else rows[:, place].astype(np.int64)
        more = (memory or "-", hex(self.step), hex(self.end))
        given = np.int32(away_ms).tobytes() + cells.tobytes()
        wrote, printed = exchange(lambda happens, decides: [self.runner, self.path, happens, decides, *more], given)
        told = np.frombuffer(wrote, _dtype(self.tells))
        cycles, stack = (int(each) for each in printed.splitlines()[-1].split())
        _take_largest(self.measured, "longest step", cycles / _HERTZ * 1e3, "ms at 16 MHz")
        _take_largest(self.measured, "deepest stack", stack, "bytes")
        return np.column_stack([told[name].astype(np.float64) for name in told.dtype.names or ()])


@dataclass
class ArmProgram(ChipProgram):
    """A program for the 32-bit chip, run by qemu.

    Attributes:
        path: itself.
        told: figures that it tells of a sample.
    """

    path: Path = Path()
    told: int = 0

    def run(self, rows: Floats, *, memory: Path | None = None, away_ms: int = 0, cut_after: int = -1) -> Floats:
        """What it tells of each sample, as `toolchain.Executable.run` says."""
        more = (memory or "-", away_ms, cut_after)
        told, _ = exchange(lambda *files: self._command("program", *files, *more), in_doubles(rows))
        return of_doubles(told, self.told)

    def _command(self, *texts: object) -> list[str]:
        given = ",".join(f"arg={text}" for text in texts)
        return [
            "qemu-system-arm", "-M", "mps2-an385", "-nographic", "-monitor", "none", "-serial", "null",
            "-semihosting-config", f"enable=on,target=native,{given}", "-kernel", str(self.path),
        ]  # fmt: skip


def build_for(chip: str, carried: Carried, folder: Path) -> AvrProgram | ArmProgram:
    """Write a program's files and compile it for a chip.

    Args:
        chip: avr or cortex-m.
        carried: the program.
        folder: where; it is made.

    Raises:
        HandoverError: a tool is not installed, the numbers do not fit the chip, or a compiler refuses.
    """
    if missing := lacking(chip):
        raise HandoverError(missing)
    if chip == "avr" and carried.real == "double":
        raise HandoverError(say("The 8-bit chip has no numbers of 64 bits: choose 32 bits."))
    return _build_avr(carried, folder) if chip == "avr" else _build_arm(carried, folder)


def _build_avr(carried: Carried, folder: Path) -> AvrProgram:
    files = {**program_files(carried), "board_chip.c": on_chip(carried)}
    runner = {"chip_runner.c": plain("chip_runner.c")}
    put_files({**files, **runner}, folder)
    sources = sorted(name for name in files if name.endswith(".c"))
    compile_with(["avr-gcc", *STRICT, *AVR, *sources, "-lm", "-Wl,--gc-sections", "-o", "program"], folder)
    compile_with(["gcc", "-O2", *runner, "-lsimavr", "-o", "runner"], folder)
    symbols = {line.split()[-1]: int(line.split()[0], 16) for line in _said_by(["avr-nm", "program"], folder)}
    code, data, bss = (int(each) for each in _said_by(["avr-size", "program"], folder)[1].split()[:3])
    made = AvrProgram(
        path=folder / "program", runner=folder / "runner", step=symbols["control_step"],
        end=symbols["_end"] - 0x800000, takes=tuple(row_types(carried)), tells=tuple(told_types(carried)),
    )  # fmt: skip
    made.measured["program"] = Measured("program", code + data, "bytes")
    made.measured["memory"] = Measured("memory without stack", data + bss, "bytes")
    return made


def _build_arm(carried: Carried, folder: Path) -> ArmProgram:
    files = {**program_files(carried), "board_simulated.c": simulated(carried), "chip_arm.c": plain("chip_arm.c")}
    put_files({**files, "chip_arm.ld": plain("chip_arm.ld")}, folder)
    sources = sorted(name for name in files if name.endswith(".c"))
    linked = ["-specs=rdimon.specs", "-T", "chip_arm.ld", "-lm", "-Wl,--gc-sections", "-o", "program"]
    compile_with(["arm-none-eabi-gcc", *STRICT, *_ARM, *sources, *linked], folder)
    compile_with(["arm-none-eabi-gcc", *STRICT, *_ARM, "-c", "control.c"], folder)
    code = int(_said_by(["arm-none-eabi-size", "control.o"], folder)[1].split()[0])
    made = ArmProgram(path=folder / "program", told=len(told_types(carried)))
    made.measured["program"] = Measured("control.c", code, "bytes")
    return made


def _dtype(kinds: tuple[Type, ...]) -> np.dtype[np.void]:
    return np.dtype([(f"c{k}", "<f4" if kind.kind == Kind.REAL else "<i4") for k, kind in enumerate(kinds)])


def _take_largest(measured: dict[str, Measured], name: str, value: float, unit: str) -> None:
    if name not in measured or value > measured[name].value:
        measured[name] = Measured(name, value, unit)


def _said_by(command: list[str], folder: Path) -> list[str]:
    return subprocess.run(command, cwd=folder, capture_output=True, check=True, text=True).stdout.splitlines()
