"""What the project keeps of handovers: the program that was written last, its proof, and what has changed since."""

import difflib
import getpass
from collections.abc import Mapping
from datetime import datetime

from kelvarn import __version__
from kelvarn.model.handed import Handed, HandedOver, KeptCheck, KeptMeasure, KeptProof, WrittenFile
from kelvarn.model.project import Project
from kelvarn.units import counted

from .board_files import BoardName
from .carry import BITS, Carried
from .proof_records import Check, Compared, Measured, Proof

COMPARED = ("settings.h", "control.h", "control.c", "settings.py", "control.py")
"""Files whose changes matter; the others do not depend on settings."""
_MOST = 100_000  # letters of a file that are kept


def now() -> str:
    """The time by the clock of the computer, to the minute."""
    return datetime.now().isoformat(timespec="minutes")


def who() -> str:
    """Who is at the computer; empty where it does not say."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def with_files(project: Project, carried: Carried, board: BoardName, files: Mapping[str, str], at: str) -> Project:
    """The project with a program kept that was just written; one of the same candidate and board goes."""
    kept = tuple(WrittenFile(name=name, text=files[name][:_MOST]) for name in COMPARED if name in files)
    made = HandedOver(files=kept, **_of(carried, board, at))
    others = [each for each in project.handed_over if not _is_same(each, made)]
    return project.model_copy(update={"handed_over": (*others, made)[-60:]})


def with_proof(project: Project, carried: Carried, board: BoardName, proof: Proof, at: str) -> Project:
    """The project with what a proof found; one of the same candidate and board goes."""
    checks = tuple(
        KeptCheck(name=each.name, what=each.text, samples=each.found.samples, differing=each.found.differing,
                  largest=each.found.largest, first=each.says, left=each.left)
        for each in proof.checks
    )  # fmt: skip
    measured = tuple(KeptMeasure(what=each.what, value=each.value, unit=each.unit) for each in proof.measured)
    made = KeptProof(
        checks=checks, not_reached=proof.not_reached, lines=proof.lines, measured=measured, version=__version__,
        **_of(carried, board, at),
    )  # fmt: skip
    others = [each for each in project.proofs if not _is_same(each, made)]
    return project.model_copy(update={"proofs": (*others, made)[-60:]})


def _of(carried: Carried, board: BoardName, at: str) -> dict[str, object]:
    return {
        "candidate": carried.candidate.name, "trial": carried.trial.name, "board": board,
        "numbers": BITS[carried.real], "at": at, "state": carried.fingerprint,
    }  # fmt: skip


def _is_same(one: Handed, other: Handed) -> bool:
    return (one.candidate, one.board, one.numbers) == (other.candidate, other.board, other.numbers)


def last_files(project: Project, carried: Carried, board: BoardName) -> HandedOver | None:
    """The program of a candidate for a board that was written last."""
    found = [each for each in project.handed_over if _is_of(each, carried, board)]
    return found[-1] if found else None


def last_proof(project: Project, carried: Carried, board: BoardName) -> tuple[KeptProof, Proof] | None:
    """What the last proof of a program found, as it is kept and as it was."""
    found = [each for each in project.proofs if _is_of(each, carried, board)]
    if not found:
        return None
    kept = found[-1]
    checks = tuple(
        Check(each.name, each.what, Compared(each.samples, each.differing, None, each.largest), each.left, each.first)
        for each in kept.checks
    )
    measured = tuple(Measured(each.what, each.value, each.unit) for each in kept.measured)
    proof = Proof(
        kept.state, kept.candidate, kept.trial, carried.real, checks, kept.not_reached, kept.lines, measured
    )  # fmt: skip
    return kept, proof


def _is_of(kept: Handed, carried: Carried, board: BoardName) -> bool:
    return (kept.candidate, kept.board, kept.numbers) == (carried.candidate.name, board, BITS[carried.real])


def is_old(kept: KeptProof, carried: Carried) -> bool:
    """Whether a proof is of another state, plan or version than the program is now."""
    now_is = (carried.fingerprint, carried.trial.name, __version__)
    return (kept.state, kept.trial, kept.version) != now_is


def changed_lines(files: Mapping[str, str], last: HandedOver) -> dict[str, list[int]]:
    """Numbers of lines, from 0, that are others than in what was written last; by file. The state in a head is none."""
    found: dict[str, list[int]] = {}
    for each in last.files:
        if each.name not in files:
            continue
        old, new = ([_without_state(line) for line in text.splitlines()] for text in (each.text, files[each.name]))
        lines = []
        for kind, _, _, begins, ends in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
            if kind in ("replace", "insert"):
                lines += list(range(begins, ends))
            elif kind == "delete":
                lines.append(min(begins, len(new) - 1))
        if lines:
            found[each.name] = sorted(set(lines))
    return found


def _without_state(line: str) -> str:
    """A line of a head that names the state is the same in every state."""
    return line.partition(", state ")[0]


def changed_text(changed: Mapping[str, list[int]], last: HandedOver) -> str:
    """What has changed since a program was written, in words."""
    count = sum(len(lines) for lines in changed.values())
    day = last.at.replace("T", " ")
    return f"{counted(count, 'line') if count else 'nothing'} changed since it was written on {day}"
