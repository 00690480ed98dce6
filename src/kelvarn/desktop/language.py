"""The language that the window speaks: sentences from a catalogue by key, numbers as they are written there.

What is below the window speaks English (`kelvarn.sentence`), and so do files. A catalogue is a gettext file in
`languages`; `python docs/languages.py` puts every sentence of the window into it, and what it does not have is said in
English.
"""

import gettext
import io
import re
from datetime import date
from functools import cache
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QDate, QLocale

from kelvarn.sentence import Figures, Joined, Sentence, say

ENGLISH = "en"
OWN_NAMES = {ENGLISH: "English", "de": "Deutsch"}
"""Of each language, what it is called in itself."""
_FOLDER = Path(__file__).parent / "languages"
_DECIMAL_MARK = "."  # a key as well: what stands for it in the language
UNIT_WORDS = ("years", "months", "days", "% per K", "% per °C", "% per °F")
"""Units that are words, keys as well."""
_THIN = "\u202f"
_THOUSAND = re.compile(r"(?<![\d.,])[1-9]\d{0,2}\.\d{3}(?![\d.,])")


class _Language(NamedTuple):
    """A language in use; `catalogue` is None for English."""

    code: str
    catalogue: gettext.GNUTranslations | None
    mark: str


_ENGLISH = _Language(ENGLISH, None, _DECIMAL_MARK)
_used = _ENGLISH


def catalogue_file(code: str) -> Path:
    """Where the sentences of a language stand."""
    return _FOLDER / f"{code}.po"


def use(code: str) -> None:
    """Speak a language from now on; English where there is none of that code."""
    global _used
    if code == ENGLISH or code not in OWN_NAMES:
        _used = _ENGLISH
    else:
        _used = _language(code)


@cache
def _language(code: str) -> _Language:
    import polib  # takes a part of the start, which English does not need

    catalogue = gettext.GNUTranslations(io.BytesIO(polib.pofile(str(catalogue_file(code))).to_binary()))
    return _Language(code, catalogue, catalogue.gettext(_DECIMAL_MARK))


def used() -> str:
    """The code of the language in use."""
    return _used.code


def tell(text: str, /, **arguments: object) -> str:
    """A text in the language in use.

    Args:
        text: what the core says, or a sentence of the window, with a {name} for each argument. Another text, such as
            one that stands in a project, is said as it is unless it is word for word a sentence of the catalogue; the
            name of a part is not handed over here.
        arguments: as for `say`.
    """
    made = say(text, **arguments) if arguments else text
    if _used.catalogue is None:
        return str(made)
    return _told(made, _used.catalogue, _used.mark)


def told(text: str) -> str:
    """What comes from below, in the language in use if it was made with `say`; another text is a name, and as it is."""
    return tell(text) if _is_made(text) else text


def capital(text: str) -> str:
    """What comes from below, as the beginning of a line: in the language in use, with a capital letter."""
    said = told(text)
    return said[:1].upper() + said[1:]


def fault_told(error: Exception) -> str:
    """What an error says, in the language in use."""
    said = error.args[0] if error.args else None
    return tell(said) if isinstance(said, str) else str(error)


def _told(text: str, catalogue: gettext.GNUTranslations, mark: str) -> str:
    if isinstance(text, Figures):
        unit = catalogue.gettext(text.unit) if text.unit else ""
        return f"{_marked(text.number, mark)} {unit}".rstrip()
    if isinstance(text, Joined):
        between = catalogue.gettext(text.between) if text.between.strip() else text.between
        return between.join(_told(part, catalogue, mark) if _is_made(part) else part for part in text.parts)
    if not isinstance(text, Sentence):
        return catalogue.gettext(text) if text else text
    count = text.arguments.get("count")
    if text.many and isinstance(count, int):
        form = catalogue.ngettext(text.key, text.many, count)
    else:
        form = catalogue.gettext(text.key)
    if not text.arguments:
        return form
    put_in = {
        name: _told(each, catalogue, mark) if isinstance(each, str) and _is_made(each) else each
        for name, each in text.arguments.items()
    }
    return form.format(**put_in)


def _is_made(text: str) -> bool:
    """Whether a text knows of what it was made; another one is a name."""
    return isinstance(text, Sentence | Figures | Joined)


def _marked(number: str, mark: str) -> str:
    if mark == _DECIMAL_MARK:
        return number
    return number.replace(",", _THIN).replace(
        _DECIMAL_MARK, mark
    )  # a comma between thousands would be its decimal mark


def date_told(day: date, form: str) -> str:
    """A day in the language in use, in a form of Qt's such as "d MMMM yyyy"."""
    return QLocale(_used.code).toString(QDate(day.year, day.month, day.day), form)


def number_told(number: str) -> str:
    """The text of a number, with the decimal mark of the language in use."""
    return _marked(number, _used.mark)


def number_heard(typed: str) -> str:
    """What was typed, with a point for a decimal mark, and units as they are called in English.

    Raises:
        ValueError: it can be read two ways: "1.234" is a thousand and more where the decimal mark is a comma.
    """
    if _used.catalogue is None:
        return typed
    for unit in UNIT_WORDS:
        typed = typed.replace(_used.catalogue.gettext(unit), unit)
    if found := _THOUSAND.search(typed):
        other = found[0].replace(".", _used.mark)
        raise ValueError(say("“{typed}” can be read two ways; write {one} or {other}.", typed=found[0],
                             one=found[0].replace(".", ""), other=other))  # fmt: skip
    return typed.replace(_used.mark, _DECIMAL_MARK)
