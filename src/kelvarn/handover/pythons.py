"""Programs in Python, run by Python here and by MicroPython's build for a JavaScript engine."""

import os
import shutil
import sys
from dataclasses import dataclass
from pathlib import Path

from kelvarn.engine.layout import Floats
from kelvarn.sentence import say

from .board_files import plain, told_types
from .carry import Carried
from .faults import HandoverError
from .python_files import python_files
from .toolchain import exchange, in_doubles, of_doubles, put_files

MODULE = "@micropython/micropython-webassembly-pyscript"


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
        return say("Not proved with MicroPython: node is not installed (apt install nodejs npm).")
    if micropython() is None:
        return say("Not proved with MicroPython: its build is not installed (npm install {module}).", module=MODULE)
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
        runs: list[object] = [sys.executable, "-I", "-c", _RUN, self.folder]
        if self.module is not None:
            runs = ["node", self.folder / "runner.mjs", self.module, self.folder]
        more = (memory or "-", away_ms, cut_after)
        told, _ = exchange(lambda happens, decides: [*runs, happens, decides, *more], in_doubles(rows))
        return of_doubles(told, self.told)


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
    files = {**python_files(carried, "simulated"), "runner.mjs": plain("micropython_runner.mjs"), **(slipped or {})}
    put_files(files, folder)
    return PythonProgram(folder, len(told_types(carried)), micropython() if place == "micropython" else None)
