"""The compiler's decorator, with a disk cache that notices every change.

numba keeps compiled code by the time stamp of the one file a function stands in, so an edit of a function that it
calls from another file would go unnoticed. The cache folder is therefore named by a digest of all compiled sources.
"""

import hashlib
import importlib
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba
from platformdirs import user_cache_path

_COMPILED_SOURCES = (
    "jit.py", "codes.py", "reasons.py", "laws.py", "sharing.py", "drives.py", "probes.py", "heat.py", "curved.py",
    "kernel.py", "scan.py",
)  # fmt: skip


def _load_numba_without_blas() -> None:
    """Let numba load its array functions without scipy.linalg, which the kernel has no use for.

    numba looks there for BLAS when the first function is loaded; that takes a part of the window's start.
    """
    if "scipy.linalg" in sys.modules:
        return
    sys.modules["scipy.linalg"] = None  # type: ignore[assignment]
    try:
        importlib.import_module("numba.np.arraymath")
    finally:
        del sys.modules["scipy.linalg"]


def cache_folder() -> Path:
    """Where compiled code of exactly this version is kept; a private one for this run where that cannot be written."""
    digest = hashlib.sha256(numba.__version__.encode())
    for name in _COMPILED_SOURCES:
        digest.update(Path(__file__).with_name(name).read_bytes())
    folder = user_cache_path("kelvarn") / "compiled" / digest.hexdigest()[:16]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            return folder
    except OSError:
        return Path(tempfile.mkdtemp(prefix="kelvarn-"))


_load_numba_without_blas()
_config: Any = numba.config
_config.CACHE_DIR = str(cache_folder())
# Off by default in numba; it makes vector instructions of the eight-row blocks of heat.py (measured: twice as fast).
_config.SLP_VECTORIZE = 1


# The one liberty taken with floating point is fused multiply-add; the same machine gives the same bits.
_HOW: Any = {"nogil": True, "cache": True, "error_model": "numpy", "fastmath": {"contract"}}


def compiled(signature: str) -> Callable[[Callable[..., Any]], Any]:
    """Compile at import for one explicit signature, without the interpreter's lock, and keep the result on disk.

    For what is called from outside compiled code; `signature` is numba's text of its types.
    """
    decorate: Callable[[Callable[..., Any]], Any] = numba.njit(signature, **_HOW)
    return decorate


# What compiled functions call makes no arrays, and so need not count references to them (counting took a third of the
# time of a sample).
_CALLED: Any = {**_HOW, "_nrt": False}


def part(function: Callable[..., Any]) -> Any:
    """What a compiled function calls for every sample: its code is put into the caller's.

    Passing a dozen arrays takes longer than most of these do (measured: 1.9 to 1.0 times the C loop). It has no
    signature, so that nothing is loaded for it where its callers come from the disk cache.
    """
    return numba.njit(forceinline=True, **_CALLED)(function)


def subroutine(function: Callable[..., Any]) -> Any:
    """What a compiled function calls now and then: compiled once for all its callers, without a signature as above."""
    return numba.njit(**_CALLED)(function)
