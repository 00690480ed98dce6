"""Compiled functions: the one place that knows how the compiler works. `code_cache.py` keeps what it makes on disk.

An `entry` is called from Python; a `part` is called by compiled code, and from Python as the plain function it is. An
array that an entry writes to must not be handed over twice.

numba can keep what it compiled, but reading that back takes all of numba, 1.3 s more than loading object code (measured
0.4 against 1.7 s). So the machine code of an entry is kept as an object file, which needs only the loader of LLVM; how
it is called stands in `slots.py`. Where anything of this fails, numba itself compiles and keeps the same functions.
Tested with numba 0.61 to 0.68 and llvmlite 0.44 to 0.50.
"""

import ctypes
import hashlib
import importlib
import logging
import threading
from collections.abc import Callable, Sequence
from functools import cache, cached_property
from pathlib import Path
from typing import Any, TypeVar, cast

import numpy as np

from .code_cache import cache_folder, forget_old, read, write
from .slots import add_slots, of_rows, shape_of, takes

F = TypeVar("F", bound=Callable[..., Any])
_lock = threading.RLock()
_log = logging.getLogger(__name__)

# The one liberty taken with floating point is fused multiply-add; the same machine gives the same bits. Nothing
# compiled makes arrays, and so need not count references to them (counting took a third of the time of a sample).
_HOW: Any = {"nogil": True, "error_model": "numpy", "fastmath": {"contract"}, "_nrt": False}


@cache
def _numba() -> Any:
    numba = importlib.import_module("numba")
    # Off by default in numba; makes vector instructions of the eight-row blocks of heat.py (measured: twice as fast).
    numba.config.SLP_VECTORIZE = 1
    return numba


@cache
def _llvm() -> Any:
    """LLVM's loader."""
    llvm = importlib.import_module("llvmlite.binding")
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    return llvm


def _machine() -> str:
    """What object code depends on: the loader's version and the processor."""
    llvm = _llvm()
    return f"{llvm.llvm_version_info} {llvm.get_host_cpu_name()} {llvm.get_host_cpu_features().flatten()}"


def _target_machine() -> Any:
    llvm = _llvm()
    features = llvm.get_host_cpu_features().flatten()
    target = llvm.Target.from_default_triple()
    return target.create_target_machine(
        cpu=llvm.get_host_cpu_name(), features=features, opt=3, jit=True, codemodel="jitdefault"
    )


_parts: list["_Part"] = []


class _Part:
    """A function that compiled code calls; Python calls it as it is, without a compiler."""

    def __init__(self, function: Callable[..., Any], *, inlined: bool) -> None:
        self.function, self.inlined = function, inlined
        self.__doc__ = function.__doc__
        _parts.append(self)

    def __call__(self, *arguments: Any) -> Any:
        return self.function(*arguments)

    @cached_property
    def _dispatcher(self) -> Any:
        return _numba().njit(**_HOW)(self.function)

    @property
    def _numba_type_(self) -> Any:
        """What numba takes this for where it meets it in a function."""
        return _numba().types.Dispatcher(self._dispatcher)

    def forget(self) -> None:
        """Compile it anew when it is met again: what was made without optimising is of no use to numba alone."""
        self.__dict__.pop("_dispatcher", None)

    def names(self) -> list[str]:
        """What the compiler calls it, once for each kind of arguments that it has met."""
        return [made.fndesc.llvm_func_name for made in self._dispatcher.overloads.values()]


def part(function: F) -> F:
    """What compiled code calls for every sample: its code is put into the caller's.

    Passing a dozen arrays takes longer than most of these do (measured: 1.9 to 1.0 times the C loop).
    """
    return cast(F, _Part(function, inlined=True))


def subroutine(function: F) -> F:
    """What compiled code calls now and then: compiled once for all its callers."""
    return cast(F, _Part(function, inlined=False))


def function_of(part: Callable[..., Any]) -> Callable[..., Any]:
    """The plain function behind a part, for who reads its source."""
    return part.function if isinstance(part, _Part) else part


def entry(function: Callable[..., int | None]) -> "Entry":
    """What Python calls and a compiler must have seen before; arguments and result as its annotations say."""
    return Entry(function)


