"""The engine run as the generated program runs it: the same loop, the same order of things, for comparison."""

import copy
import math
from typing import Any, cast

from kelvarn.engine.ages import OLDEST_MS
from kelvarn.engine.control import control_step, resume, stored_fields
from kelvarn.engine.inputs import Reading
from kelvarn.engine.outputs import order, tick
from kelvarn.engine.probes import read_probe

from .adjusting import adjusting
from .board_files import adjusts, heats
from .carry import DECIDED, Carried, columns
from .files import STORE_EVERY_MS, is_urgent
from .translate.known import rows_of
from .translate.program import Kind, field_types

BoardRow = list[float]
"""What the simulated board reads at an instant: its clock, of each probe its raw figure and whether there is one, the
other inputs."""
Stored = dict[tuple[Any, int, str], Any]
"""What is stored: of each record, row and field its value."""
_WRAPS_MS = 1 << 32
_ADJUSTED = "adjusted"
_OFF_FROM = 100.0  # what a reading is worked out from may be larger than itself
_TO = {Kind.REAL: float, Kind.INT: int, Kind.LONG: int, Kind.BOOL: bool}


class Twin:
    """The engine in the place of a program.

    Args:
        carried: what the program is of.
    """

    def __init__(self, carried: Carried) -> None:
        self.carried, self._columns = carried, columns(carried)
        self.device, self._inputs = carried.device(), carried.inputs()
        self._probes = len(carried.project.rig.probes)
        self._interval_ms = self.device.control.timing[0].interval_ms
        self._sampled, self._last_ms, self._tick_ms, self._stored_ms = False, 0, 0, 0
        self._adjusting = adjusting(carried) if adjusts(carried) else None
        self.values = self._adjusting.begin() if self._adjusting is not None else {}
        self.kept: Stored = dict.fromkeys(self._stored_now(), 0)  # what was stored last, and the time before
        self.before = self.kept
        self._reads_off = self._gives_off = 0.0

    def copied(self, reading: float = 0.0, given: float = 0.0) -> "Twin":
        """A copy as it stands.

        Args:
            reading, given: by which shares its readings, and what its outputs get, are off.
        """
        made = copy.copy(self)
        made.device, made._inputs = copy.deepcopy(self.device), copy.deepcopy(self._inputs)
        made.nudge(reading, given)
        return made

    def nudge(self, reading: float, given: float) -> None:
        """Let readings, those held too, and what outputs get be off by shares from now on, as 32 bits round them."""
        self._reads_off, self._gives_off = reading, given
        for held in cast(Any, self.device.control.held):
            held.degC += reading * (abs(held.degC) + _OFF_FROM)

    def row(self, row: BoardRow) -> list[float] | None:
        """Take a row; what is decided, and each output's level, where a sample is due."""
        now_ms = int(row[0]) % _WRAPS_MS
        due = not self._sampled or (now_ms - self._last_ms) % _WRAPS_MS >= self._interval_ms
        if not self._sampled:
            self._tick_ms = self._stored_ms = now_ms
        if self._adjusting is not None and row[-2] >= 0.0:
            self._adjust(int(row[-2]), row[-1], now_ms)
        if due:
            self._sample(row, now_ms)
        tick(self.device.outputs, min((now_ms - self._tick_ms) % _WRAPS_MS, OLDEST_MS))
        self._tick_ms = now_ms
        if due:
            self._store(now_ms)
        return self.told() if due else None

    def _adjust(self, place: int, value: float, now_ms: int) -> None:
        """Adjust a setting, where the device takes it, and store it at once."""
        assert self._adjusting is not None
        found = self._adjusting.after(self.values, place, value)
        if found is not None:
            self.values = found
            self._adjusting.fill(found, self.device)
            self.before, self.kept, self._stored_ms = self.kept, self._stored_now(), now_ms

    def _sample(self, row: BoardRow, now_ms: int) -> None:
        passed_ms = min((now_ms - self._last_ms) % _WRAPS_MS, OLDEST_MS) if self._sampled else 0
        for probe in range(self._probes):
            raw, valid = row[1 + 2 * probe], row[2 + 2 * probe] != 0.0
            raw += self._reads_off * (abs(raw) + _OFF_FROM)
            read_probe(
                self.device.probes, self.device.curves, probe, raw if valid else 0.0, valid, self._inputs.readings
            )
        first = 1 + 2 * self._probes
        for place, (group, record, name, number) in enumerate(self._columns):
            if self.carried.has_input(record, name):
                kind = field_types(record)[name].kind
                setattr(getattr(self._inputs, group)[number], name, _TO[kind](row[first + place]))
        control_step(self.device.control, self._inputs, passed_ms)
        decision = self.device.control.decision[0]
        order(self.device.outputs, decision.given * (1.0 + self._gives_off), decision.alone)
        self._sampled, self._last_ms = True, now_ms

    def told(self) -> list[float]:
        """What the simulated board tells of a sample."""
        decision = self.device.control.decision[0]
        cut, outputs = decision.drives_cut, self.device.outputs
        levels = [
            0.0 if cut or (decision.stopped and heats(drive)) else state.level
            for drive, state in zip(cast(Any, outputs.drives), cast(Any, outputs.states), strict=True)
        ]
        return [
            *(float(getattr(decision, name)) for name in DECIDED),
            *levels,
            float(not cut),
            float(not decision.loads_cut),
        ]

    def _store(self, now_ms: int) -> None:
        """Store what outlives a power cut, as often as the program does."""
        now = self._stored_now()
        urgent = any(
            value != self.kept[key]
            for key, value in now.items()
            if key[0] != _ADJUSTED and is_urgent(self.carried, *key)
        )
        if urgent or (now_ms - self._stored_ms) % _WRAPS_MS >= STORE_EVERY_MS:
            self.before, self.kept, self._stored_ms = self.kept, now, now_ms

    def _stored_now(self) -> Stored:
        names, found = stored_fields(self.carried.project.rig), {}
        for record, rows in rows_of(self.device.control):
            for name in names.get(record, ()):
                if self.carried.has_input(record, name):
                    found.update({(record, row, name): getattr(each, name) for row, each in enumerate(rows)})
        for row, each in enumerate(self._adjusting.adjusted if self._adjusting is not None else ()):
            found[_ADJUSTED, row, each.line.name] = self.values[each.line.name]
        return found

    def restarted(self, kept: Stored, away_ms: int) -> "Twin":
        """A new one that has only what was stored."""
        made = Twin(self.carried)
        if any(kept.values()):
            tables = {record: rows for record, rows in rows_of(made.device.control) if record is not Reading}
            for (record, row, name), value in kept.items():
                if record != _ADJUSTED:
                    setattr(tables[record][row], name, value)
                elif made._adjusting is not None:
                    made.values = made._adjusting.after(made.values, row, value) or made.values
                    made._adjusting.fill(made.values, made.device)
            resume(made.device.control, away_ms)
            made.kept = made.before = kept
        return made


def same(one: float, other: float, within: float = 0.0) -> bool:
    """Whether two figures are the same, bit for bit but for the sign of 0; or within a share of their size, or of 1."""
    if one == other or (math.isnan(one) and math.isnan(other)):
        return True
    return abs(one - other) <= within * max(abs(one), 1.0)
