"""Compiled code kept on disk as the machine's own object code, and called without the compiler.

numba can keep what it compiled, but reading that back takes all of numba, which was a third of the window's start
(measured). An object file needs only the loader of LLVM. What numba's functions expect of a caller is in its "Notes on
the calling convention": status = f(&result, &error, arguments…), an array being handed over as two owners (none here),
size, itemsize, address, shape and strides.

Types are written in numpy's letters: d float64, q int64, I uint32, ? boolean; d2 is an array of two dimensions in C
order, d2r one that is only read; "d2r d -> q" is a signature.
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
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np

_OF: dict[str, Any] = {"d": ctypes.c_double, "q": ctypes.c_int64, "I": ctypes.c_uint32, "?": ctypes.c_bool}
_BYTE: Any = ctypes.c_char
_LINE = 64  # bytes of a cache line; arrays begin at one
_lock = threading.Lock()
_engines: list[Any] = []  # code lives as long as the engine that loaded it


@cache
def _llvm() -> Any:
    """LLVM's loader; not imported before it is needed, on whatever thread that is."""
    llvm = importlib.import_module("llvmlite.binding")
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    return llvm


def machine() -> bytes:
    """What object code depends on: the loader's version and the processor."""
    llvm = _llvm()
    return f"{llvm.llvm_version_info} {llvm.get_host_cpu_name()} {llvm.get_host_cpu_features().flatten()}".encode()


@dataclass(frozen=True)
class Code:
    """One function: an object file, and the function's name in it."""

    symbol: str
    code: bytes


def read(path: Path) -> Code | None:
    """Code kept in a file; None where there is none, or not a whole one."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        head, code = path.read_bytes().split(b"\n", 1)
        known = json.loads(head)
        if known["sha256"] == hashlib.sha256(code).hexdigest():
            return Code(known["symbol"], code)
    return None


def write(path: Path, code: Code) -> None:
    """Keep code; a folder that cannot be written is no error, it is compiled again the next time."""
    head = json.dumps({"symbol": code.symbol, "sha256": hashlib.sha256(code.code).hexdigest()}).encode()
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(head + b"\n" + code.code)
        Path(name).replace(path)


def takes_and_gives(signature: str) -> tuple[list[str], str]:
    """Types of the arguments and of the result of a signature; no result is the empty text."""
    takes, _, gives = signature.partition("->")
    return takes.split(), gives.strip()


class Function:
    """Code made callable from Python; the interpreter's lock is released while it works.

    Raises TypeError for arguments that are not what the code takes.
    """

    def __init__(self, code: Code, signature: str) -> None:
        takes, self._gives = takes_and_gives(signature)
        kinds: list[Any] = [ctypes.c_void_p, ctypes.c_void_p]
        for taken in takes:
            kinds += [_OF[taken]] if len(taken) == 1 else _array_kinds(int(taken[1]))
        self._call = ctypes.CFUNCTYPE(ctypes.c_int32, *kinds)(_address(code))
        self._checks = [None if len(taken) == 1 else (taken, np.dtype(taken[0]), int(taken[1])) for taken in takes]

    def __call__(self, *arguments: Any) -> Any:
        return self.bind(*arguments)()

    def bind(self, *arguments: Any) -> Callable[[], Any]:
        """A call made ready: what is left to be done needs the interpreter's lock but for a moment."""
        if len(arguments) != len(self._checks):
            raise TypeError(f"{len(self._checks)} arguments are needed, not {len(arguments)}")
        result, error = _OF[self._gives or "q"](), ctypes.c_void_p()
        flat: list[Any] = [ctypes.addressof(result), ctypes.addressof(error)]
        for argument, check in zip(arguments, self._checks, strict=True):
            if check is None:
                flat.append(argument)
            elif type(argument) is Handed and argument.kind == check[0]:
                flat += argument.parts
            else:
                flat += _parts(argument, *check)

        def call() -> Any:
            _ = arguments, error  # kept as long as their addresses are in use
            if self._call(*flat) != 0:
                raise RuntimeError("compiled code failed")
            return result.value if self._gives else None

        return call


def _address(code: Code) -> int:
    """Load code and say where it is."""
    llvm = _llvm()
    with _lock:
        target = llvm.Target.from_default_triple().create_target_machine()
        engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), target)
        engine.add_object_file(llvm.ObjectFileRef.from_data(code.code))
        engine.finalize_object()
        _engines.append(engine)
        return int(engine.get_function_address(code.symbol))


def _array_kinds(dimensions: int) -> list[Any]:
    whole, address = ctypes.c_int64, ctypes.c_void_p
    return [address, address, whole, whole, address, *[whole] * (2 * dimensions)]


def _parts(array: np.ndarray[Any, Any], kind: str, of: np.dtype[Any], dimensions: int) -> tuple[Any, ...]:
    """What stands for an array in a call."""
    whole = isinstance(array, np.ndarray) and array.dtype == of and array.ndim == dimensions
    if not whole or not (array.flags.c_contiguous if kind[-1] == "r" else array.flags.carray):
        raise TypeError(f"an array {kind} in C order is needed; not this: {array!r:.80}")
    if array.flags.writeable and array.size:
        address = ctypes.addressof(_BYTE.from_buffer(array))  # quicker than the array's own way
    else:
        address = array.ctypes.data
    return None, None, array.size, array.itemsize, address, *array.shape, *array.strides


@dataclass(frozen=True, slots=True)
class Handed:
    """An array made ready to be handed over; `memory` is what it lies in."""

    kind: str
    parts: tuple[int | None, ...]
    memory: Any


def hand(array: np.ndarray[Any, Any], kind: str) -> Handed:
    """Make an array ready that is handed over again and again.

    Raises:
        TypeError: it is not of this kind.
    """
    return Handed(kind, _parts(array, kind, np.dtype(kind[0]), int(kind[1])), array)


def zeros(kinds: tuple[str, ...], shapes: tuple[tuple[int, ...], ...]) -> list[Handed]:
    """Arrays of zeros in one piece of memory: made by themselves, thirty small ones take longer than a short run."""
    room, places = _places(kinds, shapes)
    memory = np.zeros(room, np.uint8)
    start = memory.ctypes.data
    start += -start % _LINE
    return [
        Handed(kind, (None, None, size, item, start + offset, *shape_and_strides), memory)
        for kind, size, item, offset, shape_and_strides in places
    ]


@lru_cache(maxsize=16)
def _places(
    kinds: tuple[str, ...], shapes: tuple[tuple[int, ...], ...]
) -> tuple[int, list[tuple[str, int, int, int, tuple[int, ...]]]]:
    """Bytes that arrays take, and of each its kind, size, itemsize, place, and shape and strides."""
    at, places = 0, []
    for kind, shape in zip(kinds, shapes, strict=True):
        item = ctypes.sizeof(_OF[kind[0]])
        stride, strides = item, []
        for extent in reversed(shape):
            strides.append(stride)
            stride *= extent
        places.append((kind, stride // item, item, at, (*shape, *reversed(strides))))
        at += stride + -stride % _LINE
    return at + _LINE, places
