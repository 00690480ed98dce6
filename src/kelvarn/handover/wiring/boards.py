"""Pins of boards and what each can: by their data sheets, of the common boards of each kind."""

from dataclasses import dataclass
from typing import Literal

from kelvarn.model.wiring import BOARD_WORDS, WiringBoard

Can = Literal["out", "pwm", "analog", "in"]


@dataclass(frozen=True)
class Pin:
    """A pin.

    Attributes:
        name: as it is printed.
        can: what it can.
        at_start: what it does in reset and while the boot loader runs, in words; empty where it floats.
    """

    name: str
    can: frozenset[Can]
    at_start: str = ""


@dataclass(frozen=True)
class Board:
    """A kind of board.

    Attributes:
        title: as it is offered.
        logic_V: what a pin gives when high.
        pin_mA: what a pin may give for long.
        pins: all that may be used.
        pwm_Hz: of its pins, where nothing else is set.
        analog_bits: of its converter.
        starts_s: how long its pins float at a start.
    """

    title: str
    logic_V: float
    pin_mA: float
    pins: tuple[Pin, ...]
    pwm_Hz: float
    analog_bits: int
    starts_s: float

    def pin(self, name: str) -> Pin | None:
        """A pin by its name."""
        return next((pin for pin in self.pins if pin.name == name), None)


def _pins(names: str, *can: Can, at_start: str = "") -> tuple[Pin, ...]:
    return tuple(Pin(name, frozenset(can), at_start) for name in names.split())


_SERIAL = "it carries what the boot loader says"
BOARD_PINS: dict[WiringBoard, Board] = {
    "maker8": Board(
        BOARD_WORDS["maker8"], 5.0, 20.0,
        (*_pins("3 5 6 9 10 11", "out", "in", "pwm"), *_pins("2 4 7 8 12", "out", "in"),
         *_pins("13", "out", "in", at_start="its lamp flashes with the boot loader"),
         *_pins("0 1", "out", "in", at_start=_SERIAL), *_pins("A0 A1 A2 A3 A4 A5", "out", "in", "analog")),
        490.0, 10, 2.0,
    ),
    "maker32": Board(
        BOARD_WORDS["maker32"], 3.3, 6.0,
        (*_pins("3 5 6 9 10 11", "out", "in", "pwm"), *_pins("2 4 7 8 12", "out", "in"),
         *_pins("13", "out", "in", at_start="its lamp flashes with the boot loader"),
         *_pins("0 1", "out", "in", at_start=_SERIAL), *_pins("A0 A1 A2 A3 A4 A5", "out", "in", "analog")),
        730.0, 12, 2.0,
    ),
    "micropython": Board(
        BOARD_WORDS["micropython"], 3.3, 8.0,
        (*_pins("2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22", "out", "in", "pwm"),
         *_pins("0 1", "out", "in", at_start=_SERIAL), *_pins("26 27 28", "out", "in", "pwm", "analog")),
        1000.0, 12, 3.0,
    ),
    "linux": Board(
        BOARD_WORDS["linux"], 3.3, 8.0,
        (*_pins("12 13 18 19", "out", "in", "pwm"), *_pins("4 5 6 16 17 20 21 22 23 24 25 26 27", "out", "in"),
         *_pins("2 3", "out", "in", at_start="it is held high by the board"),
         *_pins("14 15", "out", "in", at_start=_SERIAL), *_pins("AIN0 AIN1 AIN2 AIN3", "analog")),
        100.0, 16, 40.0,
    ),
}  # fmt: skip
"""Boards by name."""
