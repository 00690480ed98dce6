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

from .carry import Carried, Real
from .checks import Prover
from .proof_records import Proof


def prove(
    project: Project, candidate: Candidate, trial: Trial, real: Real = "double",
    go_on: Callable[[float], bool] = lambda _share: True,
) -> Proof:  # fmt: skip
    """Prove a candidate's program on this computer.

    Args:
        project, candidate, trial: what is carried over.
        real: what its numbers are.
        go_on: told the share that is done; False stops, and what is left is said to be left.

    Raises:
        HandoverError: the candidate cannot be carried over, there is no compiler, or it refuses.
    """
    with tempfile.TemporaryDirectory(prefix="kelvarn-") as folder:
        return Prover(Carried(project, candidate, trial, real), Path(folder)).prove(go_on)
