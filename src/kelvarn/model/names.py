"""Names must be unique where they are used to refer to things."""

import itertools
import re
from collections.abc import Iterable, Sequence

from kelvarn.sentence import say

MOST_CHARACTERS = 60


def check_unique(names: Iterable[str], what: str) -> None:
    """Raise ValueError naming the first name that stands twice."""
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise ValueError(
                say("there are two called “{name}”; the name of each {what} must differ", name=name, what=what)
            )
        seen.add(name)


class UnknownName(ValueError):
    """Something is asked for by a name that nothing has."""


def check_known(wanted: Iterable[str], known: Sequence[str], what: str) -> None:
    """Raise UnknownName, which says what there is, where something wanted is not among what is known.

    Args:
        wanted: names that are asked for.
        known: names that there are.
        what: of what, as the sentence calls them.
    """
    for name in wanted:
        if name not in known:
            raise UnknownName(
                say("There is no {what} “{name}”; there are: {known}.", what=what, name=name, known=", ".join(known))
            )


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """`wanted`, or "wanted 2", "wanted 3"… where it is taken; a long one is cut to make room."""
    used = set(taken)
    if wanted not in used:
        return wanted
    stem = re.sub(r"\s+\d+$", "", wanted)  # of "Fan 2", but not of "On/off ±1"
    names = (f"{stem[: MOST_CHARACTERS - 1 - len(str(k))].rstrip()} {k}" for k in itertools.count(2))
    return next(name for name in names if name not in used)
