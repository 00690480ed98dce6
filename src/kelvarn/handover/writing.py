"""Writes a program's files into a folder of their own."""

from datetime import date
from pathlib import Path

from kelvarn.files.faults import FileError, printable
from kelvarn.files.writing import write_text
from kelvarn.units import Scale

from .board_files import BoardName, simulated
from .carry import Carried
from .files import program_files, readme
from .maker import maker_files


def all_files(carried: Carried, board: BoardName, today: date, scale: Scale) -> dict[str, str]:
    """The files of a program by name, for a board, what goes with them too. Raises as `program_files` does."""
    of_board = {"board_simulated.c": simulated(carried)} if board == "simulated" else maker_files(carried, board)
    return {**program_files(carried), **of_board, "README.md": readme(carried, board, today, scale)}


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
