"""Programs on the instruction set of a chip: compiled for it and run by a simulator, where these are installed."""

import shutil
import subprocess
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from kelvarn.engine.layout import Floats

from .board_files import on_chip, plain, row_types, simulated, told_types
from .carry import Carried
from .faults import HandoverError
from .files import STRICT, program_files
from .proof_records import Measured
from .toolchain import ProgramError, compile_with, first_line
from .translate.program import Kind, Type

_HERTZ = 16e6
_LONGEST_S = 300.0
_AVR = ("-Os", "-mmcu=atmega328p", "-DF_CPU=16000000UL", "-ffunction-sections", "-fdata-sections")
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
    return f"Not proved on the chip: not installed are {', '.join(missing)}." if missing else ""


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
        with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
            happens, decides = Path(folder) / "happens", Path(folder) / "decides"
            happens.write_bytes(np.int32(away_ms).tobytes() + cells.tobytes())
            texts = [self.path, happens, decides, memory or "-", hex(self.step), hex(self.end)]
            ended = _ended([str(self.runner), *map(str, texts)])
            told = np.frombuffer(decides.read_bytes(), _dtype(self.tells))
        cycles, stack = (int(each) for each in ended.splitlines()[-1].split())
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
        with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
            happens, decides = Path(folder) / "happens", Path(folder) / "decides"
            happens.write_bytes(np.ascontiguousarray(rows, np.float64).tobytes())
            texts = ["program", happens, decides, memory or "-", away_ms, cut_after]
            given = ",".join(f"arg={text}" for text in texts)
            _ended([
                "qemu-system-arm", "-M", "mps2-an385", "-nographic", "-monitor", "none", "-serial", "null",
                "-semihosting-config", f"enable=on,target=native,{given}", "-kernel", str(self.path),
            ])  # fmt: skip
            told: Floats = np.frombuffer(decides.read_bytes()).reshape(-1, self.told)
        return told


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
        raise HandoverError("The 8-bit chip has no numbers of 64 bits: choose 32 bits.")
    folder.mkdir(parents=True, exist_ok=True)
    return _build_avr(carried, folder) if chip == "avr" else _build_arm(carried, folder)


def _build_avr(carried: Carried, folder: Path) -> AvrProgram:
    files = {**program_files(carried), "board_chip.c": on_chip(carried)}
    runner = {"chip_runner.c": plain("chip_runner.c")}
    for name, text in {**files, **runner}.items():
        (folder / name).write_text(text, encoding="utf-8")
    sources = sorted(name for name in files if name.endswith(".c"))
    compile_with(["avr-gcc", *STRICT, *_AVR, *sources, "-lm", "-Wl,--gc-sections", "-o", "program"], folder)
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
    for name, text in {**files, "chip_arm.ld": plain("chip_arm.ld")}.items():
        (folder / name).write_text(text, encoding="utf-8")
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


def _ended(command: list[str]) -> str:
    """What a run prints."""
    try:
        ended = subprocess.run(command, capture_output=True, timeout=_LONGEST_S, check=False, stdin=subprocess.DEVNULL)
    except subprocess.TimeoutExpired:
        raise ProgramError(f"The program does not end within {_LONGEST_S:g} s.") from None
    if ended.returncode != 0:
        raise ProgramError(f"The program failed on the chip: {first_line(ended.stderr or ended.stdout)}")
    return ended.stdout.decode(errors="replace")
