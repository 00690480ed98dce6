"""The compiler and the programs that it makes, run with rows as their inputs."""

import shutil
import subprocess
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np

from kelvarn.engine.layout import Floats
from kelvarn.sentence import figures, say

from .board_files import simulated, told_types
from .carry import Carried
from .faults import HandoverError
from .files import STRICT, program_files

_SANITIZED = ("-g", "-O1", "-fsanitize=address,undefined", "-fno-sanitize-recover=all")
_COVERED = ("-g", "-O0", "--coverage")
_LONGEST_S = 600.0


class ProgramError(RuntimeError):
    """A program stops or does not end: a fault of it, that a sanitizer may have found."""


class Runs(Protocol):
    """A program that runs somewhere."""

    def run(self, rows: Floats, *, memory: Path | None = None, away_ms: int = 0, cut_after: int = -1) -> Floats:
        """What it tells of each sample, as `Executable.run` says."""


@dataclass(frozen=True)
class Executable:
    """A program that was compiled for this computer.

    Attributes:
        folder, path: where its files are, and itself.
        told: figures that it tells of a sample.
    """

    folder: Path
    path: Path
    told: int

    def run(self, rows: Floats, *, memory: Path | None = None, away_ms: int = 0, cut_after: int = -1) -> Floats:
        """What it tells of each sample.

        Args:
            rows: what its board reads, shape (instants, columns).
            memory: the file that its memory is in; None for none.
            away_ms: for how long there was no power before it starts.
            cut_after: bytes written to memory after which the power is cut; below 0: it is not.

        Raises:
            ProgramError: it stops, or does not end.
        """
        more = (memory or "-", away_ms, cut_after)
        told, _ = exchange(lambda happens, decides: [self.path, happens, decides, *more], in_doubles(rows))
        return of_doubles(told, self.told)

    def not_reached(self) -> list[int]:
        """Lines of `control.c` that no run has reached; of one that was compiled to tell."""
        subprocess.run(["gcov", "-o", ".", "control.c"], cwd=self.folder, capture_output=True, check=True)
        lines = []
        for line in (self.folder / "control.c.gcov").read_text(encoding="utf-8").splitlines():
            count, _, rest = line.partition(":")
            if count.strip() == "#####":
                lines.append(int(rest.partition(":")[0]))
        return lines


def in_doubles(rows: Floats) -> bytes:
    """Rows as a simulated board reads them."""
    return np.ascontiguousarray(rows, np.float64).tobytes()


def of_doubles(told: bytes, count: int) -> Floats:
    """What a simulated board has told, so many figures of each sample."""
    found: Floats = np.frombuffer(told).reshape(-1, count)
    return found


def exchange(command: Callable[[Path, Path], Sequence[object]], happens: bytes) -> tuple[bytes, str]:
    """Run a program that reads what happens from a file and writes what it decides to another.

    Args:
        command: of these two files.
        happens: what it reads.

    Returns:
        What it wrote, and what it printed.

    Raises:
        ProgramError: it stops, or does not end.
    """
    with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
        reads, writes = Path(folder) / "happens", Path(folder) / "decides"
        reads.write_bytes(happens)
        texts = [str(each) for each in command(reads, writes)]
        try:
            ended = subprocess.run(
                texts, capture_output=True, timeout=_LONGEST_S, check=False, stdin=subprocess.DEVNULL
            )
        except subprocess.TimeoutExpired:
            raise ProgramError(
                say("The program does not end within {longest} s.", longest=figures(f"{_LONGEST_S:g}", ""))
            ) from None
        if ended.returncode != 0:
            raise ProgramError(
                say("The program failed: {first_line}", first_line=first_line(ended.stderr or ended.stdout))
            )
        return writes.read_bytes(), ended.stdout.decode(errors="replace")


def put_files(files: Mapping[str, str], folder: Path) -> None:
    """Write files, by name, into a folder that is made."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8")


def compiler() -> str:
    """The C compiler of this computer.

    Raises:
        HandoverError: there is none.
    """
    found = shutil.which("gcc")
    if found is None:
        raise HandoverError(say("No C compiler is installed: install gcc to prove a program (apt install gcc)."))
    return found


def build(
    carried: Carried, folder: Path, *, covered: bool = False, slipped: dict[str, str] | None = None
) -> Executable:
    """Write a program's files and compile it for this computer.

    Args:
        carried: the program.
        folder: where; it is made.
        slipped: files that replace its own.
        covered: whether it is to tell which lines were reached, else it is watched by the sanitizers.

    Raises:
        HandoverError: there is no compiler, or it refuses.
    """
    files = {**program_files(carried), "board_simulated.c": simulated(carried), **(slipped or {})}
    put_files(files, folder)
    sources = sorted(name for name in files if name.endswith(".c"))
    options = _COVERED if covered else _SANITIZED
    path = folder / "program"
    if covered:  # apart, so that the notes of the compiler have the names that gcov looks for
        for name in sources:
            compile_with([compiler(), *STRICT, *options, "-c", name], folder)
        compile_with(
            [compiler(), *options, *(name.replace(".c", ".o") for name in sources), "-lm", "-o", str(path)], folder
        )
    else:
        compile_with([compiler(), *STRICT, *options, *sources, "-lm", "-o", str(path)], folder)
    return Executable(folder, path, len(told_types(carried)))


def compile_with(command: list[str], folder: Path, source: str = "") -> None:
    """Run a compiler in a folder, with a source as its input; HandoverError where it refuses."""
    ended = subprocess.run(command, cwd=folder, capture_output=True, check=False, input=source.encode())
    if ended.returncode != 0:
        raise HandoverError(say("The compiler refuses the program: {first_line}", first_line=first_line(ended.stderr)))


def first_line(text: bytes) -> str:
    """The line of what a tool says that tells most."""
    lines = text.decode(errors="replace").strip().splitlines()
    return next((line for line in lines if "error" in line.lower()), lines[0] if lines else "it says nothing")
