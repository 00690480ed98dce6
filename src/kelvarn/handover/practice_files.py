"""The files of a program for a practice rig: it is run here, its pins in a rig that is not there."""

from .board_files import render, swaps
from .carry import Carried
from .files import program_files
from .maker import input_lines
from .python_files import input_lines_in_python, program_in_python

_SAID = {"reset": "reset_pressed", "week_ms": "week_ms", "price": "(real)price", "price_known": "price_known"}


def practice_files(carried: Carried) -> dict[str, str]:
    """Files in C by name, to be made a library of.

    Raises:
        HandoverError: the candidate cannot be carried over.
    """
    rig = carried.project.rig
    board = render(
        "board_practice.c.jinja", probes=len(rig.probes), outputs=len(rig.drives), permits=len(rig.permits),
        inputs=list(input_lines(carried, _SAID, "gone_ms({0})")), swaps=swaps(rig),
    )  # fmt: skip
    return {**program_files(carried, "practice"), "board_practice.c": board}


def practice_files_in_python(carried: Carried) -> dict[str, str]:
    """The same in Python, where there is no compiler. Raises as `practice_files` does."""
    rig = carried.project.rig
    own = {name: f"Here.{name}" for name in ("week_ms", "price", "price_known")} | {"reset": "Here.reset_pressed"}
    board = render(
        "board_practice.py.jinja", probes=len(rig.probes), drives=len(rig.drives), permits=len(rig.permits),
        inputs=list(input_lines_in_python(carried, own, lambda row: f"gone_ms({row})")), swaps=swaps(rig),
    )  # fmt: skip
    return {**program_in_python(carried, "practice"), "board.py": board}
