"""A program of Kelvarn on a Modbus line, as its master sees it: registers, by what it says of itself."""

import logging
import struct
import threading
from collections.abc import Callable

from pymodbus import FramerType
from pymodbus.client import ModbusSerialClient, ModbusTcpClient
from pymodbus.exceptions import ModbusException
from pymodbus.pdu import ModbusPDU

from kelvarn.handover.points import OUTPUT, PLAIN, Mode
from kelvarn.handover.register_map import A_LEASE, A_NAME, ABOUT, ABOUT_WORDS, HOLD, MODE, NAMES, NO_VALUE
from kelvarn.sentence import say

from .address import LinkAddress
from .faults import LinkError
from .lines import TalkPoint, point_of
from .spoken import About, Told

_MOST_REGISTERS = 40
_ANSWERS_WITHIN_S, _TRIES = 0.7, 2
_LETTERS = 36
_MOST_WORD = 65535
_REFUSED = {
    1: "it knows no such function", 2: "it has no such register", 3: "it does not take that: out of range, or not now",
    4: "it failed", 6: "it is busy",
}  # fmt: skip

logging.getLogger("pymodbus").setLevel(logging.CRITICAL)  # what is lost is said by a LinkError


class Master:
    """The master of a Modbus line, as one device on it is asked.

    Args:
        address: kind modbus-tcp (host, port) or modbus-rtu (device file, baud), and the unit.

    Raises:
        LinkError: it cannot be reached.
    """

    def __init__(self, address: LinkAddress) -> None:
        self._where, self._unit = str(address), address.unit
        self._client: ModbusTcpClient | ModbusSerialClient
        if address.kind == "modbus-tcp":
            self._client = ModbusTcpClient(
                address.place, port=address.number, timeout=_ANSWERS_WITHIN_S, retries=_TRIES
            )
        else:
            self._client = ModbusSerialClient(
                address.place, framer=FramerType.RTU, baudrate=address.number, timeout=_ANSWERS_WITHIN_S, retries=_TRIES
            )
        if not self._client.connect():
            raise LinkError(
                say("{where} cannot be reached. Is the device on, and address and port right?", where=self._where)
            )
        self._asking = threading.Lock()
        self._is_closed = False

    def read(self, first: int, many: int, *, is_input: bool = True) -> list[int]:
        """Registers, in as many requests as they need. Raises LinkError."""
        found: list[int] = []
        while len(found) < many:
            count = min(many - len(found), _MOST_REGISTERS)
            asks = self._client.read_input_registers if is_input else self._client.read_holding_registers
            begins = first + len(found)
            answer = self._ask(lambda a=asks, b=begins, c=count: a(b, count=c, device_id=self._unit))  # type: ignore[misc]
            if answer.isError():
                raise LinkError(f"{self._where}: {self._refusal(answer)}.")
            if len(answer.registers) != count:
                raise LinkError(say("{where} tells half of what it was asked for.", where=self._where))
            found += answer.registers
        return found

    def write(self, first: int, values: list[int]) -> str:
        """Write registers together. Returns why not; empty where it is done. Raises LinkError."""
        return self._refusal(self._ask(lambda: self._client.write_registers(first, values, device_id=self._unit)))

    def coil(self, address: int) -> str:
        """Set a coil; as `write`."""
        return self._refusal(self._ask(lambda: self._client.write_coil(address, True, device_id=self._unit)))

    def _ask(self, request: Callable[[], ModbusPDU]) -> ModbusPDU:
        with self._asking:
            if self._is_closed:  # the client would connect anew, and nobody would close that
                raise LinkError(say("{where} is lost: it was closed here.", where=self._where))
            try:
                return request()
            except (ModbusException, OSError, struct.error) as error:
                raise LinkError(say("{where} is lost: {short}.", where=self._where, short=_short(error))) from None

    def _refusal(self, answer: ModbusPDU) -> str:
        if not answer.isError():
            return ""
        code = getattr(answer, "exception_code", 0)
        if code not in _REFUSED:
            raise LinkError(say("{where} does not answer.", where=self._where))
        return _REFUSED[code]

    def close(self) -> None:
        """Let go of the line; what asks still is waited for."""
        with self._asking:
            self._is_closed = True
            self._client.close()  # type: ignore[no-untyped-call]


