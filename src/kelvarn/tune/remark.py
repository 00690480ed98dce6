"""What is noticed in a project, and what would mend it."""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.model.edit import Path, put, value_at
from kelvarn.model.project import Project


@dataclass(frozen=True)
class Remark:
    """What is noticed.

    Attributes:
        key: which remark it is, as it is set aside.
        candidate: whose setting it is about; None where it is about the rig.
        path: the setting in the project.
        text: a sentence with its number.
        remedy: what would help, in words; empty where there is none to click.
        mend: makes the project in which it is done; None likewise.
    """

    key: str
    candidate: str | None
    path: Path
    text: str
    remedy: str = ""
    mend: Callable[[Project], Project] | None = None


def still_stands(project: Project, remark: Remark) -> bool:
    """Whether the setting that a remark is about is still there, of the same candidate: the project may be another."""
    try:
        value_at(project, remark.path)
    except (AttributeError, IndexError):
        return False
    if remark.candidate is None or remark.path[0] != "candidates":
        return True
    return project.candidates[int(remark.path[1])].name == remark.candidate


def setting(path: Path, value: object) -> Callable[[Project], Project]:
    """What makes a project in which a setting has another value."""
    return lambda project: put(project, path, value)
