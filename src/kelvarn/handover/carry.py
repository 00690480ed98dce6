"""A candidate as a program in C: the control step, pruned to it, with its settings and what stands around it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, NamedTuple

import numpy as np
from pydantic import BaseModel

from kelvarn.engine.control import Control, control_of, control_step, resume, stored_fields
from kelvarn.engine.decision import Decision
from kelvarn.engine.guard_records import Guard, PermitRecord, Timing
from kelvarn.engine.guarding import guards_of
from kelvarn.engine.inputs import Inputs, PermitInput, Reading, Said
from kelvarn.engine.laws import rows
from kelvarn.engine.laws.by_hand import ByHand
from kelvarn.engine.laws.curve import CurveRecord, Step
from kelvarn.engine.laws.on_off import OnOffRecord
from kelvarn.engine.laws.pid import PidRecord
from kelvarn.engine.layout import curves_of, lay_out, probe_record, sharing_of
from kelvarn.engine.outputs import Outputs, OutputState, order, outputs_of, tick
from kelvarn.engine.plan import DayPartRecord, SetpointRecord
from kelvarn.engine.plant import CurvePoint, Drive, ProbeRecord
from kelvarn.engine.probes import read_probe
from kelvarn.engine.records import Table
from kelvarn.model.candidate import Candidate
from kelvarn.model.control_events import Override, Pause
from kelvarn.model.guards import LinkLost, PriceBelow
from kelvarn.model.handed import Numbers
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, say

from .dependents import contents_of, mark_dependents, replaced, words
from .faults import HandoverError
from .settings import fingerprint
from .translate.c99 import C99, Sources
from .translate.c_names import identifier, lower, record_name, setting_names
from .translate.known import Known
from .translate.program import field_types
from .translate.prune import prune
from .translate.pruned import Pruned, Setting
from .translate.python import Python, PythonSources
from .translate.values import known_of
from .translate.wording import SettingLine, follow_milliseconds, lines_of

DECIDED = (
    "setpoint_degC", "asked", "given", "law_code", "guard_code", "alarm_code", "tripped", "drives_cut", "loads_cut",
    "stopped", "alone", "ready",
)  # fmt: skip
"""What is read of a decision."""
Real = Literal["double", "float"]
BITS: dict[Real, Numbers] = {"double": 64, "float": 32}


class Device(NamedTuple):
    """All that a device keeps."""

    control: Control
    outputs: Outputs
    probes: Table[ProbeRecord]
    curves: Table[CurvePoint]


@dataclass(frozen=True, eq=False)
class Carried:
    """A candidate as a program.

    Attributes:
        project, candidate, trial: what is carried over; the trial is the one whose plan it follows.
        real: what its numbers are.
    """

    project: Project
    candidate: Candidate
    trial: Trial
    real: Real = "double"

    def device(self) -> Device:
        """What it keeps, before the first sample, as rows."""
        rig = self.project.rig
        control = control_of(
            self.candidate.controller, self.trial.plan, rig.probe.interval_s, rig.way, rows, rig, self.trial
        )
        outputs = outputs_of(lay_out(rig).drives, sharing_of(rig), control.timing[0].interval_ms, rows)
        probes: Any = [probe_record(rig, each) for each in rig.probes]
        curves: Any = curves_of(rig)
        return Device(control, outputs, probes, curves)

    def inputs(self) -> Inputs:
        """What reaches it, as rows."""
        rig = self.project.rig
        tables: list[Any] = [[Reading() for _ in rig.probes], [Said()], [PermitInput() for _ in rig.permits]]
        return Inputs(*tables)

    @cached_property
    def known(self) -> Known:
        """What is known of the program."""
        entries = (control_step, resume, read_probe, order, tick)
        return known_of(entries, self.device(), self.inputs(), self._never())

    @cached_property
    def pruned(self) -> Pruned:
        """What is left of it."""
        return prune(self.known, [*((Decision, name) for name in DECIDED), (OutputState, "level")])

    @cached_property
    def row_names(self) -> dict[Any, list[str]]:
        """What the rows of tables are called in C."""
        taken: set[str] = set()
        rig = self.project.rig
        named = {
            Guard: [identifier(guard.name, taken) for guard in guards_of(rig)],
            PermitRecord: [identifier(permit.name, taken) for permit in rig.permits],
            Drive: [identifier(drive.name, taken) for drive in rig.drives],
            ProbeRecord: [identifier(probe.name, taken) for probe in rig.probes],
        }
        for record, those in self.known.rows.items():
            if len(those) > 1 and record not in named:
                named[record] = [
                    identifier(f"{lower(record_name(record))} {k}", taken) for k in range(1, len(those) + 1)
                ]
        return named

    @cached_property
    def sources(self) -> Sources:
        """The control step in C.

        Raises:
            HandoverError: it cannot be carried over.
        """
        self._check()
        return C99(self.known, self.pruned, Device, Inputs, self.row_names, stored_fields(self.project.rig)).sources()

    @cached_property
    def python(self) -> PythonSources:
        """The control step in Python. Raises as `sources` does."""
        self._check()
        return Python(
            self.known, self.pruned, Device, Inputs, self.row_names, stored_fields(self.project.rig), self._live()
        ).sources()

    def _live(self) -> frozenset[str]:
        """Settings that stay adjustable, and those that follow from them by a formula."""
        chosen = {each.setting for each in self.project.adjustable if each.candidate == self.candidate.name}
        follow = {line.name for line in self.lines() if isinstance(line.value, str) and chosen & words(line.value)}
        return frozenset(chosen | follow) if chosen else frozenset()

    @property
    def fingerprint(self) -> str:
        """Of the state that it is of."""
        return fingerprint(self.project, self.candidate)

    def has_input(self, record: Any, name: str) -> bool:
        """Whether anything reads a field of the inputs."""
        return (record, name) in self.pruned.read

    @property
    def settings(self) -> dict[str, Setting]:
        """Numbers that stand in the settings, by name; the loop around the control step needs the interval."""
        return {**self.sources.settings, "INTERVAL_MS": Setting(Timing, 0, "interval_ms")}

    def lines(self) -> list[SettingLine]:
        """The settings, in the order in which the program meets them."""
        return list(self._lines)

    @cached_property
    def _lines(self) -> tuple[SettingLine, ...]:
        found: dict[str, SettingLine] = {}
        for name, setting in self.settings.items():
            value = getattr(self.known.rows[setting.record][setting.row], setting.name)
            lines = lines_of(setting, name, value, self._part_of(setting))
            if len(lines) > 1 and len(self.known.rows[setting.record]) > 1:
                lines = lines_of(setting, name, value, None)  # a formula would name fields that others have too
            for line in lines:
                found.setdefault(line.name, line)
        lines, kept = follow_milliseconds(found), contents_of(self.device())
        return tuple(mark_dependents(lines, self.settings, kept, lambda *of: contents_of(self.with_part(*of).device())))

    def with_part(self, part: BaseModel, new: BaseModel) -> "Carried":
        """The program with a part of the model replaced."""
        project, candidate, trial = (replaced(each, part, new) for each in (self.project, self.candidate, self.trial))
        return replace(self, project=project, candidate=candidate, trial=trial)

    def _part_of(self, setting: Setting) -> Any:
        """The part of the model that a setting is of."""
        rig = self.project.rig
        law = (self.candidate.controller,)
        if setting.record is Timing:
            return {"interval_ms": rig.probe, "band_K": self.trial}.get(setting.name, self.trial.plan)
        parts: Mapping[Any, Sequence[Any]] = {
            Guard: guards_of(rig), PermitRecord: rig.permits,
            PidRecord: law, OnOffRecord: law, CurveRecord: law, ByHand: law,
            Step: getattr(self.candidate.controller, "steps", ()), Drive: rig.drives, ProbeRecord: rig.probes,
            SetpointRecord: self.trial.plan.changes, DayPartRecord: self.trial.plan.week,
        }  # fmt: skip
        return parts[setting.record][setting.row] if setting.record in parts else None

    def _never(self) -> dict[Any, list[str]]:
        """Inputs that this device has no use for."""
        rig, events = self.project.rig, [event for trial in self.project.trials for event in trial.events]
        never = ["retunes", "gain_factor", "ti_factor", "td_factor"]
        if not any(isinstance(guard, LinkLost) for guard in rig.guards):
            never.append("order_age_ms")
        if not any(isinstance(permit, PriceBelow) for permit in rig.permits):
            never += ["price", "price_known"]
        if not any(isinstance(event, Override | Pause) for event in events):
            never.append("override_until")
        return {Said: never}

    def _check(self) -> None:
        rig = self.project.rig
        for drive in rig.drives:
            if drive.kind == "valve":
                raise HandoverError(
                    say(
                        "The valve “{drive}” cannot be carried over yet: its motor needs pulses up and down.",
                        drive=drive.name,
                    )
                )
        if self.real == "float":
            for setting, name in setting_names(self.pruned, self.row_names).items():
                value = float(getattr(self.known.rows[setting.record][setting.row], setting.name))
                small = np.float32(value)
                if not math.isfinite(small) or (value != 0.0 and small == 0.0):
                    raise HandoverError(
                        say(
                            "{name} is {value}, beyond what a 32-bit number holds; choose doubles.",
                            name=name,
                            value=figures(f"{value:g}", ""),
                        )
                    )


def columns(carried: Carried) -> list[tuple[str, Any, str, int]]:
    """What a row of the simulated board has after its time and its probes: group, record, field and row of inputs."""
    inputs = carried.inputs()
    return [
        (group, record, name, row)
        for group, record, count in (("said", Said, 1), ("asked", PermitInput, len(inputs.asked)))
        for row in range(count)
        for name in field_types(record)
    ]
