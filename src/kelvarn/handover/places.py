"""Where a program can be put through its proof: here, on chips, in Python."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from .carry import Carried
from .chips import build_for, lacking
from .pythons import build_python, lacking_python
from .toolchain import Runs, build


class Place(NamedTuple):
    """A place.

    Attributes:
        lacking: why nothing can be proved there, in a sentence; empty where it can.
        build: makes a program that runs there, with its files in a folder; raises HandoverError.
    """

    lacking: Callable[[], str]
    build: Callable[[Carried, Path], Runs]


PLACES: dict[str, Place] = {
    "host": Place(lambda: "", build),
    **{chip: Place(partial(lacking, chip), partial(build_for, chip)) for chip in ("avr", "cortex-m")},
    **{name: Place(partial(lacking_python, name), partial(build_python, name)) for name in ("micropython", "python")},
}
"""All places by name, this computer first."""
