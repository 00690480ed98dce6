"""The compiler's decorators, with a disk cache that notices every change.

numba is imported only where something has to be compiled: the first time on a machine, and after every change of a
compiled source. Later starts load the object code (`native`). The cache folder is named by a digest of all compiled
sources, since an edit of a function changes all that call it, also from other files.
"""

import hashlib
import importlib
import os
import re
import shutil
import tempfile
import threading
from collections.abc import Callable
from contextlib import suppress
from functools import cache, cached_property
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from platformdirs import user_cache_path

from . import native

_COMPILED_SOURCES = (
    "jit.py", "entry.py", "codes.py", "reasons.py", "laws.py", "sharing.py", "drives.py", "probes.py", "heat.py",
    "curved.py", "watching.py", "kernel.py", "scan.py",
)  # fmt: skip

# The one liberty taken with floating point is fused multiply-add; the same machine gives the same bits. Nothing
# compiled makes arrays, and so need not count references to them (counting took a third of the time of a sample).
_HOW: Any = {"nogil": True, "error_model": "numpy", "fastmath": {"contract"}, "_nrt": False}


@cache
def _numba() -> Any:
    numba = importlib.import_module("numba")
    # Off by default in numba; makes vector instructions of the eight-row blocks of heat.py (measured: twice as fast).
    numba.config.SLP_VECTORIZE = 1
    # For what is called from Python alone; numba refuses a folder that it cannot write.
    folder = cache_folder()
    with suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        forget_old(folder)
    numba.config.CACHE_DIR = str(folder) if os.access(folder, os.W_OK) else tempfile.mkdtemp(prefix="kelvarn-")
    return numba


@cache
def cache_folder() -> Path:
    """Where compiled code of exactly this version, on exactly this processor, is kept."""
    digest = hashlib.sha256(native.machine())
    spec = find_spec("numba")
    assert spec is not None
    assert spec.origin is not None
    digest.update(Path(spec.origin).with_name("_version.py").read_bytes())
    for name in _COMPILED_SOURCES:
        digest.update(Path(__file__).with_name(name).read_bytes())
    return user_cache_path("kelvarn") / "compiled" / digest.hexdigest()[:16]


def forget_old(folder: Path, keep: int = 4) -> None:
    """Remove what other versions left beside a folder of compiled code, but for the newest: a few megabytes each."""
    found = (p for p in folder.parent.iterdir() if p != folder and re.fullmatch("[0-9a-f]{16}", p.name))
    others = sorted(found, key=lambda p: p.stat().st_mtime)
    for old in others[: max(0, len(others) - keep)]:
        shutil.rmtree(old, ignore_errors=True)


class Compiled:
    """A function that is called from outside compiled code, compiled for one explicit signature."""

    def __init__(self, function: Callable[..., Any], signature: str) -> None:
        self._function, self._signature = function, signature
        self._lock = threading.Lock()
        self._loaded: native.Function | None = None

    def __call__(self, *arguments: Any) -> Any:
        return (self._loaded or self.load())(*arguments)

    def bind(self, *arguments: Any) -> Callable[[], Any]:
        """A call made ready, for another thread."""
        return (self._loaded or self.load()).bind(*arguments)

    def load(self) -> native.Function:
        """Load it from the disk cache, or compile it and keep it there. Compiling takes up to a minute."""
        with self._lock:
            if self._loaded is None:
                own = hashlib.sha256(Path(self._function.__code__.co_filename).read_bytes()).hexdigest()[:8]
                path = cache_folder() / f"{self._function.__module__}.{self._function.__name__}.{own}.o"
                code = native.read(path)
                if code is None:
                    code = self._compile()
                    native.write(path, code)
                self._loaded = native.Function(code, self._signature)
            return self._loaded

    def _compile(self) -> bytes:
        from .entry import with_entry

        core, (takes, gives) = _numba().core, native.takes_and_gives(self._signature)
        flags = core.compiler.Flags()
        flags.error_model, flags.fastmath = _HOW["error_model"], _HOW["fastmath"]
        flags.no_cpython_wrapper = flags.no_cfunc_wrapper = True  # nothing in it asks for Python
        flags.noalias = True
        target = core.registry.cpu_target
        with core.compiler_lock.global_compiler_lock:
            made = core.compiler.compile_extra(
                target.typing_context, target.target_context, self._function,
                [_type(kind) for kind in takes], _type(gives), flags, {},
            )  # fmt: skip
            return with_entry(made, target.target_context, takes)


def _type(kind: str) -> Any:
    """numba's type for one in the letters of `native`."""
    types = _numba().types
    of = {"d": types.float64, "q": types.int64, "I": types.uint32, "?": types.boolean, "": types.none}[kind[:1]]
    return of if len(kind) < 2 else types.Array(of, int(kind[1]), "C", readonly=kind.endswith("r"))


def compiled(signature: str) -> Callable[[Callable[..., Any]], Compiled]:
    """For what is called from outside compiled code; `signature` is in the letters of `native`.

    An array that it writes to must not be handed over twice: the compiler counts on it.
    """
    return lambda function: Compiled(function, signature)


class Called:
    """A function that compiled code calls. From Python it can be called too, compiled for what it is given."""

    def __init__(self, function: Callable[..., Any], **how: Any) -> None:
        self._function, self._how = function, {**_HOW, "cache": True, **how}

    def __call__(self, *arguments: Any) -> Any:
        return self._dispatcher(*arguments)

    @cached_property
    def _dispatcher(self) -> Any:
        return _numba().njit(**self._how)(self._function)

    @property
    def _numba_type_(self) -> Any:
        """What numba takes this for where it meets it in a function."""
        return _numba().types.Dispatcher(self._dispatcher)


def part(function: Callable[..., Any]) -> Any:
    """What a compiled function calls for every sample: its code is put into the caller's.

    Passing a dozen arrays takes longer than most of these do (measured: 1.9 to 1.0 times the C loop).
    """
    return Called(function, forceinline=True)


def subroutine(function: Callable[..., Any]) -> Any:
    """What a compiled function calls now and then: compiled once for all its callers."""
    return Called(function)
