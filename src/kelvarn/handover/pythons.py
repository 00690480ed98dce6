"""Programs in Python, run by Python here and by MicroPython's build for a JavaScript engine."""

import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from kelvarn.engine.layout import Floats

from .board_files import plain, told_types
from .carry import Carried
from .faults import HandoverError
from .python_files import python_files
from .toolchain import ProgramError, first_line

MODULE = "@micropython/micropython-webassembly-pyscript"
_LONGEST_S = 600.0
PYTHONS = ("python", "micropython")
"""What runs programs in Python."""


def micropython() -> Path | None:
    """Where MicroPython's build for a JavaScript engine is: as KELVARN_MICROPYTHON says, or among npm's packages."""
    named = os.environ.get("KELVARN_MICROPYTHON")
    places = [Path(named)] if named else []
    places += [Path(root, "node_modules", MODULE, "micropython.mjs") for root in (Path.cwd(), Path.home())]
    places.append(Path(sys.prefix, "node_modules", MODULE, "micropython.mjs"))
    return next((place for place in places if place.is_file()), None)


def lacking_python(place: str) -> str:
    """Why nothing can be proved there, in a sentence; empty where it can."""
    if place == "python":
        return ""
    if shutil.which("node") is None:
        return "Not proved with MicroPython: node is not installed (apt install nodejs npm)."
    if micropython() is None:
        return f"Not proved with MicroPython: its build is not installed (npm install {MODULE})."
    return ""


@dataclass(frozen=True)
class PythonProgram:
    """A program in Python.

    Attributes:
        folder: where its files are.
        told: figures that it tells of a sample.
        module: of MicroPython; None runs it with Python itself.
    """

    folder: Path
    told: int
    module: Path | None

    def run(self, rows: Floats, *, memory: Path | None = None, away_ms: int = 0, cut_after: int = -1) -> Floats:
        """What it tells of each sample, as `toolchain.Executable.run` says."""
        with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
            happens, decides = Path(folder) / "happens", Path(folder) / "decides"
            happens.write_bytes(np.ascontiguousarray(rows, np.float64).tobytes())
            texts = [str(each) for each in (happens, decides, memory or "-", away_ms, cut_after)]
            if self.module is None:
                command = [sys.executable, "-I", "-c", _RUN, str(self.folder), *texts]
            else:
                command = ["node", str(self.folder / "runner.mjs"), str(self.module), str(self.folder), *texts]
            try:
                ended = subprocess.run(command, capture_output=True, timeout=_LONGEST_S, check=False)
            except subprocess.TimeoutExpired:
                raise ProgramError(f"The program does not end within {_LONGEST_S:g} s.") from None
            if ended.returncode != 0:
                raise ProgramError(f"The program failed: {first_line(ended.stderr)}")
            told: Floats = np.frombuffer(decides.read_bytes()).reshape(-1, self.told)
        return told


_RUN = "import sys; sys.path.insert(0, sys.argv[1]); import board; board.run(*sys.argv[2:])"


def build_python(place: str, carried: Carried, folder: Path, slipped: dict[str, str] | None = None) -> PythonProgram:
    """Write a program's files in Python.

    Args:
        place: python, or micropython.
        carried: the program.
        folder: where; it is made.
        slipped: files that replace its own.

    Raises:
        HandoverError: the candidate cannot be carried over, or what runs it is not installed.
    """
    if missing := lacking_python(place):
        raise HandoverError(missing)
    folder.mkdir(parents=True, exist_ok=True)
    files = {**python_files(carried, "simulated"), "runner.mjs": plain("micropython_runner.mjs"), **(slipped or {})}
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8")
    return PythonProgram(folder, len(told_types(carried)), micropython() if place == "micropython" else None)
