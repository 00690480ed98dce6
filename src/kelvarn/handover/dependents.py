"""Which settings may be edited: those that have no dependents but such as the generated program can see."""

import math
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any, cast

from pydantic import BaseModel

from kelvarn.model.edit import with_fields

from .translate.known import rows_of
from .translate.pruned import Setting
from .translate.wording import SettingLine

FUNCTIONS: dict[str, Any] = {"__builtins__": {}, "SQRT_OF": math.sqrt, "SECONDS_OF": lambda ms: ms / 1000.0}
"""What formulas of settings call."""
_MORE = "More follows from it than the program sees: change it in Kelvarn, and hand it over anew."
_TRIED = (1.01, 0.99)
Contents = dict[tuple[Any, int, str], Any]
"""All that a device keeps before its first sample: by record, row and field."""


def mark_dependents(
    lines: Iterable[SettingLine], settings: Mapping[str, Setting], before: Contents,
    after: Callable[[BaseModel, BaseModel], Contents],
) -> Iterator[SettingLine]:  # fmt: skip
    """Settings; one is not to be edited, where more depends on its field of the model than it and its formulas say.

    It is tried: the field is changed by a hundredth, and all that a device keeps is compared.

    Args:
        lines, settings: them, and what each is.
        before: what the device keeps.
        after: what it keeps with a part of the model replaced; raises ValueError where that cannot be.
    """
    lines = list(lines)
    for line in lines:
        changed = _with_another(line, after)
        if not line.edited or changed is None:
            yield line
            continue
        follows = {each.name for each in lines if isinstance(each.value, str) and line.name in words(each.value)}
        own = {setting for name, setting in settings.items() if name in {line.name, *follows}}
        allowed = {(setting.record, setting.row, setting.name) for setting in own}
        more = [key for key, value in changed.items() if key not in allowed and before.get(key) != value]
        yield replace(line, edited=False, says=f"{line.says} {_MORE}", part=None) if more else line


def words(formula: str) -> set[str]:
    """Names in a formula."""
    return set(re.findall(r"\w+", formula))


def contents_of(device: Any) -> Contents:
    """What a device keeps."""
    return {
        (record, row, name): getattr(each, name)
        for record, rows in rows_of(device)
        for row, each in enumerate(rows)
        for name in record.__dataclass_fields__
    }


def _with_another(line: SettingLine, after: Callable[[BaseModel, BaseModel], Contents]) -> Contents | None:
    """What is kept with the field of a setting a little different; None where it is of none, or cannot be."""
    own = getattr(line.part, line.field) if line.part is not None else None
    if line.part is None or isinstance(own, bool) or not isinstance(own, int | float):
        return None
    for factor in _TRIED:
        try:
            new: BaseModel = with_fields(cast(Any, line.part), **{line.field: own * factor if own else factor - 0.999})
            return after(line.part, new)
        except ValueError:
            continue
    return None


def replaced(model: Any, part: BaseModel, new: BaseModel) -> Any:
    """A model with a part of it replaced, wherever it stands."""
    if model is part:
        return new
    if isinstance(model, tuple):
        made = tuple(replaced(each, part, new) for each in model)
        return made if any(one is not other for one, other in zip(made, model, strict=True)) else model
    if isinstance(model, BaseModel):
        changed = {}
        for name in type(model).model_fields:
            own = getattr(model, name)
            if isinstance(own, BaseModel | tuple):
                other = replaced(own, part, new)
                if other is not own:
                    changed[name] = other
        return model.model_copy(update=changed) if changed else model
    return model
