"""What is said to people: English text that knows of what it was made, so that a window can say it in another language.

Everything below the window speaks English, into files and onto terminals too. A sentence made with `say` is that text,
and carries its key in the catalogue and what was put into it; `kelvarn.desktop.language` says it in the language in
use, with numbers as they are written there. One rule follows: a sentence is not glued from halves, which have no key.
"""

from collections.abc import Iterable


class Sentence(str):
    """A text in English, made of a key and what is put into it.

    Attributes:
        key: the sentence in the catalogue, with a {name} for each thing put into it.
        arguments: what is put into it, by name; sentences and figures are said in the language in use as well.
        many: the key where `arguments["count"]` is not one; "" where it is not counted.
    """

    __slots__ = ("arguments", "key", "many")
    key: str
    arguments: dict[str, object]
    many: str


class Figures(str):
    """A number with its unit, such as "59.4 °C", which has another decimal mark elsewhere.

    Attributes:
        number, unit: the two; an empty unit where there is none.
    """

    __slots__ = ("number", "unit")
    number: str
    unit: str


class Joined(str):
    """Texts with something between them.

    Attributes:
        between: that, a key of the catalogue where it has letters.
        parts: the texts.
    """

    __slots__ = ("between", "parts")
    between: str
    parts: tuple[str, ...]


def say(key: str, /, **arguments: object) -> Sentence:
    """A sentence.

    Args:
        key: the sentence, with a {name} for each argument.
        arguments: names of parts and other texts, sentences, figures.
    """
    return _made(key, "", key, arguments)


def say_counted(one: str, many: str, count: int, /, **arguments: object) -> Sentence:
    """A sentence of so many; {count} stands for the number. English has the first form for one alone."""
    return _made(one, many, one if count == 1 else many, {"count": count, **arguments})


def _made(key: str, many: str, form: str, arguments: dict[str, object]) -> Sentence:
    made = Sentence(form.format(**arguments) if arguments else form)
    made.key, made.many, made.arguments = key, many, arguments
    return made


def figures(number: str, unit: str) -> Figures:
    """A number with its unit, both as text."""
    made = Figures(f"{number} {unit}".rstrip())
    made.number, made.unit = number, unit
    return made


def joined(between: str, parts: Iterable[str]) -> Joined:
    """Texts with something between them."""
    kept = tuple(parts)
    made = Joined(between.join(kept))
    made.between, made.parts = between, kept
    return made


def lowered(text: str) -> str:
    """A text that goes on within a sentence: with a small first letter in English, elsewhere as it is."""
    small = f"{text[:1].lower()}{text[1:]}"
    if not isinstance(text, Sentence):
        return small
    made = Sentence(small)
    made.key, made.many, made.arguments = text.key, text.many, text.arguments
    return made
