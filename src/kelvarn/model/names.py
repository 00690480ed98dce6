"""Names must be unique where they are used to refer to things."""

from collections.abc import Iterable


def check_unique(names: Iterable[str], what: str) -> None:
    """Raise ValueError naming the first name that stands twice."""
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise ValueError(f"there are two called “{name}”; the name of each {what} must differ")
        seen.add(name)


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """`wanted`, or "wanted 2", "wanted 3"… where it is taken."""
    used = set(taken)
    if wanted not in used:
        return wanted
    stem = wanted.rstrip("0123456789").rstrip() or wanted
    count = 2
    while f"{stem} {count}" in used:
        count += 1
    return f"{stem} {count}"
