"""How a model field is declared: once, with quantity, range and sentence."""

from collections.abc import Mapping
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from pydantic.fields import FieldInfo

from kelvarn.sentence import say
from kelvarn.units import Quantity, base_unit

from .names import MOST_CHARACTERS

SURROUNDINGS = "surroundings"
"""The name by which links reach what lies outside; no body may have it."""


def end_name(name: str) -> str:
    """What an end of a link is called: its body, or the surroundings."""
    return say(SURROUNDINGS) if name == SURROUNDINGS else name


class ModelBase(BaseModel):
    """Base of everything in a project: frozen, no unknown fields, no NaN or infinity."""

    __slots__ = ("_kept_hash",)
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, use_enum_values=False)

    def __hash__(self) -> int:
        """Kept: results are looked up by rig and trial, dozens of times in a step of a drag."""
        kept: int | None = getattr(self, "_kept_hash", None)
        if kept is None:
            kept = hash((type(self), *(self.__dict__[name] for name in type(self).model_fields)))
            object.__setattr__(self, "_kept_hash", kept)
        return kept

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with other values, not validated anew; without what was worked out of the old ones and kept."""
        made = super().model_copy(update=update, deep=deep)
        if update:
            for name in [name for name in made.__dict__ if name not in type(made).model_fields]:
                del made.__dict__[name]
        return made


_ONE_LINE = "^[^\x00-\x1f\x7f-\x9f\u2028\u2029]*$"
Name = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=MOST_CHARACTERS, pattern=_ONE_LINE)
]
OneLine = Annotated[str, StringConstraints(pattern=_ONE_LINE)]
"""A text of one line."""
Notes = Annotated[str, StringConstraints(max_length=100_000, pattern="^[^\x00-\x08\x0b-\x1f\x7f-\x9f]*$")]
"""Text of any number of lines."""


def number(default: Any, quantity: Quantity, low: float, high: float, title: str, text: str, **more: Any) -> Any:
    """A number field.

    Args:
        default: its default, or ... where it must be given.
        quantity: what it is; decides units on screen.
        low, high: its range in the base unit, both included.
        title: its short name on screen.
        text: one sentence on what it means.
    """
    return Field(
        default,
        strict=True,  # neither true nor "5" is a number
        ge=low,
        le=high,
        title=title,
        description=text,
        json_schema_extra={"quantity": quantity.value, "unit": base_unit(quantity), **more},
    )


def field(
    default: Any, title: str, text: str, *, words: dict[str, str] | None = None, empty: str | None = None, **more: Any
) -> Any:
    """A field that is not a number: a name, a choice, a list of parts.

    Args:
        default: its default, or ... where it must be given.
        title, text: as for `number`.
        words: of a choice, what its values are called where the word itself does not say it.
        empty: what it is called where there is none.
    """
    if isinstance(default, bool):
        more["strict"] = True  # "yes" is neither true nor false
    extra: dict[str, Any] = {name: value for name, value in (("words", words), ("empty", empty)) if value is not None}
    return Field(default, title=title, description=text, json_schema_extra=extra or None, **more)


def title_of(info: FieldInfo, name: str, *, cools: bool = False) -> str:
    """What a field is called; some are called otherwise where a rig only cools.

    Args:
        info: the field's declaration.
        name: of the field.
        cools: whether the rig only cools.
    """
    extra = info.json_schema_extra
    other = extra.get("cools") if cools and isinstance(extra, dict) else None
    return str(other or info.title or name)


def empty_word(info: FieldInfo) -> str:
    """What an empty field is called."""
    extra = info.json_schema_extra
    return str(extra.get("empty", "none")) if isinstance(extra, dict) else "none"


def words_of(info: FieldInfo, value: object) -> str:
    """What a value of a choice is called."""
    extra = info.json_schema_extra
    words = extra.get("words") if isinstance(extra, dict) else None
    return str(words.get(str(value), value)) if isinstance(words, dict) else str(value)
