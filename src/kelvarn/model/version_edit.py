"""Named versions of a project: kept, gone back to, taken out."""

from typing import Any

from kelvarn.sentence import say

from .edit import EditError, with_fields
from .names import check_unique
from .project import Project
from .version import MOST_VERSIONS, Version

_KEPT = ("rig", "candidates", "trials", "wiring", "chosen")


def keep_version(project: Project, name: str, day: str) -> Project:
    """The project with what it is now kept as a version.

    Raises:
        EditError: there is one of that name, or there are too many.
        pydantic.ValidationError: the name is none.
    """
    try:
        check_unique([*(each.name for each in project.versions), name], "version")
    except ValueError as error:
        raise EditError(str(error)) from None
    if len(project.versions) >= MOST_VERSIONS:
        raise EditError(
            say("A project keeps at most {most} versions; remove one that is not needed any more.",
                most=MOST_VERSIONS)
        )  # fmt: skip
    made = Version(name=name, day=day, **_of(project))
    return with_fields(project, versions=(*project.versions, made))


def at_version(project: Project, name: str) -> Project:
    """The project as it was at a version; its logs, notes and versions stay. Raises KeyError for another name."""
    found = {each.name: each for each in project.versions}[name]
    # What is of the parts of now, such as units and settings that stay adjustable, goes where these are no more.
    names = {each.name for each in found.candidates}
    kept = tuple(each for each in project.adjustable if each.candidate in names)
    return with_fields(project, adjustable=kept, **_of(found))


def without_version(project: Project, name: str) -> Project:
    """The project without a version."""
    return with_fields(project, versions=tuple(each for each in project.versions if each.name != name))


def _of(source: Any) -> dict[str, Any]:
    return {name: getattr(source, name) for name in _KEPT}
