"""Where a device is, as people write it."""

from dataclasses import dataclass, replace
from urllib.parse import parse_qsl, quote, urlsplit

from kelvarn.sentence import say

from .faults import LinkError

BAUD = 115_200
KINDS = "serial:/dev/ttyUSB0, tcp://HOST:PORT, modbus-tcp://HOST:PORT, modbus-rtu:/dev/ttyUSB0 or mqtt://HOST/TOPIC"
"""What links are written as; those of a bus may end in # and the unit."""
_LAST_UNIT = 247
_CHOSEN = ("reading", "setpoint", "drive")
_BROKER_PORTS = {"mqtt": 1883, "mqtts": 8883}


@dataclass(frozen=True)
class LinkAddress:
    """Where a device is.

    Attributes:
        kind: serial, tcp, modbus-tcp, modbus-rtu, mqtt or mqtts.
        place: the device file, or the host.
        number: baud, or the port.
        unit: its address on a bus.
        base: of its topics at a broker; empty where a bridge chooses it.
        map: file of the registers of a device that is not Kelvarn's; `json` for one that tells JSON to a broker.
        chosen: of that, the path of what somebody took for reading, setpoint or drive; an empty one is none of them.
    """

    kind: str
    place: str
    number: int
    unit: int = 1
    base: str = ""
    map: str = ""
    chosen: tuple[tuple[str, str], ...] = ()

    def __str__(self) -> str:
        asks = f"?map={self.map}" if self.map and self.map != "json" else "?json" if self.map else ""
        asks += "".join(f"&{role}={quote(path, safe='/')}" for role, path in self.chosen)
        return f"{self._bare}{asks}"

    @property
    def _bare(self) -> str:
        if self.kind == "serial":
            return f"serial:{self.place}"
        if self.kind == "modbus-rtu":
            return f"modbus-rtu:{self.place}@{self.number}#{self.unit}"
        more = f"#{self.unit}" if self.kind == "modbus-tcp" else f"/{self.base}" if self.base else ""
        return f"{self.kind}://{self.place}:{self.number}{more}"

    @property
    def warns(self) -> str:
        """What opening it does to the device, in a sentence or two."""
        if self.kind in ("serial", "modbus-rtu"):
            return say(
                "Opening a serial line restarts many boards: their outputs float for up to two seconds, then the "
                "program begins as after a power cut. A cable to a board on mains can kill: let the board have a "
                "supply that is isolated from it."
            )
        if self.kind.startswith("mqtt"):
            return say(
                "Opening this does nothing to the device. Whoever the broker lets in can write to it too; stop comes"
                " as late as the network lets it: somebody near must be able to switch it off."
            )
        return say("Opening this does nothing to the device. Whoever reaches its port can speak with it as well.")


def link_address(text: str) -> LinkAddress:
    """Where a text says that a device is: one of `KINDS`.

    Raises:
        LinkError: it says nothing that is known.
    """
    text, _, query = text.partition("?")
    if text.startswith(("mqtt://", "mqtts://")):
        asked, _, more = query.partition("&")
        found = broker_address(text, needs_base=asked != "json")
        chosen = tuple(parse_qsl(more, keep_blank_values=True))
        if asked not in ("", "json") or (more and not asked) or any(role not in _CHOSEN for role, _ in chosen):
            raise LinkError(
                say("“{query}” is nothing that a broker is asked: a device that tells JSON ends in ?json, "
                    "and what its values are may follow: &reading=PATH&setpoint=PATH&drive=PATH.", query=query)
            )  # fmt: skip
        return replace(found, map=asked, chosen=chosen)
    bare, hash_mark, unit = text.partition("#")
    kind = next((kind for kind in ("serial:", "modbus-rtu:", "tcp://", "modbus-tcp://") if text.startswith(kind)), "")
    is_bus, place = kind.startswith("modbus"), bare.removeprefix(kind)
    made = None
    if kind:
        made = _host_and_port(place) if kind.endswith("//") else _file_and_baud(place)
    is_unit = not hash_mark or (is_bus and _is_within(unit, 1, _LAST_UNIT))
    is_map = not query or (is_bus and query.startswith("map=") and len(query) > len("map="))
    if made is None or not is_unit or not is_map:
        raise LinkError(say("“{typed}” is no link: name {kinds}.", typed=text, kinds=KINDS))
    return LinkAddress(kind.rstrip(":/"), *made, int(unit) if unit else 1, map=query.removeprefix("map="))


def broker_address(text: str, *, needs_base: bool = False) -> LinkAddress:
    """Where a broker is: mqtt://HOST:PORT/BASE, or HOST:PORT alone; the usual port where none is named.

    Args:
        text: as it is written.
        needs_base: whether it must say where the topics of a device begin.

    Raises:
        LinkError: it says nothing that is known.
    """
    kind, _, rest = text.rpartition("://")
    host, _, base = rest.partition("/")
    kind = kind or "mqtt"
    base = base.strip("/")
    found = _host_and_port(host if ":" in host else f"{host}:{_BROKER_PORTS.get(kind, 0)}")
    if (
        kind not in _BROKER_PORTS
        or found is None
        or any(letter in base for letter in "+# ")
        or (needs_base and not base)
    ):
        raise LinkError(
            say("“{typed}” is no device at a broker: name mqtt://HOST:PORT/kelvarn/RIG/PROGRAM.", typed=text)
        )
    return LinkAddress(kind, *found, base=base)


def _host_and_port(text: str) -> tuple[str, int] | None:
    try:
        parts = urlsplit(f"//{text}")
        if parts.hostname and parts.port and parts.path in ("", "/") and parts.username is None:
            return parts.hostname, parts.port
    except ValueError:
        pass
    return None


def _file_and_baud(text: str) -> tuple[str, int] | None:
    place, _, baud = text.partition("@")
    if not place or (baud and not _is_within(baud, 50, 4_000_000)):
        return None
    return place, int(baud) if baud else BAUD


def _is_within(text: str, low: int, high: int) -> bool:
    return text.isascii() and text.isdigit() and len(text) < 9 and low <= int(text) <= high
