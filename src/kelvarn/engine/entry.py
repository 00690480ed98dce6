"""The entry of compiled code: takes arguments off a block of slots (`native`) and hands them on as numba wants them.

Only imported where something has to be compiled. What numba's functions expect of a caller stands in its notes on the
calling convention: status = f(&result, &error, arguments…), an array being two owners (none here), size, itemsize,
address, shape and strides.
"""

from collections.abc import Iterator
from typing import Any

from llvmlite import ir

from .native import ENTRY, item_size

_INT = ir.IntType(64)
_SCALARS = {"I": ir.IntType(32), "?": ir.IntType(8)}


def with_entry(made: Any, context: Any, takes: list[str]) -> bytes:
    """An object file of what numba made, with an entry.

    Args:
        made, context: numba's compile result and target context.
        takes: types of the arguments, in the letters of `native`.
    """
    library = made.library.codegen.create_library(ENTRY)
    module = library.create_ir_module(ENTRY)
    function = context.declare_function(module, made.fndesc)
    wanted = iter(function.function_type.args)
    entry = ir.Function(module, ir.FunctionType(ir.IntType(32), [_INT]), ENTRY)
    builder = ir.IRBuilder(entry.append_basic_block())
    block = builder.inttoptr(entry.args[0], _INT.as_pointer())
    slots = _slots(builder, block)
    result_at = next(slots)
    result, error = builder.alloca(_INT), builder.alloca(ir.IntType(8).as_pointer())
    builder.store(_INT(0), result)
    arguments = [builder.bitcast(result, next(wanted)), builder.bitcast(error, next(wanted))]
    for kind in takes:
        if len(kind) == 1:
            arguments.append(_number(builder, builder.load(next(slots)), kind, next(wanted)))
        else:
            arguments += _array(builder, slots, kind, wanted)
    status = builder.call(function, arguments)
    builder.store(builder.load(result), result_at)
    builder.ret(status)
    library.add_ir_module(module)
    library.add_linking_library(made.library)
    library.enable_object_caching()
    library.finalize()
    code: bytes = library._get_compiled_object()
    return code


def _slots(builder: Any, block: Any) -> Iterator[Any]:
    """Pointers to one slot after another."""
    place = 0
    while True:
        yield builder.gep(block, [_INT(place)])
        place += 1


def _number(builder: Any, slot: Any, kind: str, wanted: Any) -> Any:
    if kind == "d":
        return builder.bitcast(slot, wanted)
    return slot if kind == "q" else builder.trunc(slot, _SCALARS[kind])


def _array(builder: Any, slots: Iterator[Any], kind: str, wanted: Iterator[Any]) -> list[Any]:
    """All that stands for an array; in C order its strides follow from its shape."""
    address = builder.load(next(slots))
    shape = [builder.load(next(slots)) for _ in range(int(kind[1]))]
    stride, strides = _INT(item_size(kind)), list[Any]()
    for extent in reversed(shape):
        strides.insert(0, stride)
        stride = builder.mul(stride, extent)
    size = builder.sdiv(stride, _INT(item_size(kind)))
    owners = [ir.Constant(next(wanted), None) for _ in range(2)]
    found = [*owners, size, _INT(item_size(kind)), address, *shape, *strides]
    types = [*(owner.type for owner in owners), *(next(wanted) for _ in found[2:])]
    found[4] = builder.inttoptr(address, types[4])
    return found
