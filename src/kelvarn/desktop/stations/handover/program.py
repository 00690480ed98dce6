"""The program that goes into a board of one's own, made beside the window, and what its proof found."""

from dataclasses import dataclass
from datetime import date

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.run import current_go_on
from kelvarn.handover.board_files import BOARDS, BoardName
from kelvarn.handover.carry import Carried, Real
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.proof import prove
from kelvarn.handover.proof_records import Proof
from kelvarn.handover.writing import all_files
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Scale

FILES, PROOF = "handover: files", "handover: proof"
Files = dict[str, str]


@dataclass(frozen=True)
class _Asked:
    project: Project
    candidate: Candidate
    trial: Trial
    real: Real
    board: BoardName

    @property
    def carried(self) -> Carried:
        return Carried(self.project, self.candidate, self.trial, self.real)


class Program(QObject):
    """What is known of a candidate's program.

    Args:
        jobs: makes and proves it.

    Signals:
        updated: more is known.

    Attributes:
        files: by name; a sentence on why there are none; None while they are made.
        proof: what was found last, or why nothing was; None where it was never proved.
        real: what its numbers are.
        board: that it goes into.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._asked: _Asked | None = None
        self._proved: _Asked | None = None
        self.files: Files | str | None = None
        self.proof: Proof | str | None = None
        self.real: Real = "double"
        self.board: BoardName = "simulated"

    def request(self, project: Project, candidate: Candidate, trial: Trial, scale: Scale) -> None:
        """Ask for the files of a candidate, where it, the rig or the trial are others."""
        wanted = _Asked(project, candidate, trial, self.real, self.board)
        if wanted == self._asked:
            return
        self._asked, self.files = wanted, None  # those of another state are not to be written
        self._jobs.start(FILES, lambda: _made(wanted, scale), self._take_files)

    @property
    def is_old(self) -> bool:
        """Whether the proof is of another state than the files."""
        return self.proof is not None and self._proved != self._asked

    @property
    def proving(self) -> bool:
        """Whether a proof is under way."""
        return self._jobs.busy(PROOF)

    def prove(self) -> None:
        """Prove the program."""
        wanted = self._asked
        if wanted is not None:
            self._proved = wanted
            self.proof = None
            self._jobs.start(PROOF, lambda: _proved(wanted), self._take_proof)
            self.updated.emit()

    def stop(self) -> None:
        """Stop proving; nothing comes of it."""
        self._jobs.stop(PROOF)
        self.updated.emit()

    def _take_files(self, outcome: object) -> None:
        if isinstance(outcome, dict | str):
            self.files = outcome
            self.updated.emit()

    def _take_proof(self, outcome: object) -> None:
        if isinstance(outcome, Proof | str):
            self.proof = outcome
            self.updated.emit()


def _made(asked: _Asked, scale: Scale) -> Files | str:
    try:
        return all_files(asked.carried, asked.board, date.today(), scale)
    except HandoverError as error:
        return str(error)


def _proved(asked: _Asked) -> Proof | str:
    try:
        return prove(asked.project, asked.candidate, asked.trial, asked.real, current_go_on() or (lambda _: True),
                     tuple(filter(None, ("host", BOARDS[asked.board].chip))))  # fmt: skip
    except HandoverError as error:
        return str(error)
