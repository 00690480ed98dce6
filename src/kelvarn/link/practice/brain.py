"""The brain of a practice rig: the generated program, compiled here, or its Python where there is no compiler."""

import _ctypes
import builtins
import ctypes
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path
from types import ModuleType
from typing import Any, NamedTuple, Protocol

from kelvarn.handover.carry import Carried
from kelvarn.handover.files import STRICT
from kelvarn.handover.practice_files import practice_files, practice_files_in_python
from kelvarn.handover.toolchain import compile_with, compiler, put_files

_MOST_SPOKEN = 65536
_MEMORY = 4096
_PYTHON_STEP_MS = 10


class Ran(NamedTuple):
    """What happened while time passed.

    Attributes:
        levels: mean level of each output, 0…1; 0 while the contactor is open.
        loads_closed: whether what heats by itself has its supply.
        quiet: whether the watchdog was; else it has restarted the board.
    """

    levels: tuple[float, ...]
    loads_closed: bool
    quiet: bool


class Brain(Protocol):
    """A program in its board."""

    language: str

    def power(self, away_ms: int, *, by_watchdog: bool = False) -> None:
        """Switch it on: with what its memory has, after no power for so long."""

    def pins(self, raws: Sequence[float | None]) -> None:
        """What each channel of the board has; None where there is nothing to read."""

    def contact(self, place: int, *, is_open: bool) -> None:
        """The contact of a permit opens or closes."""

    def said(self, week_ms: int, price: float | None) -> None:
        """Milliseconds since midnight before Monday, below 0 where it knows no clock; what energy costs."""

    def press_reset(self) -> None:
        """Somebody presses reset."""

    def hang(self, *, does: bool) -> None:
        """Whether it hangs."""

    def hear(self, letters: bytes) -> None:
        """What arrives on its line."""

    def spoken(self) -> bytes:
        """What it has said since the last time."""

    def run(self, count_ms: int) -> Ran:
        """Let time pass."""

    def close(self) -> None:
        """Let go of all that it takes."""


class CompiledBrain:
    """The program in C, as a library.

    Args:
        carried: the program.

    Raises:
        HandoverError: there is no compiler, or the candidate cannot be carried over.
    """

    language = "C"

    def __init__(self, carried: Carried) -> None:
        self._folder = Path(tempfile.mkdtemp(prefix="kelvarn-practice-"))
        self._outputs = len(carried.project.rig.drives)
        try:
            files = practice_files(carried)
            put_files(files, self._folder)
            sources = sorted(name for name in files if name.endswith(".c"))
            library = str(self._folder / "program.so")
            options = ("-O2", "-shared", "-fPIC")
            compile_with([compiler(), *STRICT, *options, *sources, "-lm", "-o", library], self._folder)
        except BaseException:
            shutil.rmtree(self._folder, ignore_errors=True)
            raise
        self._library: Any = None
        self._memory = bytes(_MEMORY)
        self._buffer = ctypes.create_string_buffer(_MOST_SPOKEN)

    def _load(self) -> None:
        """A restart is a new program: nothing is left of it but what its memory has."""
        if self._library is not None:
            self._unload()
        self._library = ctypes.CDLL(str(self._folder / "program.so"))
        self._library.practice_memory.restype = ctypes.POINTER(ctypes.c_uint8)
        self._library.practice_level.restype = ctypes.c_double
        self._library.practice_run.restype = self._library.practice_closed.restype = ctypes.c_bool
        self._library.practice_pin.argtypes = [ctypes.c_int32, ctypes.c_double, ctypes.c_bool]
        self._library.practice_said.argtypes = [ctypes.c_int32, ctypes.c_double, ctypes.c_bool]
        ctypes.memmove(self._library.practice_memory(), self._memory, _MEMORY)

    def _unload(self) -> None:
        self._memory = ctypes.string_at(self._library.practice_memory(), _MEMORY)
        _ctypes.dlclose(self._library._handle)
        self._library = None

    def power(self, away_ms: int, *, by_watchdog: bool = False) -> None:
        """As `Brain.power`."""
        self._load()
        self._library.practice_power(ctypes.c_int32(away_ms), ctypes.c_bool(by_watchdog))

    def pins(self, raws: Sequence[float | None]) -> None:
        """As `Brain.pins`."""
        for place, raw in enumerate(raws):
            self._library.practice_pin(place, 0.0 if raw is None else raw, raw is not None)

    def contact(self, place: int, *, is_open: bool) -> None:
        """As `Brain.contact`."""
        self._library.practice_contact(place, ctypes.c_bool(is_open))

    def said(self, week_ms: int, price: float | None) -> None:
        """As `Brain.said`."""
        self._library.practice_said(week_ms, price or 0.0, price is not None)

    def press_reset(self) -> None:
        """As `Brain.press_reset`."""
        self._library.practice_reset()

    def hang(self, *, does: bool) -> None:
        """As `Brain.hang`."""
        self._library.practice_hang(ctypes.c_bool(does))

    def hear(self, letters: bytes) -> None:
        """As `Brain.hear`."""
        self._library.practice_hear(letters, len(letters))

    def spoken(self) -> bytes:
        """As `Brain.spoken`."""
        count = self._library.practice_spoken(self._buffer, _MOST_SPOKEN)
        return self._buffer.raw[:count]

    def run(self, count_ms: int) -> Ran:
        """As `Brain.run`."""
        quiet = self._library.practice_run(count_ms)
        levels = tuple(self._library.practice_level(place) for place in range(self._outputs))
        return Ran(levels, self._library.practice_closed(1), quiet)

    def close(self) -> None:
        """As `Brain.close`."""
        if self._library is not None:
            self._unload()
        shutil.rmtree(self._folder, ignore_errors=True)


