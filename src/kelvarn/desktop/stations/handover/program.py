"""The program that goes into a board of one's own, made beside the window, and what its proof found."""

from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.run import current_go_on
from kelvarn.handover.adjusting import adjustable_lines
from kelvarn.handover.board_files import BOARDS, BoardName
from kelvarn.handover.carry import Carried, Real
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.kept import changed_lines, is_old, last_files, last_proof, now, with_files, with_proof
from kelvarn.handover.proof import prove
from kelvarn.handover.proof_records import Proof
from kelvarn.handover.settings import acting
from kelvarn.handover.translate.wording import SettingLine
from kelvarn.handover.writing import all_files, write_program
from kelvarn.model.candidate import Candidate
from kelvarn.model.handed import HandedOver, KeptProof
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


class _Made(NamedTuple):
    """Files or why there are none, and which settings can stay adjustable."""

    files: Files | str
    adjustable: tuple[SettingLine, ...]


class Program(QObject):
    """What is known of a candidate's program.

    Args:
        document: keeps what its proof found.
        jobs: makes and proves it.

    Signals:
        updated: more is known.

    Attributes:
        files: by name; a sentence on why there are none; None while they are made.
        adjustable: settings that can stay so.
        fault: why the last proof came to nothing; empty where it did not.
        real: what its numbers are.
        board: that it goes into.
    """

    updated = Signal()

    def __init__(self, document: Document, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._jobs = document, jobs
        self._asked: _Asked | None = None
        self._proved: _Asked | None = None
        self._found: tuple[KeptProof, Proof] | None = None
        self.adjustable: tuple[SettingLine, ...] = ()
        self.files: Files | str | None = None
        self.fault = ""
        self.real: Real = "double"
        self.board: BoardName = "simulated"

    def request(self, project: Project, candidate: Candidate, trial: Trial, scale: Scale) -> None:
        """Ask for the files of a candidate, where it, the rig or the trial are others."""
        wanted = _Asked(acting(project), candidate, trial, self.real, self.board)
        if wanted == self._asked:
            return
        self._asked, self.files, self.fault = wanted, None, ""  # those of another state are not to be written
        self._jobs.start(FILES, lambda: _made(wanted, scale), self._take_files)

    @property
    def proof(self) -> Proof | None:
        """What its last proof found; None where it was never proved."""
        kept = self._kept_proof()
        if kept is None:
            return None
        # What was found in this window has the samples around a difference too.
        return self._found[1] if self._found is not None and self._found[0] == kept[0] else kept[1]

    @property
    def proved_at(self) -> str:
        """When that was."""
        kept = self._kept_proof()
        return "" if kept is None else kept[0].at.replace("T", " ")

    @property
    def is_old(self) -> bool:
        """Whether the proof is of another state than the files."""
        kept = self._kept_proof()
        return kept is not None and self._asked is not None and is_old(kept[0], self._asked.carried)

    def _kept_proof(self) -> tuple[KeptProof, Proof] | None:
        if self._asked is None:
            return None
        return last_proof(self._document.project, self._asked.carried, self._asked.board)

    @property
    def last(self) -> HandedOver | None:
        """What was written last of it."""
        if self._asked is None:
            return None
        return last_files(self._document.project, self._asked.carried, self._asked.board)

    @property
    def changed(self) -> dict[str, list[int]]:
        """Lines that have changed since then, by file."""
        last = self.last
        return changed_lines(self.files, last) if last is not None and isinstance(self.files, dict) else {}

    @property
    def proving(self) -> bool:
        """Whether a proof is under way."""
        return self._jobs.busy(PROOF)

    def prove(self) -> None:
        """Prove the program."""
        wanted = self._asked
        if wanted is not None:
            self._proved, self.fault = wanted, ""
            self._jobs.start(PROOF, lambda: _proved(wanted), self._take_proof)
            self.updated.emit()

    def stop(self) -> None:
        """Stop proving; nothing comes of it."""
        self._jobs.stop(PROOF)
        self.updated.emit()

    def write(self, folder: Path) -> None:
        """Write the files into a folder, and keep what was written. Raises FileError."""
        assert isinstance(self.files, dict)
        assert self._asked is not None
        write_program(self.files, self._document.project.units, folder)
        made = with_files(self._document.project, self._asked.carried, self._asked.board, self.files, now())
        self._document.apply(made, tell("{candidate}: handed over", candidate=self._asked.candidate.name))

    def _take_files(self, outcome: object) -> None:
        if isinstance(outcome, _Made):
            self.files, self.adjustable = outcome
            self.updated.emit()

    def _take_proof(self, outcome: object) -> None:
        if isinstance(outcome, str):
            self.fault = outcome
        elif isinstance(outcome, Proof) and self._proved is not None:
            proved, project = self._proved, self._document.project
            if any(each.name == proved.candidate.name for each in project.candidates):
                made = with_proof(project, proved.carried, proved.board, outcome, now())
                self._found = made.proofs[-1], outcome
                self._document.apply(made, tell("{candidate}: proved", candidate=proved.candidate.name))
        self.updated.emit()


def _made(asked: _Asked, scale: Scale) -> _Made:
    carried = asked.carried
    try:
        adjustable = tuple(adjustable_lines(carried))
    except HandoverError as error:
        return _Made(str(error), ())
    try:
        return _Made(all_files(carried, asked.board, date.today(), scale), adjustable)
    except HandoverError as error:
        return _Made(str(error), adjustable)


def _proved(asked: _Asked) -> Proof | str:
    try:
        return prove(asked.project, asked.candidate, asked.trial, asked.real, current_go_on() or (lambda _: True),
                     tuple(filter(None, ("host", BOARDS[asked.board].chip))))  # fmt: skip
    except HandoverError as error:
        return str(error)
