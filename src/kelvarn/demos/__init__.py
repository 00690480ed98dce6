"""The made-up projects that ship with Kelvarn, each a function that builds one. Imports `model` and above only."""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.model.project import Project

from .cure_cabinet import cure_cabinet


@dataclass(frozen=True)
class Demo:
    """A demo project: its name on the command line, one line on what it shows, and what builds it."""

    name: str
    line: str
    build: Callable[[], Project]


DEMOS = (
    Demo(
        "cure-cabinet",
        "a resin cure cabinet: on/off against PID, through a cold start, a door and a cold night",
        cure_cabinet,
    ),
)
"""All demos; the first is the main one."""


def find_demo(name: str) -> Demo:
    """The demo of a name; KeyError where there is none."""
    return {demo.name: demo for demo in DEMOS}[name]
