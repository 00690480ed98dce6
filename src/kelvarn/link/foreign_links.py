"""Devices of others behind a broker, where they tell JSON, or on a bus, where a map says what their registers are."""

import csv
import io
import json
import struct
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from kelvarn.files.faults import printable
from kelvarn.sentence import figures, say

from .address import LinkAddress
from .broker import Broker
from .bus import Master
from .faults import LinkError
from .foreign import ROLES, Bound, Foreign, bound, checked, chosen_as, flattened
from .lines import LineError
from .spoken import Told

_LISTENS_S, _ENOUGH, _MORE_S = 6.0, 3, 1.0
MAP_COLUMNS = ("name", "table", "address", "words", "signed", "scale", "unit", "low", "high", "order", "role")
_TABLES = ("input", "holding")
_MOST_ROWS, _MOST_BYTES, _UNBOUND = 200, 200_000, 1e9


class ForeignBroker(Foreign):
    """A device that tells JSON to a broker; a `Source`.

    Args:
        address: of the broker, with the base of the device's topics.
        clock: seconds that only go on.

    Raises:
        LinkError: the broker cannot be reached, or nothing that it is told is known as a temperature.
    """

    def __init__(self, address: LinkAddress, clock: Callable[[], float] = time.monotonic) -> None:
        super().__init__(address.base or address.place, clock)
        self._base, self._address = address.base, address
        self._lock = threading.Condition()
        self._seen: dict[str, list[float]] = {}
        self._messages, self._is_bound = 0, False
        self._broker = Broker(address, self._hear, (f"{address.base}/#",) if address.base else ("#",))
        self._broker.begin()
        with self._lock:
            self._lock.wait_for(lambda: self._messages >= _ENOUGH, _LISTENS_S)
            seen = dict(self._seen)
        try:
            self.known = checked(chosen_as(bound(seen), address.chosen, seen))
        except LineError as error:
            self._broker.close()
            told = ", ".join(list(seen)[:8]) or "nothing"
            raise LinkError(
                say("{address}: {error}; it told {told}.", address=address, error=error, told=told)
            ) from None
        with self._lock:
            self.bind(self.known)
            self.take({path: values[-1] for path, values in seen.items()})
            self._is_bound = True

    def _hear(self, topic: str, payload: bytes, kept: bool) -> None:
        del kept
        values = flattened(topic.removeprefix(self._base), payload)
        with self._lock:
            self._messages += bool(values)
            if self._is_bound:
                self.take(values)
            else:
                for path, value in values.items():
                    self._seen.setdefault(path, []).append(value)
            self._lock.notify_all()

    def samples(self) -> list[Told]:
        """As `Source.samples`."""
        if not self._broker.is_open:
            raise LinkError(say("{address} is lost: the broker is gone.", address=self._address))
        with self._lock:
            return super().samples()

    def close(self) -> None:
        """As `Source.close`."""
        self._broker.close()


class Heard(NamedTuple):
    """A value that a device told: what it was last, and what it is taken for."""

    last: float
    bound: Bound


def heard_at(address: LinkAddress, listens_s: float = _LISTENS_S) -> list[Heard]:
    """What a device at a broker tells, after listening for a while; it is not spoken to.

    Raises:
        LinkError: the broker cannot be reached, or nothing is told.
    """
    seen: dict[str, list[float]] = {}
    changed, heard = threading.Condition(), 0

    def hear(topic: str, payload: bytes, kept: bool) -> None:
        nonlocal heard
        del kept
        with changed:
            heard += 1
            for path, value in flattened(topic.removeprefix(address.base), payload).items():
                seen.setdefault(path, []).append(value)
            changed.notify_all()

    broker = Broker(address, hear, (f"{address.base}/#",) if address.base else ("#",))
    broker.begin()
    try:
        with changed:
            if changed.wait_for(lambda: heard >= _ENOUGH and bool(seen), listens_s):
                changed.wait_for(lambda: False, _MORE_S)  # each of its topics may come by itself
            told = dict(seen)
    finally:
        broker.close()
    if not told:
        raise LinkError(
            say("{address}: nothing with a number was told in {listens} s: is the topic right?", address=address,
                listens=figures(f"{listens_s:g}", ""))
        )  # fmt: skip
    try:
        those = chosen_as(bound(told), address.chosen, told)
    except LineError:  # what was chosen once is told no more
        those = bound(told)
    return [Heard(told[each.where][-1], each) for each in those]


class Row(NamedTuple):
    """A register of a foreign device.

    Attributes:
        name, role: what it is called, and taken for.
        is_input: which of the two tables.
        address: of its first register, from 0.
        words: 1 or 2.
        signed: whether it may be below 0.
        scale: value of one.
        low, high: within which it is in order.
        high_first: of two words.
    """

    name: str
    role: str
    is_input: bool
    address: int
    words: int
    signed: bool
    scale: float
    low: float
    high: float
    high_first: bool

    def value(self, registers: list[int], *, swapped: bool = False) -> float:
        """What it is, of its registers."""
        if self.words == 2:
            high, low = registers if self.high_first is not swapped else (registers[1], registers[0])
            raw = struct.unpack(">i" if self.signed else ">I", struct.pack(">HH", high, low))[0]
        else:
            raw = struct.unpack(">h" if self.signed else ">H", struct.pack(">H", registers[0]))[0]
        return float(raw * self.scale)

    def cells(self) -> list[str]:
        """It as a row under `MAP_COLUMNS`."""
        role, order = ("" if self.role == "extra" else self.role), ("high" if self.high_first else "low")
        low, high = ("" if abs(bound) >= _UNBOUND else f"{bound:g}" for bound in (self.low, self.high))
        table, signed = ("input" if self.is_input else "holding"), ("yes" if self.signed else "no")
        return [self.name, table, str(self.address), str(self.words), signed, f"{self.scale:g}", "", low, high, order,
                role]  # fmt: skip


