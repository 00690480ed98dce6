"""How compiled code is called: by the address of rows of eight-byte slots, one row a call.

A row has room for the result, then the arguments as the function's annotations say (`records`): a number is its bits,
an array its address and its shape, a named tuple what its fields are.
"""

import struct
from collections.abc import Callable
from functools import cache
from typing import Any, cast, get_args, get_origin, get_type_hints

import numpy as np

from .records import Axes, Table, Tables, dtype_of


def takes(function: Callable[..., Any]) -> list[Any]:
    """Annotations of the arguments of a function."""
    hints = get_type_hints(function, include_extras=True)
    hints.pop("return")
    return list(hints.values())


def of_rows(function: Callable[..., Any], core: Any) -> Callable[[int, int], None]:
    """A function of the address and the count of rows of slots, that calls a compiled function for each."""
    names: dict[str, Any] = {"core": core, "view": _view(), "int64": np.dtype(np.int64), "real": np.dtype(np.float64)}
    taken: list[str] = []
    at = 1
    for kind in takes(function):
        text, at = _taken(kind, at, names)
        taken.append(text)
    result = get_type_hints(function)["return"]
    source = f"""
def of_rows(address, count):
    rows, reals = view(address, (count, {at}), int64), view(address, (count, {at}), real)
    for k in range(count):
        row, numbers = rows[k], reals[k]
        {"row[0] = " if result is int else ""}core({", ".join(taken)})
"""
    exec(source, names)
    return cast(Callable[[int, int], None], names["of_rows"])


@cache
def _array_kind(kind: Any) -> tuple[np.dtype[Any], int] | None:
    """What an annotation says of an array; None for what is no array."""
    if get_origin(kind) is Table:
        return dtype_of(get_args(kind)[0]), 1
    if get_origin(kind) is Tables:
        return dtype_of(get_args(kind)[0]), 2
    axes = next((each for each in getattr(kind, "__metadata__", ()) if isinstance(each, Axes)), None)
    return None if axes is None else (np.dtype(axes.of), axes.many)


@cache
def _fields(kind: Any) -> tuple[Any, ...] | None:
    """Annotations of the fields of a named tuple; None for what is none."""
    return tuple(get_type_hints(kind, include_extras=True).values()) if hasattr(kind, "_fields") else None


def _taken(kind: Any, at: int, names: dict[str, Any]) -> tuple[str, int]:
    """An expression that takes an argument off a row of slots from a place on, and the place after it."""
    inner = _fields(kind)
    if inner is not None:
        parts = []
        for each in inner:
            text, at = _taken(each, at, names)
            parts.append(text)
        names[kind.__name__] = kind
        return f"{kind.__name__}({', '.join(parts)})", at
    array = _array_kind(kind)
    if array is None:
        return (f"numbers[{at}]" if kind is float else f"row[{at}]"), at + 1
    dtype, axes = array
    name = f"type{at}"
    names[name] = dtype
    shape = "".join(f"row[{at + 1 + axis}], " for axis in range(axes))
    return f"view(row[{at}], ({shape}), {name})", at + 1 + axes


def shape_of(kind: Any) -> Any:
    """What an argument is made of: a list of the fields of a named tuple, what an array is of, or float or int."""
    if (inner := _fields(kind)) is not None:
        return [shape_of(each) for each in inner]
    return _array_kind(kind) or (float if kind is float else int)


def add_slots(found: list[int], value: Any, shape: Any) -> None:
    """Add an argument to the slots of a call.

    Raises:
        TypeError: it is not of that shape.
    """
    if isinstance(shape, list):
        for each, its in zip(value, shape, strict=True):
            add_slots(found, each, its)
    elif isinstance(shape, tuple):
        if not isinstance(value, np.ndarray) or (value.dtype, value.ndim) != shape or not value.flags.c_contiguous:
            raise TypeError(f"an array of {shape[1]} axes of {shape[0]} is needed; not this: {value!r:.80}")
        # As plain bytes: of a record NumPy would describe every field; `ctypes.data` imports something each time.
        found.append(value.view(np.uint8).__array_interface__["data"][0])
        found.extend(value.shape)
    elif shape is float and isinstance(value, (float, int, np.floating)):
        found.append(struct.unpack("q", struct.pack("d", value))[0])
    elif shape is int and isinstance(value, (int, np.integer)):
        found.append(int(value))
    else:
        raise TypeError(f"a number is needed; not this: {value!r:.80}")


@cache
def _view() -> Any:
    """An array on memory at an address, for compiled code; numba's own way counts references."""
    from llvmlite import ir
    from numba import types
    from numba.core import cgutils
    from numba.extending import intrinsic
    from numba.np.arrayobj import make_array, populate_array

    @intrinsic
    def view(_context: Any, address: Any, shape: Any, dtype: Any) -> Any:
        kind = types.Array(dtype.dtype, len(shape), "C")

        def generate(context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            array = make_array(kind)(context, builder)
            size = ir.Constant(ir.IntType(64), context.get_abi_sizeof(context.get_data_type(kind.dtype)))
            extents = cgutils.unpack_tuple(builder, arguments[1], kind.ndim)
            stride, strides = size, list[Any]()
            for extent in reversed(extents):
                strides.insert(0, stride)
                stride = builder.mul(stride, extent)
            place = builder.inttoptr(arguments[0], array.data.type)
            populate_array(array, place, shape=extents, strides=strides, itemsize=size, meminfo=None)
            return array._getvalue()

        return kind(address, shape, dtype), generate

    return view