class PythonBrain:
    """The program in Python.

    Args:
        carried: the program.
        step_ms: how often it looks at its outputs; a board does so every millisecond.

    Raises:
        HandoverError: the candidate cannot be carried over.
    """

    language = "Python"

    def __init__(self, carried: Carried, step_ms: int = _PYTHON_STEP_MS) -> None:
        files = practice_files_in_python(carried)
        self._codes = {name.removesuffix(".py"): compile(text, name, "exec") for name, text in files.items()
                       if name.endswith(".py")}  # fmt: skip
        self._step_ms, self._memory = step_ms, b""
        self._board: Any = None

    def power(self, away_ms: int, *, by_watchdog: bool = False) -> None:
        """As `Brain.power`."""
        if self._board is not None:
            self._memory = bytes(self._board.Here.memory)
        modules: dict[str, ModuleType] = {}

        def take(name: str, *of: Any, **more: Any) -> Any:
            if name not in self._codes:
                return builtins.__import__(name, *of, **more)
            if name not in modules:
                made = modules[name] = ModuleType(name)
                made.__dict__["__builtins__"] = {**vars(builtins), "__import__": take}
                exec(self._codes[name], made.__dict__)
            return modules[name]

        self._board = take("board")
        if self._memory:
            self._board.Here.memory[:] = self._memory
        self._board.power(away_ms, by_watchdog)

    def pins(self, raws: Sequence[float | None]) -> None:
        """As `Brain.pins`."""
        self._board.Here.raws[:] = raws

    def contact(self, place: int, *, is_open: bool) -> None:
        """As `Brain.contact`."""
        self._board.contact(place, is_open)

    def said(self, week_ms: int, price: float | None) -> None:
        """As `Brain.said`."""
        here = self._board.Here
        here.week_ms, here.price, here.price_known = week_ms, price or 0.0, price is not None

    def press_reset(self) -> None:
        """As `Brain.press_reset`."""
        self._board.Here.reset_pressed = True

    def hang(self, *, does: bool) -> None:
        """As `Brain.hang`."""
        self._board.Here.hangs = does

    def hear(self, letters: bytes) -> None:
        """As `Brain.hear`."""
        self._board.Here.heard += letters

    def spoken(self) -> bytes:
        """As `Brain.spoken`."""
        said = bytes(self._board.Here.spoken)
        self._board.Here.spoken.clear()
        return said

    def run(self, count_ms: int) -> Ran:
        """As `Brain.run`."""
        levels, quiet = self._board.run(count_ms, self._step_ms)
        return Ran(tuple(levels), bool(self._board.Here.closed[1]), quiet)

    def close(self) -> None:
        """As `Brain.close`."""
        self._board = None


def brain_of(carried: Carried) -> Brain:
    """The program in C where there is a compiler, else in Python. Raises HandoverError as both do."""
    return CompiledBrain(carried) if shutil.which("gcc") is not None else PythonBrain(carried)
