"""The made-up projects that ship with Kelvarn, each a function that builds one, with its logs."""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.model.project import Project

from .cure_cabinet import cure_cabinet
from .enamelling_kiln import enamelling_kiln
from .heatsink_fan import heatsink_fan
from .lemon_shed import lemon_shed
from .tempering_bowl import tempering_bowl
from .wax_pot import wax_pot


@dataclass(frozen=True)
class Demo:
    """A demo project: its name on the command line, what it shows in a line and in few words, and what builds it."""

    name: str
    line: str
    brief: str
    build: Callable[[], Project]

    @property
    def title(self) -> str:
        """The name as people write it."""
        return self.name.replace("-", " ").capitalize()


DEMOS = (
    Demo(
        "cure-cabinet", "a resin cure cabinet: on/off, P, PI and PID, through a cold start, a door and a cold night",
        "PID, door, cold night", cure_cabinet,
    ),
    Demo(
        "heatsink-fan", "an amplifier's heatsink: two fan curves against PI, a guard probe",
        "steps, ramp, quiet PI", heatsink_fan,
    ),
    Demo("tempering-bowl", "a chocolate bowl: heats and cools through a plan", "heats, cools, a plan", tempering_bowl),
    Demo(
        "wax-pot", "a candle-wax pot: stored heat, a melting plateau, a relay and its life", "stored heat, a relay",
        wax_pot,
    ),
    Demo(
        "lemon-shed", "a shed of lemon trees: frost guard by times of day, permits, a probe that fails in the night",
        "frost, hours, permits", lemon_shed,
    ),
    Demo(
        "enamelling-kiln", "a kiln at 820 °C: radiation, a thermocouple, the door while it is hot",
        "radiation, the door hot", enamelling_kiln,
    ),
)  # fmt: skip
"""All demos; the first is the main one."""


def find_demo(name: str) -> Demo:
    """The demo of a name; KeyError where there is none."""
    return {demo.name: demo for demo in DEMOS}[name]
