"""The commands `share`, `unpack`, `pack` and `diff`: copies of a project, and what differs between two."""

from pathlib import Path
from typing import Annotated

import typer

from kelvarn.files.comparing import differences
from kelvarn.files.faults import printable
from kelvarn.files.folder import pack as packed
from kelvarn.files.folder import unpack as unpack_into
from kelvarn.files.project_file import SUFFIX, load, save

from .common import File, Json, check_free, print_json

app = typer.Typer()


@app.command()
def share(
    file: File,
    out: Annotated[Path, typer.Argument(help="The copy, *.kelvarn.")],
    remove: Annotated[list[str] | None, typer.Option(help="A word to leave out; repeatable.")] = None,
) -> None:
    """Make a copy to share: without free text, addresses, places, secrets, names of people; says what was left out."""
    from kelvarn.files.sharing import shared, words_of_this_computer

    check_free(out, (SUFFIX,))
    made = shared(load(file), (*(remove or ()), *words_of_this_computer()))
    save(made.project, out)
    left = ", ".join(f"{count} × {what}" for what, count in made.left_out.most_common() if count) or "nothing"
    print(f"Left out: {left}.")
    print(f"Names that stay, to be looked at: {printable('; '.join(made.stays))}.")
    print("Temperatures, times of day and sizes stay: they are what is shared.")


@app.command()
def unpack(
    file: File, folder: Annotated[Path, typer.Argument(help="A folder; it may hold this project already.")]
) -> None:
    """Unpack a project into a folder that a version control shows well."""
    unpack_into(load(file), folder)
    print(f"unpacked into {printable(folder)}")


@app.command()
def pack(
    folder: Annotated[Path, typer.Argument(help="A folder that a project was unpacked into.")],
    file: Annotated[Path, typer.Argument(help="The project file, *.kelvarn.")],
) -> None:
    """Pack a folder into a project file again."""
    check_free(file, (SUFFIX,))
    save(packed(folder), file)
    print(f"packed into {printable(file)}")


@app.command()
def diff(
    file: File,
    other: Annotated[Path, typer.Argument(help="Another version: a file, or a folder of one.")],
    as_json: Json = False,
) -> None:
    """Say what differs between two versions of a project: rig, settings, trials, wiring, and what comes of it."""
    one, two = load(file), packed(other) if other.is_dir() else load(other)
    found = differences(one, two)
    results = []
    if any(each.area in ("rig", "settings", "trials") for each in found):
        from kelvarn.studies.versions import results_that_differ

        results = [each._asdict() for each in results_that_differ(one, two)]
    if as_json:
        print_json("diff", {
            "differences": [each._asdict() for each in found], "results": results,
        }, one)  # fmt: skip
        return
    if not found:
        print("They do not differ.")
    area = ""
    for each in found:
        if each.area != area:
            area = each.area
            print(f"{area}:")
        print(f"  {printable(each.where)}: {printable(each.one) or '–'} → {printable(each.other) or '–'}")
    if results:
        print("what comes of it:")
    for row in results:
        print(
            f"  {printable(row['candidate'])} on {printable(row['trial'])}, {row['measure']}: {row['one']} → "
            f"{row['other']}"
        )
