"""The commands `handover` and `prove`: what goes into the device, and with it; imported when they run."""

import sys
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast

import typer

from kelvarn.engine.run import current_go_on
from kelvarn.files.faults import printable
from kelvarn.files.project_file import load
from kelvarn.files.writing import write_text
from kelvarn.model.candidate import Candidate
from kelvarn.model.names import check_known
from kelvarn.model.project import Project
from kelvarn.units import Scale

from .common import (
    CandidateName,
    Chosen,
    File,
    Json,
    TrialName,
    candidate_named,
    check_free,
    print_json,
    progress,
    replaces,
    trial_named,
)

if TYPE_CHECKING:
    from kelvarn.handover.proof_records import Check, Difference, Proof

app = typer.Typer()

_PROGRAMS = {
    "c99": ("simulated", "maker8", "maker32"), "micropython": ("micropython", "simulated"),
    "python": ("linux", "simulated"),
}  # fmt: skip
"""Languages of programs, and the boards of each; the first where none is named."""
_GOES_TO = ("sheet", "user", "settings", "bought", *_PROGRAMS)
_NUMBERS = {"64": "double", "32": "float"}
Numbers = Annotated[str, typer.Option(help="Bits of the numbers in C: 64, or 32 for small chips.")]


@app.command()
def handover(
    file: File,
    out: Annotated[Path, typer.Option(help="Where: .html or .pdf; of settings .json; of a program a new folder.")],
    what: Annotated[
        str,
        typer.Option("--for", help="sheet, user (its page), bought (to type), settings; or c99, micropython, python."),
    ] = "sheet",
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    numbers: Numbers = "64",
    board: Annotated[
        str | None, typer.Option(help="Of c99: simulated, maker8, maker32; of micropython and python: simulated too.")
    ] = None,
) -> None:
    """Write what goes with the machine: the sheet, the page for its user, settings as JSON, or the program in C."""
    check_known((what,), _GOES_TO, "handover")
    project = load(file)
    law = candidate_named(project, candidate, chosen or candidate is None)
    if what in _PROGRAMS:
        board = board or _PROGRAMS[what][0]
        check_known((board,), _PROGRAMS[what], "board")
        _write_program(project, law, trial, (what, numbers, board), out)
        return
    check_free(out, (".json",) if what == "settings" else (".html", ".pdf"))
    from kelvarn.handover.settings import settings_text

    if what == "settings":
        write_text(out, settings_text(project, law, project.first_trial))
    else:
        with progress("computing what it says"):
            html = _bought_page(project, law) if what == "bought" else _page_of(project, law, user=what == "user")
        if out.suffix.lower() == ".pdf":
            from kelvarn.desktop.stations.report import write_pdf

            write_pdf(html, out)
        else:
            write_text(out, html)
    print(f"Written to {printable(out)}.", file=sys.stderr)


def _page_of(project: Project, candidate: Candidate, *, user: bool) -> str:
    """The sheet, or the page for who uses the machine, with all trials and failures computed."""
    from kelvarn.handover.sheet import sheet_html
    from kelvarn.handover.user_page import user_page_html
    from kelvarn.studies.all_trials import failures_of_all, results_of_all

    scale = project.scale or Scale.CELSIUS
    asked = (project.rig, candidate.controller, project.trials, current_go_on() or (lambda _: True))
    results, failures = results_of_all(*asked), failures_of_all(*asked)
    page = user_page_html if user else sheet_html
    return page(project, candidate.name, results, failures, scale, date.today())


def _bought_page(project: Project, candidate: Candidate) -> str:
    """The numbers to type into a controller that was bought, with what rounding costs on all trials."""
    from kelvarn.handover.bought import bought_html, held, run_held
    from kelvarn.studies.all_trials import results_of_all

    go_on = current_go_on() or (lambda _: True)
    tried = results_of_all(project.rig, candidate.controller, project.trials, go_on)
    typed = run_held(held(project, candidate, project.bought), go_on)
    return bought_html(project, candidate, tried, typed, project.scale or Scale.CELSIUS, date.today())


def _write_program(
    project: Project, candidate: Candidate, trial: str | None, kind: tuple[str, str, str], out: Path
) -> None:
    """Write a program's files into a folder of their own; its kind: language, bits of its numbers, board."""
    from kelvarn.handover.carry import Carried
    from kelvarn.handover.writing import all_files, write_program

    language, numbers, board = kind
    carried = Carried(project, candidate, trial_named(project, trial), _real(numbers))
    written: Any = "c99" if language == "c99" else "python"
    files = all_files(carried, cast(Any, board), date.today(), project.scale or Scale.CELSIUS, written)
    write_program(files, project.units, out, replace=replaces.get())
    print(f"Written to {printable(out)}: {', '.join(sorted(files))}.", file=sys.stderr)


