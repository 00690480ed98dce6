"""Compiled code kept on disk as the machine's own object code, and called without the compiler.

numba can keep what it compiled, but reading that back takes all of numba, which is a third of the window's start
(benchmarks/RESULTS.md). An object file needs only the loader of LLVM. What numba's functions expect of a caller is in
its "Notes on the architecture: calling conventions": status = f(&result, &error, arguments…), an array being handed
over as two owners (none here), size, itemsize, address, shape and strides.
"""

import ctypes
import hashlib
import importlib
import json
import os
import tempfile
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

_OF = {"d": ctypes.c_double, "q": ctypes.c_int64, "I": ctypes.c_uint32, "?": ctypes.c_bool}
_lock = threading.Lock()
_engines: list[Any] = []  # code lives as long as the engine that loaded it


@cache
def _llvm() -> Any:
    """LLVM's loader; not imported before it is needed, on whatever thread that is."""
    llvm = importlib.import_module("llvmlite.binding")
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    return llvm


@dataclass(frozen=True)
class Code:
    """One function as object code.

    Attributes:
        symbol: its name in the object.
        takes: of each argument a letter as of `numpy.dtype.char` (d float64, q int64, I uint32, ? boolean); of an array
            also its dimensions and "r" where it is only read.
        gives: letter of the result, empty for none.
        code: the object file.
    """

    symbol: str
    takes: tuple[str, ...]
    gives: str
    code: bytes


def machine() -> bytes:
    """What object code depends on: the loader's version and the processor."""
    llvm = _llvm()
    return f"{llvm.llvm_version_info} {llvm.get_host_cpu_name()} {llvm.get_host_cpu_features().flatten()}".encode()


def read(path: Path) -> Code | None:
    """Code kept in a file; None where there is none, or not a whole one."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        head, code = path.read_bytes().split(b"\n", 1)
        known = json.loads(head)
        if known.pop("sha256") == hashlib.sha256(code).hexdigest():
            return Code(known["symbol"], tuple(known["takes"]), known["gives"], code)
    return None


def write(path: Path, code: Code) -> None:
    """Keep code; a folder that cannot be written is no error, it is compiled again the next time."""
    known = {**asdict(code), "sha256": hashlib.sha256(code.code).hexdigest()}
    del known["code"]
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(json.dumps(known).encode() + b"\n" + code.code)
        Path(name).replace(path)


def load(code: Code) -> Callable[..., Any]:
    """Make code callable from Python; the interpreter's lock is released meanwhile.

    The function raises TypeError for arguments that are not what the code takes.
    """
    llvm = _llvm()
    with _lock:
        target = llvm.Target.from_default_triple().create_target_machine()
        engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), target)
        engine.add_object_file(llvm.ObjectFileRef.from_data(code.code))
        engine.finalize_object()
        _engines.append(engine)
        address = engine.get_function_address(code.symbol)
    kinds: list[Any] = [ctypes.c_void_p, ctypes.c_void_p]
    for taken in code.takes:
        kinds += [_OF[taken]] if len(taken) == 1 else _array_kinds(int(taken[1]))
    function = ctypes.CFUNCTYPE(ctypes.c_int32, *kinds)(address)
    checks = [
        None if len(taken) == 1 else (np.dtype(taken[0]), int(taken[1]), taken.endswith("r")) for taken in code.takes
    ]
    made: Any = _OF[code.gives] if code.gives else ctypes.c_int64

    def call(*arguments: Any) -> Any:
        if len(arguments) != len(checks):
            raise TypeError(f"{len(checks)} arguments are needed, not {len(arguments)}")
        result, error = made(), ctypes.c_void_p()
        flat: list[Any] = [ctypes.addressof(result), ctypes.addressof(error)]
        for argument, check in zip(arguments, checks, strict=True):
            if check is None:
                flat.append(argument)
            else:
                flat += _parts(argument, *check)
        if function(*flat) != 0:
            raise RuntimeError("compiled code failed")
        return result.value if code.gives else None

    return call


def _array_kinds(dimensions: int) -> list[Any]:
    whole, address = ctypes.c_int64, ctypes.c_void_p
    return [address, address, whole, whole, address, *[whole] * (2 * dimensions)]


def _parts(array: np.ndarray[Any, Any], of: np.dtype[Any], dimensions: int, read_only: bool) -> tuple[Any, ...]:
    """What stands for an array in a call."""
    flags = array.flags
    if array.dtype != of or array.ndim != dimensions or not (flags.c_contiguous if read_only else flags.carray):
        use = "in C order" if read_only else "in C order and writeable"
        raise TypeError(f"an array of {of} with {dimensions} dimensions, {use}, is needed; not this: {array!r:.80}")
    return None, None, array.size, array.itemsize, array.ctypes.data, *array.shape, *array.strides