class Entry:
    """A compiled function as Python calls it. The interpreter's lock is released while it works."""

    def __init__(self, function: Callable[..., int | None]) -> None:
        self.function = function
        self._call: Callable[[int, int], Any] | None = None

    def __call__(self, *arguments: Any) -> int:
        """Its result for some arguments."""
        return self.many([arguments])[0]

    def many(self, calls: Sequence[Sequence[Any]]) -> list[int]:
        """Several calls one after another, with their results.

        Raises:
            TypeError: an argument is not what the function takes.
        """
        call = self._call or self.load()
        rows = np.array([[0, *self.slots(arguments)] for arguments in calls], np.int64)
        call(rows.ctypes.data, len(rows))
        return cast(list[int], rows[:, 0].tolist())

    def again(self, slots: Sequence[int]) -> int:
        """The result of a call whose arguments are numbers already, as `slots` makes them."""
        row = np.array([0, *slots], np.int64)
        (self._call or self.load())(row.ctypes.data, 1)
        return int(row[0])

    def slots(self, arguments: Sequence[Any]) -> list[int]:
        """Arguments as numbers; what they are about must live as long as these are in use."""
        if len(arguments) != len(self._shapes):
            raise TypeError(f"{len(self._shapes)} arguments are needed, not {len(arguments)}")
        found: list[int] = []
        for value, shape in zip(arguments, self._shapes, strict=True):
            add_slots(found, value, shape)
        return found

    @cached_property
    def _shapes(self) -> list[Any]:
        return [shape_of(kind) for kind in takes(self.function)]

    def load(self) -> Callable[[int, int], Any]:
        """Load its code from the disk, or compile it and keep it there. Compiling takes up to a minute."""
        with _lock:
            if self._call is None:
                try:
                    self._call = self._from_object_code()
                except Exception:  # whatever the insides of the compiler do: it is only the start that is slower
                    _log.info("object code of %s could not be used", self.function.__name__, exc_info=True)
                    self._call = self._by_numba()
            return self._call

    def _from_object_code(self) -> Callable[[int, int], Any]:
        folder = cache_folder(_machine())
        own = hashlib.sha256(Path(self.function.__code__.co_filename).read_bytes()).hexdigest()[:8]
        path = folder / f"{self.function.__module__}.{self.function.__name__}.{own}.o"
        kept = read(path)
        if kept is None:
            forget_old(folder)
            _log.info("compiling, a minute or a few, once")  # the command line shows it to who waits
            kept = self._compile()
            write(path, kept)
        return _loaded(kept)

    def _compile(self) -> bytes:
        """Name of the function and object code of it."""
        numba = _numba()
        signature = numba.types.void(numba.types.int64, numba.types.int64)
        how = {**_HOW, "no_cpython_wrapper": True, "no_cfunc_wrapper": True}  # nothing in it asks for Python
        full = numba.config.OPT
        # numba would optimise each function anew in each that calls it; once, at the end, takes half the time.
        numba.config.OPT = type(full)(0)
        try:
            core = numba.njit(**_HOW)(self.function)
            core._compiler._customize_flags = _apart
            made = numba.njit([signature], **how)(of_rows(self.function, core))
        finally:
            numba.config.OPT = full
        name = next(iter(made.overloads.values())).fndesc.llvm_func_name
        module, target = _llvm().parse_assembly(made.inspect_llvm(signature.args)), _target_machine()
        _optimise(module, target, name)
        return cast(bytes, name.encode() + b"\0" + target.emit_object(module))

    def _by_numba(self) -> Callable[[int, int], Any]:
        """Compiled by numba in its usual way, and kept in its own cache where there is one."""
        numba = _numba()
        for each in _parts:
            each.forget()
        for keep in (True, False):
            try:
                if keep:
                    numba.config.CACHE_DIR = str(cache_folder(_machine()))
                core = numba.njit(cache=keep, **_HOW)(self.function)
                signature = numba.types.void(numba.types.int64, numba.types.int64)
                return cast(Callable[[int, int], Any], numba.njit([signature], **_HOW)(of_rows(self.function, core)))
            except Exception:
                if not keep:
                    raise
        raise AssertionError


def _apart(flags: Any) -> Any:
    """Promise LLVM that the arrays that a function is given do not overlap: it then reads nothing twice (measured)."""
    flags.noalias = True
    return flags


def _optimise(module: Any, target: Any, name: str) -> None:
    """All that LLVM can do, vector instructions of the eight-row blocks of linear.py too (measured: twice as fast)."""
    llvm = _llvm()
    inlined = {name for each in _parts if each.inlined for name in each.names()}
    for function in module.functions:
        if not function.is_declaration and function.name != name:
            function.linkage = "internal"
            if function.name in inlined:
                function.add_function_attribute("alwaysinline")
    options = llvm.create_pipeline_tuning_options(speed_level=3)
    options.loop_vectorization = options.slp_vectorization = True
    builder = llvm.create_pass_builder(target, options)
    builder.getModulePassManager().run(module, builder)


_engines: list[Any] = []  # code lives as long as the engine that loaded it


def _loaded(kept: bytes) -> Callable[[int, int], None]:
    """Object code made callable. numba's functions return a status and take room for result and error first."""
    name, _, code = kept.partition(b"\0")
    llvm = _llvm()
    engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), _target_machine())
    engine.add_object_file(llvm.ObjectFileRef.from_data(code))
    engine.finalize_object()
    address = engine.get_function_address(name.decode())
    if not address:
        raise RuntimeError("the object file has no such function")
    _engines.append(engine)
    kind = ctypes.CFUNCTYPE(ctypes.c_int32, ctypes.c_void_p, ctypes.c_void_p, ctypes.c_int64, ctypes.c_int64)
    function = kind(address)

    def call(rows: int, count: int) -> None:
        unused = ctypes.create_string_buffer(16)
        place = ctypes.addressof(unused)
        if function(place, place + 8, rows, count) != 0:
            raise RuntimeError("compiled code failed")

    return call
