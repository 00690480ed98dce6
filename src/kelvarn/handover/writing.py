"""Writes a program's files into a folder of their own."""

from collections.abc import Sequence
from datetime import date
from pathlib import Path

from kelvarn.files.faults import FileError, printable
from kelvarn.files.writing import file_stem, write_text
from kelvarn.model.handed import Unit
from kelvarn.sentence import say
from kelvarn.units import Scale

from .board_files import BOARDS, BoardName, Language, simulated
from .carry import Carried
from .files import program_files, readme
from .maker import c_text, maker_files
from .points import points_of
from .python_files import python_files
from .register_map import as_csv, as_json, register_map


def all_files(
    carried: Carried, board: BoardName, today: date, scale: Scale, language: Language | None = None
) -> dict[str, str]:
    """The files of a program by name, what goes with them too.

    Args:
        carried: the program.
        board: that it goes into.
        today: when it is made.
        scale: that its sentences speak in.
        language: of the program; None for that of the board.

    Raises:
        HandoverError: the candidate cannot be carried over, or needs what the board does not have.
    """
    language = language or BOARDS[board].language
    if language == "python":
        files = python_files(carried, board)
    else:
        of_board = {"board_simulated.c": simulated(carried)} if board == "simulated" else maker_files(carried, board)
        rows = register_map(points_of(carried))
        maps = {"register-map.csv": as_csv(rows), "register-map.json": as_json(rows)}
        files = {**program_files(carried, board), **of_board, **maps}
    return {**files, "README.md": readme(carried, board, today, scale, language)}


def unit_file(unit: Unit, language: Language) -> tuple[str, str]:
    """The file that tells a device from others that are made alike: its name and its text."""
    lines = (("UNIT_NAME", c_text(unit.name)), ("UNIT_ADDRESS", c_text(unit.address)))
    if language == "python":
        return "unit.py", "".join(f'{name} = "{text}"\n' for name, text in lines)
    return "unit.h", "".join(f'#define {name} "{text}"\n' for name, text in lines)


def write_program(files: dict[str, str], units: Sequence[Unit], folder: Path, *, replace: bool = False) -> None:
    """Write a program's files into a folder; of several units each into a folder of its own in it.

    Args:
        files: by name.
        units: that are made alike; empty for one that has no name.
        folder: where; it is made.
        replace: as for `write_files`.

    Raises:
        FileError: as for `write_files`; and where two units would have the same folder.
    """
    if not units:
        write_files(files, folder, replace=replace)
        return
    language: Language = "python" if "control.py" in files else "c99"
    stems = [file_stem(unit.name) for unit in units]
    for stem in stems:
        if stems.count(stem) > 1:
            raise FileError(say("Two units would have the folder {stem}: give one of them another name.", stem=stem))
    write_files({}, folder, replace=replace)
    for unit, stem in zip(units, stems, strict=True):
        name, text = unit_file(unit, language)
        write_files({**files, name: text}, folder / stem, replace=replace)


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
        raise FileError(say("{file} is a file; name a new folder.", file=printable(folder)))
    if folder.is_dir() and any(folder.iterdir()) and not replace:
        raise FileError(
            say("{folder} is not empty, and files are never mixed; name a new folder.", folder=printable(folder))
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(say("{folder} cannot be made: {why}.", folder=printable(folder), why=error.strerror)) from None
    for name, text in files.items():
        write_text(folder / (f"{folder.name}.ino" if name.endswith(".ino") else name), text)
