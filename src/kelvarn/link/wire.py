"""Wires to devices: a serial line, TCP. What is wrong with one is said in a sentence, with what to do."""

import contextlib
import errno
import grp
import os
import socket
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol
from urllib.parse import urlsplit

import serial

from .faults import LinkError

BAUD = 115_200
_CONNECT_S = 3.0
_MOST = 4096


@dataclass(frozen=True)
class LinkAddress:
    """Where a device is.

    Attributes:
        kind: serial or tcp.
        place: the device file, or the host.
        number: baud, or the port.
    """

    kind: str
    place: str
    number: int

    def __str__(self) -> str:
        return f"serial:{self.place}" if self.kind == "serial" else f"tcp://{self.place}:{self.number}"

    @property
    def warns(self) -> str:
        """What opening it does to the device, in a sentence or two."""
        if self.kind == "serial":
            return (
                "Opening a serial line restarts many boards: their outputs float for up to two seconds, then the "
                "program begins as after a power cut. A cable to a board on mains can kill: let the board have a "
                "supply that is isolated from it."
            )
        return "Opening this does nothing to the device. Whoever reaches its port can speak with it as well."


def link_address(text: str) -> LinkAddress:
    """Where a text says that a device is: serial:/dev/…, serial:/dev/…@BAUD, tcp://HOST:PORT.

    Raises:
        LinkError: it says nothing that is known.
    """
    if text.startswith("serial:") and len(text) > len("serial:"):
        place, _, baud = text.removeprefix("serial:").partition("@")
        if place and (not baud or (baud.isascii() and baud.isdigit() and 50 <= int(baud) <= 4_000_000)):
            return LinkAddress("serial", place, int(baud) if baud else BAUD)
    if text.startswith("tcp://"):
        try:
            parts = urlsplit(text)
            if parts.hostname and parts.port and parts.path in ("", "/"):
                return LinkAddress("tcp", parts.hostname, parts.port)
        except ValueError:
            pass
    raise LinkError(f"“{text}” is no link: name serial:/dev/ttyUSB0 or tcp://HOST:PORT.")


class Wire(Protocol):
    """Bytes to and fro."""

    def read(self, timeout_s: float) -> bytes:
        """What has arrived, at least after so long; empty where nothing has. Raises LinkError where it is lost."""

    def write(self, data: bytes) -> None:
        """Send all. Raises LinkError where it is lost."""

    def close(self) -> None:
        """Close it; again does nothing."""


class SerialWire:
    """A serial line.

    Raises:
        LinkError: it is not there, busy, or not allowed.
    """

    def __init__(self, address: LinkAddress) -> None:
        self._where = str(address)
        try:
            self._port = serial.Serial(address.place, address.number, timeout=0.05, write_timeout=1.0, exclusive=True)
        except serial.SerialException as error:
            raise LinkError(_why_not(address, error)) from None
        except (ValueError, OSError) as error:
            raise LinkError(f"{address} cannot be opened: {error}.") from None

    def read(self, timeout_s: float) -> bytes:
        """As `Wire.read`."""
        try:
            self._port.timeout = timeout_s
            first = bytes(self._port.read(1))
            return first + bytes(self._port.read(min(self._port.in_waiting, _MOST))) if first else b""
        except (OSError, TypeError) as error:  # serial.SerialException is an OSError; closed meanwhile: TypeError
            raise LinkError(f"{self._where} is lost: {_short(error)}. Look at the cable.") from None

    def write(self, data: bytes) -> None:
        """As `Wire.write`."""
        try:
            self._port.write(data)
        except (OSError, TypeError) as error:
            raise LinkError(f"{self._where} is lost: {_short(error)}. Look at the cable.") from None

    def close(self) -> None:
        """As `Wire.close`."""
        self._port.close()


def _why_not(address: LinkAddress, error: serial.SerialException) -> str:
    """Why a serial line cannot be opened."""
    place = Path(address.place)
    number = getattr(error, "errno", None)
    if number == errno.ENOENT or not place.exists():
        return f"{address.place} is not there: is the board plugged in? `ls /dev/tty*` lists what is."
    if number == errno.EACCES or not os.access(place, os.R_OK | os.W_OK):
        group = grp.getgrgid(place.stat().st_gid).gr_name
        return (
            f"{address.place} may not be opened: it belongs to the group {group}. Add yourself to it "
            f"(sudo usermod -aG {group} $USER) and log in again."
        )
    if number in (errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK) or "lock" in str(error).lower():
        return f"{address.place} is busy: another program has it open. Close that one first."
    return f"{address.place} cannot be opened: {_short(error)}."


def _short(error: BaseException) -> str:
    return str(getattr(error, "strerror", None) or error).strip().rstrip(".")


class TcpWire:
    """TCP.

    Raises:
        LinkError: nobody is there, or it is refused.
    """

    def __init__(self, address: LinkAddress) -> None:
        self._where = str(address)
        try:
            self._socket = socket.create_connection((address.place, address.number), timeout=_CONNECT_S)
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        except ConnectionRefusedError:
            raise LinkError(f"{address}: nobody listens there. Is the device on, and the port right?") from None
        except (OSError, UnicodeError, OverflowError) as error:
            raise LinkError(f"{address} cannot be reached: {_short(error)}.") from None

    def read(self, timeout_s: float) -> bytes:
        """As `Wire.read`."""
        try:
            self._socket.settimeout(max(timeout_s, 1e-3))
            data = self._socket.recv(_MOST)
        except TimeoutError:
            return b""
        except OSError as error:
            raise LinkError(f"{self._where} is lost: {_short(error)}.") from None
        if not data:
            raise LinkError(f"{self._where} is lost: the other side has closed it.")
        return data

    def write(self, data: bytes) -> None:
        """As `Wire.write`."""
        try:
            self._socket.settimeout(1.0)
            self._socket.sendall(data)
        except OSError as error:
            raise LinkError(f"{self._where} is lost: {_short(error)}.") from None

    def close(self) -> None:
        """As `Wire.close`."""
        with contextlib.suppress(OSError):  # the other side has closed it
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


def open_wire(address: LinkAddress) -> Wire:
    """Open a link. Raises LinkError."""
    return SerialWire(address) if address.kind == "serial" else TcpWire(address)
