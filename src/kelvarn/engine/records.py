"""How compiled code and Python name the same data.

A record is a dataclass of floats, ints and bools, declared once, a field a line with its unit. It is three things: an
object that Python fills in and reads; a NumPy structured type, made of its fields, of which a table has one row each;
and what compiled code and the type checker take a row for, so that all of them say `probe.lag_s`. Arrays that belong
together travel as one named tuple, whose fields say what each holds.
"""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import fields
from functools import cache
from operator import attrgetter
from typing import Annotated, Any, Generic, NamedTuple, TypeVar, cast, get_type_hints

import numpy as np
import numpy.typing as npt

R = TypeVar("R")
_SCALARS = {float: np.float64, int: np.int64, bool: np.bool_}


class Axes(NamedTuple):
    """What a plain array holds and how many axes it has."""

    of: Any
    many: int


Reals = Annotated[npt.NDArray[np.float64], Axes(np.float64, 1)]
"""One row of numbers."""
Grid = Annotated[npt.NDArray[np.float64], Axes(np.float64, 2)]
"""Rows of numbers."""
Blocks = Annotated[npt.NDArray[np.float64], Axes(np.float64, 3)]
"""Numbers in blocks of eight (`heat`)."""
Block4 = Annotated[npt.NDArray[np.float64], Axes(np.float64, 4)]
Block5 = Annotated[npt.NDArray[np.float64], Axes(np.float64, 5)]
Ints = Annotated[npt.NDArray[np.int64], Axes(np.int64, 1)]
Codes = Annotated[npt.NDArray[np.int32], Axes(np.int32, 1)]
"""A code for each sample."""
Long = Annotated[int, 64]
"""A field of a record that needs more than 32 bits on a device."""
Pixels = Annotated[npt.NDArray[np.uint32], Axes(np.uint32, 2)]


class Table(Generic[R]):
    """A row of records: to the type checker and the compiler; in fact a NumPy array, or in plain Python a list."""

    size: int

    def __len__(self) -> int:
        raise TypeError("only arrays made by `table` are tables")

    def __getitem__(self, index: int) -> R:
        raise TypeError("only arrays made by `table` are tables")

    def __iter__(self) -> Iterator[R]:
        raise TypeError("only arrays made by `table` are tables")


class Tables(Generic[R]):
    """Rows of records, likewise: `tables[i]` is a table, `tables[i, k]` a record."""

    shape: tuple[int, int]

    def __getitem__(self, index: int) -> Table[R]:
        raise TypeError("only arrays made by `blank` are tables")


@cache
def dtype_of(record: Any) -> np.dtype[Any]:
    """The structured type of a record.

    Raises:
        TypeError: a field has a name that every NumPy record has a meaning of its own for.
    """
    hints = get_type_hints(record)
    for field in fields(record):
        if hasattr(np.record, field.name):
            raise TypeError(f"a field of a record may not be called “{field.name}”")
    plain = np.dtype([(field.name, _SCALARS[hints[field.name]]) for field in fields(record)], align=True)
    return np.dtype((np.record, plain))


@cache
def _values(record: Any) -> Callable[[Any], tuple[Any, ...]]:
    """What gives the fields of a record; `dataclasses.astuple` copies each, which was a tenth of a drag step."""
    names = [field.name for field in fields(record)]
    return attrgetter(*names) if len(names) > 1 else lambda row: (getattr(row, names[0]),)


def table(record: type[R], rows: Iterable[R]) -> Table[R]:
    """A table of records."""
    values = _values(cast(Any, record))
    return cast(Table[R], np.array([values(row) for row in rows], dtype_of(cast(Any, record))))


def blank(record: type[R], count: int) -> Table[R]:
    """A table of records of zeros."""
    return cast(Table[R], np.zeros(count, dtype_of(cast(Any, record))))


def blanks(record: type[R], count: int, each: int) -> Tables[R]:
    """Tables of records of zeros."""
    return cast(Tables[R], np.zeros((count, each), dtype_of(cast(Any, record))))


def rows_of(records: Table[R], record: type[R]) -> list[R]:
    """The records of a table as objects that Python reads quickly."""
    return [record(*values) for values in cast(Any, records).tolist()]