def map_text(rows: list[list[str]]) -> str:
    """Rows under `MAP_COLUMNS` as the text of a file."""
    written = io.StringIO()
    csv.writer(written, lineterminator="\n").writerows([list(MAP_COLUMNS), *rows])
    return written.getvalue()


def map_of(path: Path) -> list[Row]:
    """The register map of a device, as CSV or as JSON with `registers`.

    Args:
        path: of its file; columns or keys as those of `register-map.csv`, with order (high or low word first) and role
            (reading, setpoint, drive or empty) besides.

    Raises:
        LinkError: it cannot be read, or is none; says which row and what.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise LinkError(say("{file} is too large for a register map.", file=printable(path)))
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise LinkError(
            say("{file} cannot be read as a register map: {error}.", file=printable(path), error=error)
        ) from None
    return map_rows(text, printable(path))


def map_rows(text: str, where: str) -> list[Row]:
    """The rows of a map; `where` names it in sentences. Raises LinkError as `map_of` does."""
    try:
        is_json = text.lstrip().startswith("{")
        listed = json.loads(text)["registers"] if is_json else list(csv.DictReader(io.StringIO(text)))
    except (ValueError, KeyError, TypeError, csv.Error, RecursionError) as error:
        raise LinkError(say("{where} cannot be read as a register map: {error}.", where=where, error=error)) from None
    if not isinstance(listed, list) or not 1 <= len(listed) <= _MOST_ROWS:
        raise LinkError(say("{where} has no rows, or more than {most}.", where=where, most=_MOST_ROWS))
    rows = []
    taken: dict[tuple[bool, int], str] = {}
    for number, each in enumerate(listed, 1):
        try:
            row = _row(each)
        except (ValueError, TypeError, KeyError, AttributeError) as error:
            raise LinkError(say("{where}, row {number}: {error}.", where=where, number=number, error=error)) from None
        for at in range(row.address, row.address + row.words):
            if (row.is_input, at) in taken:
                raise LinkError(
                    say("{where}: {row} and {taken} overlap at {at}.", where=where, row=row.name,
                        taken=taken[row.is_input, at], at=at)
                )  # fmt: skip
            taken[row.is_input, at] = row.name
        rows.append(row)
    if not any(row.role == "reading" for row in rows):
        raise LinkError(say("{where}: no row has the role reading.", where=where))
    return rows


def _row(each: dict[str, object]) -> Row:
    """A row of a map. Raises ValueError with what is wrong."""
    told = {name: each.get(name) for name in MAP_COLUMNS}
    said = {name: "" if value is None else str(value).strip() for name, value in told.items()}
    role, table, words = said["role"] or "extra", said["table"] or "input", int(said["words"] or "1")
    address, order = int(said["address"]), said["order"] or "high"
    scale, low, high = float(said["scale"] or 1), float(said["low"] or -_UNBOUND), float(said["high"] or _UNBOUND)
    if table not in _TABLES:
        raise ValueError(say("its table is input or holding, not {table}", table=table))
    if words not in (1, 2) or not 0 <= address <= 65_535 - words:
        raise ValueError(say("it has 1 or 2 words, at an address from 0 to 65534"))
    if role not in (*ROLES, "extra") or order not in ("high", "low"):
        raise ValueError(say("its role is reading, setpoint, drive or empty, its order high or low"))
    if not (scale and abs(scale) < 1e9 and low < high):
        raise ValueError(say("its scale is a number that is not 0, and low below high"))
    signed = said["signed"].lower() in ("yes", "true", "1")
    return Row(said["name"] or f"{table}_{address}", role, table == "input", address, words, signed, scale, low, high,
               order == "high")  # fmt: skip


class ForeignBus(Foreign):
    """A device of others on a bus; a `Source`.

    Args:
        address: of it, with the file of its map.
        clock: seconds that only go on.

    Raises:
        LinkError: it cannot be reached, or the map is none, or its words come in the other order.
    """

    def __init__(self, address: LinkAddress, clock: Callable[[], float] = time.monotonic) -> None:
        super().__init__(str(address), clock)
        self._rows = map_of(Path(address.map))
        roles = {row.name: row.role for row in self._rows}
        self.bind(
            Bound(name, role if role in ROLES else "extra", "the map says so",
                  scale=0.01 if role == "drive" else 1.0) for name, role in roles.items()
        )  # fmt: skip
        self._master = Master(address)
        try:
            self._look(first=True)
        except LinkError:
            self._master.close()
            raise

    def _look(self, *, first: bool = False) -> None:
        values = {}
        for row in self._rows:
            registers = self._master.read(row.address, row.words, is_input=row.is_input)
            value, other = row.value(registers), row.value(registers, swapped=True)
            if first and row.words == 2 and not row.low <= value <= row.high and row.low <= other <= row.high:
                raise LinkError(
                    say("{where}: {row} would be {value}, beyond its range; its words the other way make it "
                        "{other}. Change order in the map.", where=self._where, row=row.name,
                        value=figures(f"{value:g}", ""), other=figures(f"{other:g}", ""))
                )  # fmt: skip
            values[row.name] = value
        self.take(values)

    def samples(self) -> list[Told]:
        """As `Source.samples`."""
        self._look()
        return super().samples()

    def close(self) -> None:
        """As `Source.close`."""
        self._master.close()
