"""Settings that stay adjustable in the device: which, in which range, and what follows from them."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, NamedTuple, cast

import numpy as np
from pydantic import BaseModel

from kelvarn.model.edit import with_fields
from kelvarn.model.handed import Adjustable
from kelvarn.sentence import figures, say

from .carry import Carried
from .dependents import FUNCTIONS
from .faults import HandoverError
from .translate.known import rows_of
from .translate.wording import SettingLine

_SHARE = 1e-9
Values = dict[str, float]


class AdjustedLine(NamedTuple):
    """A setting that stays adjustable.

    Attributes:
        line: as it stands in the settings.
        lowest, highest, step: between which it may be set, and by how much at a time.
        factor: of the field of the model, in the unit of the program: 1000 of a time in milliseconds.
    """

    line: SettingLine
    lowest: float
    highest: float
    step: float
    factor: float

    @property
    def is_whole(self) -> bool:
        """Whether it is a whole number in the program."""
        return isinstance(self.line.value, int)


@dataclass(frozen=True, eq=False)
class Adjusting:
    """What of a program stays adjustable.

    Attributes:
        carried: the program.
        lines: of its settings, all of them.
        adjusted: those that stay adjustable.
    """

    carried: Carried
    lines: tuple[SettingLine, ...]
    adjusted: tuple[AdjustedLine, ...]

    def begin(self) -> Values:
        """The values of all settings before anybody adjusts one."""
        return self._follow({each.name: float(each.value) for each in self.lines if not isinstance(each.value, str)})

    def _follow(self, values: Mapping[str, float]) -> Values:
        """All values, with those that follow from others worked out."""
        found = dict(values)
        for line in self.lines:
            if isinstance(line.value, str):
                found[line.name] = float(eval(line.value, FUNCTIONS, dict(found)))
        return found

    def after(self, values: Values, place: int, value: float) -> Values | None:
        """The values after one was adjusted; None where the device refuses that."""
        if not 0 <= place < len(self.adjusted):
            return None
        each = self.adjusted[place]
        # The device compares numbers as it has them.
        of = np.float32 if self.carried.real == "float" else float
        if not of(each.lowest) <= of(value) <= of(each.highest):
            return None
        value = float(int(value)) if each.is_whole else value
        found = self._follow({**values, each.line.name: value})
        holds = (bool(eval(fit, FUNCTIONS, dict(found))) for fit in self.carried.python.fits)
        return found if all(holds) else None

    def fill(self, values: Values, kept: Any) -> None:
        """Write values into the tables that a device keeps."""
        tables: dict[Any, list[Any]] = {}
        for record, rows in rows_of(kept):
            tables.setdefault(record, rows)
        for name, setting in self.carried.settings.items():
            own = getattr(tables[setting.record][setting.row], setting.name)
            made = values[name]
            setattr(tables[setting.record][setting.row], setting.name, int(made) if isinstance(own, int) else made)


@lru_cache(maxsize=8)
def adjusting(carried: Carried) -> Adjusting:
    """What of a program stays adjustable, as its project says.

    Raises:
        HandoverError: a setting is not there, cannot be adjusted, or its range is none.
    """
    lines = tuple(carried.lines())
    by_name = {line.name: line for line in lines}
    adjusted = []
    for each in carried.project.adjustable:
        if each.candidate != carried.candidate.name:
            continue
        line = by_name.get(each.setting)
        if line is None:
            raise HandoverError(
                say("{setting} is no setting of this program; take it off the adjustable ones.", setting=each.setting)
            )
        factor = _factor(line)
        if not line.edited or factor is None or each.setting in carried.sources.tabled:
            raise HandoverError(
                say("{setting} cannot stay adjustable: it stands in a table, or follows from others.",
                    setting=each.setting)
            )  # fmt: skip
        assert not isinstance(line.value, str)
        if line.low is not None and line.high is not None and not line.low <= each.lowest < each.highest <= line.high:
            raise HandoverError(
                say("{setting} can be from {low} to {high} at most.", setting=each.setting,
                    low=figures(f"{line.low:g}", ""), high=figures(f"{line.high:g}", ""))
            )  # fmt: skip
        if not each.lowest <= line.value <= each.highest:
            raise HandoverError(
                say("{setting} is {line}, outside of the range that it is to be adjusted in.", setting=each.setting,
                    line=figures(f"{line.value:g}", ""))
            )  # fmt: skip
        adjusted.append(AdjustedLine(line, each.lowest, each.highest, each.step, factor))
    made = Adjusting(carried, lines, tuple(adjusted))
    for place in range(len(adjusted)):
        _check_follows(made, place)
    return made


def adjustable_lines(carried: Carried) -> list[SettingLine]:
    """Settings that can stay adjustable."""
    return [
        line
        for line in carried.lines()
        if line.edited and line.name != "INTERVAL_MS" and _factor(line) is not None
        and line.name not in carried.sources.tabled
    ]  # fmt: skip


def _factor(line: SettingLine) -> float | None:
    """What its field of the model is multiplied with; None where it has none, or another one."""
    if line.part is None or isinstance(line.value, str):
        return None
    own = getattr(line.part, line.field)
    if not isinstance(own, int | float) or isinstance(own, bool):
        return None
    factor = 1000.0 if line.name.endswith("_MS") else 1.0
    return factor if abs(own * factor - line.value) <= _SHARE * max(abs(line.value), 1.0) else None


def _check_follows(made: Adjusting, place: int) -> None:
    """Whether nothing follows from a setting but by formulas that the program has: tried at both ends of its range.

    Raises:
        HandoverError: something else follows from it.
    """
    each, carried = made.adjusted[place], made.carried
    for value in (each.lowest, each.highest):
        values = made.after(made.begin(), place, value)
        if values is None:
            raise HandoverError(
                say("{line} cannot be {value}: choose a range in which the law stays the same.", line=each.line.name,
                    value=figures(f"{value:g}", ""))
            )  # fmt: skip
        field = round(value / each.factor, 9) if each.factor != 1.0 else value
        assert each.line.part is not None
        try:
            new: BaseModel = with_fields(cast(Any, each.line.part), **{each.line.field: field})
        except ValueError:
            raise HandoverError(
                say(
                    "{line} cannot be {value}: choose another range.",
                    line=each.line.name,
                    value=figures(f"{value:g}", ""),
                )
            ) from None
        other = carried.with_part(each.line.part, new).device()
        tried = carried.device()
        made.fill(values, tried)
        for (record, mine), (_, theirs) in zip(rows_of(tried), rows_of(other), strict=True):
            if carried.known.is_constant(record) and mine != theirs and not _near(mine, theirs):
                raise HandoverError(
                    say("{line} cannot stay adjustable: more follows from it than a product.", line=each.line.name)
                )


def _near(mine: list[Any], theirs: list[Any]) -> bool:
    """Whether rows are the same but for the last digits."""
    pairs = [
        (getattr(one, name), getattr(other, name))
        for one, other in zip(mine, theirs, strict=True)
        for name in type(one).__dataclass_fields__
    ]
    return len(mine) == len(theirs) and all(
        abs(a - b) <= _SHARE * max(abs(a), 1.0) if isinstance(a, float) and a != b else a == b for a, b in pairs
    )


def with_ranges(lines: list[SettingLine], made: Adjusting) -> list[SettingLine]:
    """Settings, those that stay adjustable with their own range."""
    ranges = {each.line.name: each for each in made.adjusted}
    return [
        replace(line, low=ranges[line.name].lowest, high=ranges[line.name].highest) if line.name in ranges else line
        for line in lines
    ]


def proposed(line: SettingLine, candidate: str) -> Adjustable:
    """Half to double, as far as the field allows; a twentieth of that is a step."""
    assert not isinstance(line.value, str)
    low, high = sorted((line.value / 2, line.value * 2)) if line.value else (0.0, 1.0)
    low = max(low, line.low) if line.low is not None else low
    high = min(high, line.high) if line.high is not None else high
    if low >= high:
        low, high = (
            (line.low, line.value) if line.low is not None and line.low < line.value else (line.value, high + 1.0)
        )
    step = (high - low) / 20
    size = 10.0 ** math.floor(math.log10(step))
    return Adjustable(candidate=candidate, setting=line.name, lowest=low, highest=high, step=round(step / size) * size)
