"""The pages of the guide, in the order in which they are read."""

import re
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from .formulas import measures_table, rules_table
from .settings import settings_sections

KEYS = ("idea", "log", "alone", "board", "hour", "words", "keys", "settings")
LOGS = ("oven.csv", "oven-again.csv")
"""Logs that go with the pages."""
_STEP = re.compile(r"^\d+\. (.*(?:\n   .*)*)", re.MULTILINE)
_PICTURE = re.compile(r"^!\[.*\]\(.*\)\n+", re.MULTILINE)


@dataclass(frozen=True)
class Page:
    """A page.

    Attributes:
        key: its name in links.
        text: Markdown, with all its tables.
    """

    key: str
    text: str

    @property
    def title(self) -> str:
        """What it is called."""
        return self.text.partition("\n")[0].removeprefix("# ")

    @property
    def steps(self) -> tuple[str, ...]:
        """What it says to do, one after the other, each on one line."""
        return tuple(" ".join(found.split()) for found in _STEP.findall(self.text))

    @property
    def without_pictures(self) -> str:
        """The text for the window, where what the pictures show is seen itself."""
        return _PICTURE.sub("", self.text)

    @property
    def sections(self) -> tuple[str, ...]:
        """Titles of its sections."""
        return tuple(re.findall(r"^## (.*)$", self.text, re.MULTILINE))


@lru_cache(maxsize=32)
def page(key: str, keys_table: str = "") -> Page:
    """A page.

    Args:
        key: which, one of `KEYS`.
        keys_table: the commands with their keys, as Markdown; the window knows them.

    Raises:
        KeyError: there is none of that name.
    """
    if key not in KEYS:
        raise KeyError(key)
    text = source(f"{key}.md").decode()
    for place, made in (("measures", measures_table), ("rules", rules_table), ("settings", settings_sections)):
        if f"{{{place}}}" in text:
            text = text.replace(f"{{{place}}}", "\n".join(made()))
    return Page(key, text.replace("{keys}", keys_table))


def source(name: str) -> bytes:
    """A file that goes with the pages, as it is kept."""
    return files("kelvarn.guide").joinpath("pages", name).read_bytes()
