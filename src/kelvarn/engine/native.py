"""Compiled code kept on disk as the machine's own object code, and called without the compiler.

numba can keep what it compiled, but reading that back takes all of numba, which was a third of the window's start
(measured). An object file needs only the loader of LLVM. Its one entry takes the address of a block of eight-byte
slots: room for the result, then the arguments, an array being its address and its shape; `entry.py` makes it.

Types are written in numpy's letters: d float64, q int64, I uint32, ? boolean; d2 is an array of two dimensions in C
order, d2r one that is only read; "d2r d -> q" is a signature.
"""

import ctypes
import hashlib
import importlib
import math
import os
import struct
import tempfile
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

ENTRY = "kelvarn_entry"
"""Name of what is called in an object file."""
_SLOT = {"d": "d", "q": "q", "I": "Q", "?": "q"}  # of `struct`
_DTYPE = {letter: np.dtype(letter) for letter in _SLOT}
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


def read(path: Path) -> bytes | None:
    """An object file kept in a file after its digest; None where there is none, or not a whole one."""
    with suppress(OSError):
        kept = path.read_bytes()
        if kept[:32] == hashlib.sha256(kept[32:]).digest():
            return kept[32:]
    return None


def write(path: Path, code: bytes) -> None:
    """Keep an object file; a folder that cannot be written is no error, it is compiled again the next time."""
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(hashlib.sha256(code).digest() + code)
        Path(name).replace(path)


def item_size(kind: str) -> int:
    """Bytes of an item of an array."""
    return _DTYPE[kind[0]].itemsize


def takes_and_gives(signature: str) -> tuple[list[str], str]:
    """Types of the arguments and of the result of a signature; no result is the empty text."""
    takes, _, gives = signature.partition("->")
    return takes.split(), gives.strip()


class Function:
    """Code made callable from Python; the interpreter's lock is released while it works.

    Raises TypeError for arguments that are not what the code takes.
    """

    def __init__(self, code: bytes, signature: str) -> None:
        takes, self._gives = takes_and_gives(signature)
        self._kinds = tuple(takes)
        self._call = ctypes.CFUNCTYPE(ctypes.c_int32, ctypes.c_void_p)(_address(code))
        slots = (_SLOT[kind] if len(kind) == 1 else "q" * (1 + int(kind[1])) for kind in takes)
        self._block = struct.Struct("q" + "".join(slots))

    def __call__(self, *arguments: Any) -> Any:
        return self.bind(*arguments)()

    def bind(self, *arguments: Any) -> Callable[[], Any]:
        """A call made ready: what is left to be done needs the interpreter's lock but for a moment."""
        flat: list[Any] = []
        kinds = self._kinds
        at = 0
        for argument in arguments:
            if type(argument) is Handed:
                count = len(argument.kinds)
                if argument.kinds != kinds[at : at + count]:
                    raise TypeError(f"{argument.kinds} was handed over for {kinds[at : at + count]}")
                flat += argument.parts
                at += count
                continue
            kind = kinds[at] if at < len(kinds) else ""
            if len(kind) < 2:
                flat.append(argument)
            else:
                flat += _parts(argument, kind)
            at += 1
        if at != len(kinds):
            raise TypeError(f"{len(kinds)} arguments are needed, not {at}")
        try:
            block = bytearray(self._block.pack(0, *flat))
        except struct.error as error:
            raise TypeError(f"a number is not of its type: {error}") from None
        place = ctypes.addressof(_BYTE.from_buffer(block))

        def call() -> Any:
            _ = arguments  # kept as long as their addresses are in use
            if self._call(place) != 0:
                raise RuntimeError("compiled code failed")
            return struct.unpack_from(self._gives, block)[0] if self._gives else None

        return call


def _address(code: bytes) -> int:
    """Load an object file and say where its entry is."""
    llvm = _llvm()
    with _lock:
        target = llvm.Target.from_default_triple().create_target_machine()
        engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), target)
        engine.add_object_file(llvm.ObjectFileRef.from_data(code))
        engine.finalize_object()
        _engines.append(engine)
        return int(engine.get_function_address(ENTRY))


def _parts(array: np.ndarray[Any, Any], kind: str) -> tuple[int, ...]:
    """Address and shape of an array."""
    whole = isinstance(array, np.ndarray) and array.dtype == _DTYPE[kind[0]] and array.ndim == int(kind[1])
    if not whole or not (array.flags.c_contiguous if kind[-1] == "r" else array.flags.carray):
        raise TypeError(f"an array {kind} in C order is needed; not this: {array!r:.80}")
    if array.flags.writeable and array.size:
        return ctypes.addressof(_BYTE.from_buffer(array)), *array.shape  # quicker than the array's own way
    return array.ctypes.data, *array.shape


class Handed(NamedTuple):
    """Arguments in a row made ready to be handed over: their slots, and the memory that these are about."""

    kinds: tuple[str, ...]
    parts: Sequence[Any]
    memory: Any


def hand(values: Sequence[Any], kinds: tuple[str, ...]) -> Handed:
    """Make arguments ready that are handed over again and again.

    Raises:
        TypeError: an array is not of its kind.
    """
    parts: list[Any] = []
    for value, kind in zip(values, kinds, strict=True):
        parts += [value] if len(kind) == 1 else _parts(value, kind)
    return Handed(kinds, tuple(parts), tuple(values))


class Plan(NamedTuple):
    """Arrays in one piece of memory: its bytes, and their slots, counted from where the memory begins.

    `addresses` is 1 for slots that are addresses, else 0.
    """

    kinds: tuple[str, ...]
    room: int
    slots: np.ndarray[Any, Any]
    addresses: np.ndarray[Any, Any]


def plan(kinds: tuple[str, ...], shapes: Sequence[tuple[int, ...]]) -> Plan:
    """Lay arrays out."""
    at = 0
    slots: list[int] = []
    addresses: list[int] = []
    for kind, shape in zip(kinds, shapes, strict=True):
        slots += [at, *shape]
        addresses += [1, *(0 for _ in shape)]
        size = math.prod(shape) * item_size(kind)
        at += size + -size % _LINE
    return Plan(kinds, at + _LINE, np.array(slots, np.int64), np.array(addresses, np.int64))


def zeros(wanted: Plan) -> Handed:
    """Arrays of zeros: made by themselves, thirty small ones take longer than a short run."""
    memory = np.zeros(wanted.room, np.uint8)
    start = memory.ctypes.data
    start += -start % _LINE
    return Handed(wanted.kinds, (wanted.slots + start * wanted.addresses).tolist(), memory)
