"""Wires to devices: a serial line, TCP. What is wrong with one is said in a sentence, with what to do."""

import contextlib
import errno
import grp
import os
import socket
from pathlib import Path
from typing import Protocol

import serial

from kelvarn.sentence import say

from .address import LinkAddress
from .faults import LinkError
from .spoken import SpokenWire

_LOOKS_S = 0.1
_CONNECT_S = 3.0
_MOST = 4096


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
            raise LinkError(say("{address} cannot be opened: {error}.", address=address, error=error)) from None

    def read(self, timeout_s: float) -> bytes:
        """As `Wire.read`."""
        try:
            self._port.timeout = timeout_s
            first = bytes(self._port.read(1))
            return first + bytes(self._port.read(min(self._port.in_waiting, _MOST))) if first else b""
        except (OSError, TypeError) as error:  # serial.SerialException is an OSError; closed meanwhile: TypeError
            raise LinkError(
                say("{where} is lost: {short}. Look at the cable.", where=self._where, short=_short(error))
            ) from None

    def write(self, data: bytes) -> None:
        """As `Wire.write`."""
        try:
            self._port.write(data)
        except (OSError, TypeError) as error:
            raise LinkError(
                say("{where} is lost: {short}. Look at the cable.", where=self._where, short=_short(error))
            ) from None

    def close(self) -> None:
        """As `Wire.close`."""
        self._port.close()


def _why_not(address: LinkAddress, error: serial.SerialException) -> str:
    """Why a serial line cannot be opened."""
    place = Path(address.place)
    number = getattr(error, "errno", None)
    if number == errno.ENOENT or not place.exists():
        return say("{place} is not there: is the board plugged in? `ls /dev/tty*` lists what is.", place=address.place)
    if number == errno.EACCES or not os.access(place, os.R_OK | os.W_OK):
        group = grp.getgrgid(place.stat().st_gid).gr_name
        return say(
            "{place} may not be opened: it belongs to the group {group}. Add yourself to it "
            "(sudo usermod -aG {group} $USER) and log in again.",
            place=address.place, group=group,
        )  # fmt: skip
    if number in (errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK) or "lock" in str(error).lower():
        return say("{place} is busy: another program has it open. Close that one first.", place=address.place)
    return say("{address} cannot be opened: {error}.", address=address.place, error=_short(error))


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
        except ConnectionRefusedError:
            raise LinkError(
                say("{address}: nobody listens there. Is the device on, and the port right?", address=address)
            ) from None
        except (OSError, UnicodeError, OverflowError) as error:
            raise LinkError(
                say("{address} cannot be reached: {short}.", address=address, short=_short(error))
            ) from None
        with contextlib.suppress(OSError):  # it is gone again: the first reading says so
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def read(self, timeout_s: float) -> bytes:
        """As `Wire.read`."""
        try:
            self._socket.settimeout(max(timeout_s, 1e-3))
            data = self._socket.recv(_MOST)
        except TimeoutError:
            return b""
        except OSError as error:
            raise LinkError(say("{where} is lost: {short}.", where=self._where, short=_short(error))) from None
        if not data:
            raise LinkError(say("{where} is lost: the other side has closed it.", where=self._where))
        return data

    def write(self, data: bytes) -> None:
        """As `Wire.write`."""
        try:
            self._socket.settimeout(1.0)
            self._socket.sendall(data)
        except OSError as error:
            raise LinkError(say("{where} is lost: {short}.", where=self._where, short=_short(error))) from None

    def close(self) -> None:
        """As `Wire.close`."""
        with contextlib.suppress(OSError):  # the other side has closed it
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


def open_wire(address: LinkAddress) -> Wire:
    """Open a link. Raises LinkError."""
    if address.kind == "serial":
        return SerialWire(address)
    if address.kind == "tcp":
        return TcpWire(address)
    if address.kind == "modbus-rtu" and not Path(address.place).exists():
        raise LinkError(
            say("{place} is not there: is the board plugged in? `ls /dev/tty*` lists what is.", place=address.place)
        )
    if address.map:
        from .foreign_links import ForeignBroker, ForeignBus  # none of these is needed by most

        is_broker = address.kind.startswith("mqtt")
        return SpokenWire(ForeignBroker(address) if is_broker else ForeignBus(address), _LOOKS_S)
    if address.kind.startswith("mqtt"):
        from .broker_source import BrokerSource

        return SpokenWire(BrokerSource(address), _LOOKS_S)
    from .bus import BusSource

    return SpokenWire(BusSource(address), _LOOKS_S)
