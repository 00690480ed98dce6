"""Writes a program's files into a folder of their own."""

from datetime import date
from pathlib import Path

from kelvarn.files.faults import FileError, printable
from kelvarn.files.writing import write_text
from kelvarn.units import Scale

from .board_files import BOARDS, BoardName, simulated
from .carry import Carried
from .files import program_files, readme
from .maker import maker_files
from .python_files import python_files


def all_files(
    carried: Carried, board: BoardName, today: date, scale: Scale, *, in_python: bool = False
) -> dict[str, str]:
    """The files of a program by name, what goes with them too.

    Args:
        carried: the program.
        board: that it goes into.
        today: when it is made.
        scale: that its sentences speak in.
        in_python: whether the board that is not there is asked for in Python.

    Raises:
        HandoverError: the candidate cannot be carried over, or needs what the board does not have.
    """
    in_python = in_python or BOARDS[board].language == "python"
    if in_python:
        files = python_files(carried, board)
    else:
        of_board = {"board_simulated.c": simulated(carried)} if board == "simulated" else maker_files(carried, board)
        files = {**program_files(carried), **of_board}
    return {**files, "README.md": readme(carried, board, today, scale, in_python=in_python)}


def write_files(files: dict[str, str], folder: Path, *, replace: bool = False) -> None:
    """Write files into a folder, which is made.

    Args:
        files: by name.
        folder: where.
        replace: whether it may have something in it; files of the same names are replaced.
            A sketch gets the name of its folder, which the tool of maker boards asks for.

    Raises:
        FileError: there is something in it, or it cannot be written.
    """
    if folder.exists() and not folder.is_dir():
        raise FileError(f"{printable(folder)} is a file; name a new folder.")
    if folder.is_dir() and any(folder.iterdir()) and not replace:
        raise FileError(f"{printable(folder)} is not empty, and files are never mixed; name a new folder.")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{printable(folder)} cannot be made: {error.strerror}.") from None
    for name, text in files.items():
        write_text(folder / (f"{folder.name}.ino" if name.endswith(".ino") else name), text)