class BusSource:
    """A program of Kelvarn on a Modbus line; a `Source`. Raises as `Master` does."""

    def __init__(self, address: LinkAddress) -> None:
        self._master = Master(address)
        self._points: list[TalkPoint] = []
        self._decimals: list[int] = []
        self._counts = (0, 0, 0, 0)

    # What it is.

    def about(self) -> About:
        """As `Source.about`."""
        words = self._master.read(ABOUT, ABOUT_WORDS + _LETTERS)
        if words[0] != 1 or words[1] != len(PLAIN):
            raise LinkError(say("Something answers there, but it is no program of Kelvarn, or of another version."))
        self._counts = words[1], words[2], words[3], words[4]
        letters = _letters(words[ABOUT_WORDS:]).split(" ")
        if len(letters) < 4:
            raise LinkError(say("Something answers there, but it is no program of Kelvarn."))
        state, program, rig, board = letters[:4]
        return About(program, rig, state, board, _double(words[10:12]), _double(words[6:8]))

    def points(self) -> list[str]:
        """As `Source.points`."""
        if not any(self._counts):
            self.about()
        lines = []
        self._decimals = []
        for place in range(sum(self._counts)):
            *letters, decimals = self._master.read(NAMES + A_NAME * place, A_NAME)
            lines.append(_letters(letters))
            self._decimals.append(decimals)
        self._points = [point_of(["point", *line.split(" ")]) for line in lines]
        return lines

    def _numbers(self) -> list[int]:
        """Raw figures of all points."""
        reads = sum(self._counts[:3])
        words = self._master.read(0, 2 * reads)
        if self._counts[3]:
            words += self._master.read(0, 2 * self._counts[3], is_input=False)
        return [struct.unpack(">i", struct.pack(">HH", *words[k : k + 2]))[0] for k in range(0, len(words), 2)]

    def _texts(self) -> dict[str, str]:
        """What all points are, as lines have it."""
        if not self._points:
            self.points()
        return {
            point.name: "-" if raw == NO_VALUE else f"{raw / 10**decimals:.{decimals}f}"
            for point, decimals, raw in zip(self._points, self._decimals, self._numbers(), strict=True)
        }

    def values(self) -> list[str]:
        """As `Source.values`."""
        texts = self._texts()
        return [f"{point.name} {texts[point.name]} {point.unit} 0 {int(texts[point.name] != '-')}"
                for point in self._points]  # fmt: skip

    def samples(self) -> list[Told]:
        """As `Source.samples`."""
        words = self._master.read(ABOUT, ABOUT_WORDS)
        seq = words[5]
        if seq == 0:
            return []
        texts = self._texts()
        first_probe = self._counts[0]
        probes = tuple(texts[point.name] for point in self._points[first_probe : first_probe + self._counts[1]])
        outputs = tuple(texts[point.name] for point in self._points if point.name.startswith(OUTPUT))
        flags = (
            int(texts["ready"]) | int(texts["stopped"]) << 1 | int(texts["mode"]) << 4
            | (words[13] & 3) << 2 | (64 if int(texts["lease"]) else 0) | (128 if float(texts["nudge"]) else 0)
        )  # fmt: skip
        control = probes[words[12]]
        plain = (
            f"{_double(words[8:10])} {control} {texts['setpoint']} {texts['asked']} {texts['given']} {texts['law']} "
            f"{texts['guard']} {flags}"
        )
        rare = f"{texts['alarm']} {texts['tripped']} {texts['late']} {texts['heat']} {texts['edits']}"
        return [Told(seq, (plain, rare), probes, outputs)]

    # What is ordered.

    def order(self, words: list[str]) -> str:
        """As `Source.order`."""
        try:
            return self._order(words)
        except ValueError:
            return "it has no number that fits its registers"

    def _order(self, words: list[str]) -> str:
        match words:
            case ["stop"]:
                return self._master.coil(0)
            case ["again"]:
                return self._master.coil(1)
            case ["begin"]:
                return self._master.coil(2)
            case ["reset", "all"]:
                return self._master.coil(3)
            case ["mode", "test", heat, limit]:
                return self._master.write(MODE, [Mode.TEST, _whole(heat), *_halves(limit, 1)])
            case ["mode", name] if name.upper() in Mode.__members__:
                return self._master.write(MODE, [Mode[name.upper()]])
            case ["hold", drive, value, seconds, token]:
                return self._hold(drive, [*_halves(value, 2), _whole(seconds), _whole(token)])
            case ["set", name, value, *was]:
                return self._set(name, value, was)
            case _:
                return "this is not told over this kind of link"

    def _hold(self, drive: str, values: list[int]) -> str:
        names = ["all", "setpoint", "limits", *(point.name for point in self._points if point.name.startswith(OUTPUT))]
        if drive not in names:
            return "no such drive"
        return self._master.write(HOLD + A_LEASE * names.index(drive), values)

    def _set(self, name: str, value: str, was: list[str]) -> str:
        place = next((k for k, point in enumerate(self._points) if point.name == name and point.writes), None)
        if place is None:
            return "no such point"
        decimals = self._decimals[place]
        if was and abs(float(self._texts()[name]) - float(was[-1])) > 0.501 * 10.0**-decimals:
            return "it was changed meanwhile"
        return self._master.write(2 * (place - sum(self._counts[:3])), _halves(value, decimals))

    def close(self) -> None:
        """As `Source.close`."""
        self._master.close()


def _letters(words: list[int]) -> str:
    return b"".join(struct.pack(">H", word) for word in words).rstrip(b"\0").decode("ascii", "replace")


def _double(words: list[int]) -> int:
    return words[0] << 16 | words[1]


def _halves(text: str, decimals: int) -> list[int]:
    """A number as two registers."""
    raw = round(float(text) * 10**decimals)
    if not -(2**31) < raw < 2**31:
        raise ValueError(text)
    return list(struct.unpack(">HH", struct.pack(">i", raw)))


def _whole(text: str) -> int:
    return min(int(text), _MOST_WORD)


def _short(error: BaseException) -> str:
    return str(error).removeprefix("Modbus Error: ").removeprefix("[Input/Output] ").strip().rstrip(".")[:120]
