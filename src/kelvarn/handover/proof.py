"""The proof that a program decides what was tried: everything it can meet, put through it and through the engine.

Each check makes rows for the simulated board and compares, at each sample, what the program tells with what the engine
decides in its place (`twin.py`): setpoint, drive asked and given, law, guard and alarm code, trips, the level of each
output, the contactors.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path

from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import say

from .board_on_chip import try_board
from .carry import Carried, Real
from .checks import Prover
from .faults import HandoverError
from .places import PLACES
from .proof_records import Check, Compared, Measured, Proof
from .toolchain import ProgramError


def prove(
    project: Project, candidate: Candidate, trial: Trial, real: Real = "double",
    go_on: Callable[[float], bool] = lambda _share: True, on: tuple[str, ...] = ("host",),
) -> Proof:  # fmt: skip
    """Prove a candidate's program.

    Args:
        project, candidate, trial: what is carried over.
        real: what its numbers are.
        go_on: told the share that is done; False stops, and what is left is said to be left.
        on: of `PLACES`; a chip that comes after another place and cannot be had is said to be left.

    Raises:
        HandoverError: the candidate cannot be carried over, there is no compiler, or it refuses.
    """
    carried, checks, missed = Carried(project, candidate, trial, real), list[Check](), list[str]()
    measured: list[Measured] = []
    for place, where in enumerate(on):
        if place and (missing := PLACES[where].lacking()):
            checks.append(Check(where, left=missing))
            continue
        with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
            prover = Prover(carried, Path(folder), where)
            checks += prover.prove(lambda share, done=place: go_on((done + share) / len(on)))  # type: ignore[misc]
            missed += prover.not_reached()
            measured += prover.measured()
            if where == "avr":
                checks.append(_board(carried, Path(folder) / "board"))
    if on == ("host",):
        checks.append(Check(say("on a chip"), left=say("It ran on this computer only: choose a chip.")))
    return Proof(
        carried.fingerprint, candidate.name, trial.name, real, tuple(checks), tuple(missed),
        len(carried.sources.body.splitlines()), tuple(measured), on,
    )  # fmt: skip


def _board(carried: Carried, folder: Path) -> Check:
    """Its board file on the chip; where the rig needs what the board has not, that is said."""
    try:
        return try_board(carried, folder)
    except HandoverError as error:
        return Check("avr: the board file", left=str(error))
    except ProgramError as error:
        return Check("avr: the board file", str(error), Compared(differing=1))