def _real(numbers: str) -> Any:
    check_known((numbers,), tuple(_NUMBERS), "number of bits")
    return _NUMBERS[numbers]


@app.command()
def prove(
    file: File,
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    on: Annotated[str, typer.Option(help="Where: host (C, here), avr, cortex-m, micropython, python.")] = "host",
    numbers: Numbers = "64",
    as_json: Json = False,
) -> None:
    """Prove that the program decides what was tried: all it can meet, put through it and the engine; 1: it differs."""
    from kelvarn.handover.places import PLACES

    check_known((on,), tuple(PLACES), "place")
    project = load(file)
    law, asked = candidate_named(project, candidate, chosen or candidate is None), trial_named(project, trial)
    from kelvarn.handover.proof import prove as proved

    with progress("proving") as tell:
        proof = proved(project, law, asked, _real(numbers), tell, (on,))
    if as_json:
        print_json("prove", _proof_json(proof), project)
    else:
        print(proof_text(proof))
    if proof.differs:
        raise typer.Exit(1)


def proof_text(proof: "Proof") -> str:
    """A proof as text, a line for each check."""
    lines = [proof.verdict()]
    for check in proof.checks:
        off = f", numbers off by {check.found.largest:.1g} at most" if check.found.largest else ""
        said = check.left or f"{check.text}: {check.found.samples:,} decisions, {check.found.differing:,} differ{off}"
        lines.append(f"  {check.name}: {said}")
        if check.says:
            lines.append(f"    {check.says}")
    lines += [f"  Measured: {each.text}" for each in proof.measured]
    if proof.on == ("host",):
        lines.append(f"  Not reached: {len(proof.not_reached)} of {proof.lines} lines of control.c")
    lines += [f"    {line}" for line in proof.not_reached]
    return "\n".join(lines)


def _proof_json(proof: "Proof") -> dict[str, Any]:
    from kelvarn.handover.carry import BITS

    return {
        "candidate": proof.candidate,
        "trial": proof.trial,
        "on": list(proof.on),
        "verdict": proof.verdict(),
        "numbers": BITS[proof.real],
        "differing": proof.differing,
        "decisions": proof.samples,
        "checks": [_check_json(check) for check in proof.checks],
        "measured": [asdict(each) for each in proof.measured],
        "not_reached": list(proof.not_reached),
        "lines": proof.lines,
    }


def _check_json(check: "Check") -> dict[str, Any]:
    return {
        "name": check.name,
        "put_through": check.what,
        "decisions": check.found.samples,
        "differing": check.found.differing,
        "largest": check.found.largest,
        "left_because": check.left or None,
        "first": None if check.found.first is None else _difference_json(check.found.first),
    }


def _difference_json(first: "Difference") -> dict[str, Any]:
    return {key: value for key, value in asdict(first).items() if key != "around"}


@app.command()
def wiring(
    file: File,
    out: Annotated[Path, typer.Option(help="A new folder: the drawing, the terminals, what to buy.")],
    as_json: Json = False,
) -> None:
    """Say how it is wired: a table of terminals, warnings with numbers, parts to buy, the drawing."""
    from kelvarn.handover.wiring.circuit import circuit_of
    from kelvarn.handover.wiring.files import wiring_files
    from kelvarn.handover.wiring.parts_list import parts_list
    from kelvarn.handover.wiring.terminals import terminals
    from kelvarn.handover.wiring.warnings import warnings_of
    from kelvarn.handover.writing import write_files

    project = load(file)
    circuit = circuit_of(project)
    warned = warnings_of(circuit)
    write_files(wiring_files(circuit), out)
    if as_json:
        print_json("wiring", {
            "board": circuit.board.title, "warnings": [f"{each.part}: {each.text}" for each in warned],
            "switches": [
                {"name": each.drive.name, "pin": each.pin, "current_A": each.amperes, "switch_W": each.watts,
                 "switch_degC": each.degC, "lead_A": each.lead_A, "lead_drop_V": each.lead_drop_V}
                for each in circuit.switched
            ],
            "to_buy": [each._asdict() for each in parts_list(circuit)],
            "terminals": [each._asdict() for each in terminals(circuit)],
        }, project)  # fmt: skip
        return
    for each in warned:
        print(f"look  {printable(each.part)}: {printable(each.text)}")
    for part in parts_list(circuit):
        print(f"{printable(part.what)}: {printable(part.stands)} ({printable(part.why)})")
    print(f"written to {printable(out)}")
