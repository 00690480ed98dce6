"""The gain map: two settings of a law, every measure of its runs, and where all marks are met.

Coarse first and then finer, level by level; of the last level what lies at the edge of the region where all marks are
met comes first.
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, cast

import numpy as np
import numpy.typing as npt

from kelvarn.engine.marks import value_of
from kelvarn.engine.run import Stopped
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import Path, put, value_at
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial, measured_by
from kelvarn.sentence import say
from kelvarn.units import Quantity

from .batch import Case, run_many

SIZE = 48
"""Points along each setting."""
_STRIDES = (8, 4, 2, 1, 1)  # of the levels; the last two share the finest grid
_FACTOR = 6.0  # to either side, of settings on a log scale
_AWAY = {Quantity.TEMPERATURE: 15.0, Quantity.DRIVE: 0.5, Quantity.NUMBER: 1.0}  # to either side, of others
_LINEAR = (Quantity.TEMPERATURE, Quantity.DRIVE)


class MapError(ValueError):
    """The map cannot be made. The message is one sentence."""


@dataclass(frozen=True)
class MapAxis:
    """A setting and the values it takes.

    Attributes:
        path: the setting inside the law.
        title, quantity: what it is.
        values: in its base unit, rising; evenly apart, on a log scale where `log`.
    """

    path: Path
    title: str
    quantity: Quantity
    values: tuple[float, ...]
    log: bool

    @property
    def name(self) -> str:
        """It as files and the command line write it."""
        return ".".join(map(str, self.path))

    def place(self, value: float) -> float:
        """Where a value lies: 0 at the first value, `len − 1` at the last one; beyond where it lies beyond."""
        low, high = self.values[0], self.values[-1]
        if self.log:
            low, high, value = math.log(low), math.log(high), math.log(max(value, 1e-300))
        return (value - low) / (high - low) * (len(self.values) - 1)

    def value(self, place: float) -> float:
        """The value at a place, kept inside."""
        share = min(max(place / (len(self.values) - 1), 0.0), 1.0)
        low, high = self.values[0], self.values[-1]
        return low * math.exp(share * math.log(high / low)) if self.log else low + (high - low) * share


@dataclass(frozen=True, eq=False)
class GainMap:
    """What is known so far.

    Attributes:
        x, y: the settings.
        refs: measures, as marks without a limit of their own.
        values: shape (measures, y, x); NaN where there is none.
        computed: shape (y, x); which runs are there.
        met: shape (y, x); whether all marks are met.
        level: how many levels are done.
    """

    x: MapAxis
    y: MapAxis
    refs: tuple[Mark, ...]
    values: npt.NDArray[np.float64]
    computed: npt.NDArray[np.bool_]
    met: npt.NDArray[np.bool_]
    level: int

    @property
    def complete(self) -> bool:
        """Whether every point was run."""
        return self.level == len(_STRIDES)

    def filled(self, ref: int) -> npt.NDArray[np.float64]:
        """A measure at every point, shape (y, x); of points that were not run that of the nearest coarser one."""
        found: npt.NDArray[np.float64] = self.values[ref][self._nearest()]
        return found

    def met_filled(self) -> npt.NDArray[np.bool_]:
        """Whether all marks are met, likewise."""
        found: npt.NDArray[np.bool_] = self.met[self._nearest()]
        return found

    def _nearest(self) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
        rows, columns = np.indices(self.computed.shape)
        stride = _STRIDES[max(self.level - 1, 0)]
        if self.level == len(_STRIDES) - 1:  # some of the finest are there
            stride = _STRIDES[-2] * 2
        coarse = (rows // stride * stride, columns // stride * stride)
        return tuple(np.where(self.computed, own, near) for own, near in zip((rows, columns), coarse, strict=True))  # type: ignore[return-value]


def axis_of(law: Controller, path: Path) -> MapAxis:
    """A setting of a law as an axis, round the value that it has.

    Raises:
        MapError: the law has no such setting, or it has no range.
    """
    known, name = settings_of(law), ".".join(map(str, path))
    if path not in known:
        if len(path) == 1 and path[0] in (*law.rulers, *law.more) and path[0] not in law.idle:
            raise MapError(
                say("“{name}” is no number, or not set in this candidate; give it a value first.", name=name)
            )
        there = ", ".join(".".join(map(str, each)) for each in known)
        raise MapError(
            say("“{name}” is no setting of {strategy} to map; there are {there}.", name=name, strategy=law.strategy,
                there=there)
        )  # fmt: skip
    value = value_at(law, path)
    info = type(value_at(law, path[:-1])).model_fields[str(path[-1])]
    extra: Any = info.json_schema_extra
    quantity = Quantity(extra["quantity"])
    low, high = (_limit(info, name) for name in ("ge", "le"))
    log = quantity not in _LINEAR and value > 0 and extra.get("log", True)
    if log:
        ends = max(value / _FACTOR, low, 1e-12), min(value * _FACTOR, high)
        values = np.geomspace(*ends, SIZE)
    else:
        begin, end = extra.get("ruler") or (0.0, 0.0)
        if not begin <= value <= end or begin == end or quantity is Quantity.TEMPERATURE:
            away = _AWAY.get(quantity, max(abs(value), 1.0))
            begin, end = value - away, value + away
        ends = max(begin, low), min(end, high)
        values = np.linspace(*ends, SIZE)
    if not ends[0] < ends[1]:
        raise MapError(say("“{name}” has no range to map.", name=name))
    title = say(info.title or str(path[-1]))
    if len(path) > 1:
        title = say("Step {number}: {setting}", number=int(path[1]) + 1, setting=title)
    return MapAxis(path, title, quantity, tuple(map(float, values)), bool(log))


def _limit(info: Any, name: str) -> float:
    usual = -math.inf if name == "ge" else math.inf
    return float(next((getattr(m, name) for m in info.metadata if hasattr(m, name)), usual))


def settings_of(law: Controller) -> list[Path]:
    """Settings of a law that can be mapped: numbers that act and are set."""
    found: list[Path] = []
    for name, info in type(law).model_fields.items():
        extra = info.json_schema_extra
        value = getattr(law, name)
        if name == "steps" and name not in law.idle:
            found += [("steps", k, field) for k in range(len(value)) for field in ("from_degC", "drive", "back_off_K")]
            continue
        shown = name in (*law.rulers, *law.more) and name not in law.idle and value is not None
        if shown and isinstance(extra, dict) and "quantity" in extra:
            found.append((name,))
    return found


def usual_axes(law: Controller) -> tuple[Path, Path] | None:
    """The two settings that a map begins with; None where a law has fewer than two."""
    settings = settings_of(law)
    if len(settings) < 2:
        return None
    if len(settings[0]) > 1 and len(settings) >= 6:  # of two steps, where they begin
        return settings[0], settings[3]
    return settings[0], settings[1]


def begun(rig: Rig, trial: Trial, x: MapAxis, y: MapAxis) -> GainMap:
    """A map of which nothing is known yet.

    Raises:
        MapError: both settings are the same.
    """
    if x.path == y.path:
        raise MapError(say("A map needs two different settings, not “{x}” twice.", x=x.name))
    refs, shape = measured_by(MEASURES, trial, rig.body_names), (len(y.values), len(x.values))
    return GainMap(
        x, y, refs, np.full((len(refs), *shape), np.nan), np.zeros(shape, np.bool_), np.zeros(shape, np.bool_), 0
    )


def refine(
    known: GainMap, rig: Rig, law: Controller, trial: Trial, tell: Callable[[float], bool] = lambda _: True
) -> GainMap:
    """The next level of a map.

    Args:
        known: what is known; it is left as it is.
        rig, law, trial: what runs; of the law the two settings of the map are replaced.
        tell: told the share of the level that is done; False ends it.

    Raises:
        Stopped: `tell` ended it.
    """
    points = _points(known)
    values, computed, met = known.values.copy(), known.computed.copy(), known.met.copy()
    cases = _cases(known, points, rig, law, trial)
    for count, result in enumerate(run_many(cases), start=1):
        row, column = cast(tuple[int, int], result.key)
        if result.measures is not None:
            for k, ref in enumerate(known.refs):
                found, _ = value_of(ref, result.measures)
                values[k, row, column] = np.nan if found is None else found
        met[row, column] = result.met and bool(trial.marks)
        if not tell(count / len(points)):
            raise Stopped
    for row, column in points:  # those that cannot be are known to be so
        computed[row, column] = True
    return GainMap(known.x, known.y, known.refs, values, computed, met, known.level + 1)


def _points(known: GainMap) -> list[tuple[int, int]]:
    """Rows and columns of the next level."""
    stride = _STRIDES[known.level]
    on_grid = np.zeros(known.computed.shape, np.bool_)
    on_grid[::stride, ::stride] = True
    on_grid &= ~known.computed
    if known.level == len(_STRIDES) - 2:  # first where the region ends
        met = known.met_filled()
        edge = np.zeros_like(met)
        for axis in (0, 1):
            differs = np.diff(met, axis=axis)
            for shift in (-1, 0, 1, 2):
                edge |= np.roll(np.pad(differs, [(0, int(axis == k)) for k in (0, 1)]), shift, axis=axis)
        if (on_grid & edge).any():
            on_grid &= edge
    return [(int(row), int(column)) for row, column in zip(*np.nonzero(on_grid), strict=True)]


def _cases(known: GainMap, points: list[tuple[int, int]], rig: Rig, law: Controller, trial: Trial) -> Iterator[Case]:
    for row, column in points:
        try:
            made = put(put(law, known.x.path, known.x.values[column]), known.y.path, known.y.values[row])
            made.check(rig.way)
        except ValueError:
            continue  # settings that contradict each other: there is no run
        yield Case((row, column), rig, made, trial)
