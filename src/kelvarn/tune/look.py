"""What remarks look at: a project on a trial, with what follows from it, worked out once."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from kelvarn.engine.prepare import RunError
from kelvarn.engine.steady import HoldVerdict, can_hold, rest_degC
from kelvarn.engine.step import heating_up_s
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.reasons import held_degC
from kelvarn.units import Quantity, Scale, show

from .process import FirstOrder, Plant


@dataclass(frozen=True, eq=False)
class Look:
    """A project on a trial, its step as it was read, and the scale in which it is spoken of."""

    project: Project
    trial: Trial
    plant: Plant | None
    scale: Scale

    @property
    def rig(self) -> Rig:
        """Its rig."""
        return self.project.rig

    @cached_property
    def setpoint(self) -> float:
        """The trial's last setpoint, degC."""
        return self.trial.plan.last_degC

    @cached_property
    def highest(self) -> float:
        """Its highest setpoint, degC."""
        return max(change.to_degC for change in self.trial.course)

    @cached_property
    def lag_s(self) -> float | None:
        """Lag and dead time of the step together; None where it is not read as one lag."""
        return self.plant.lag_s + self.plant.dead_time_s if isinstance(self.plant, FirstOrder) else None

    @cached_property
    def verdict(self) -> HoldVerdict | None:
        """Whether it can hold the last setpoint."""
        return can_hold(self.rig, self.setpoint)

    @cached_property
    def holding(self) -> float | None:
        """The drive that holds the last setpoint; None where none does."""
        return self.verdict.holding_drive if self.verdict is not None and self.verdict.can else None

    @cached_property
    def rests_without(self) -> float | None:
        """Where the probed body rests without drive, degC."""
        rest = rest_degC(self.rig, 0.0)
        return None if rest is None else float(rest[self.rig.body_index(self.rig.probe.body)])

    @cached_property
    def flat_out_s(self) -> float:
        """How long full drive takes from cold into the band of the first setpoint, s; 0 where not known, or warm."""
        if self.trial.start_degC is not None or any(body.start_degC is not None for body in self.rig.bodies):
            return 0.0
        near = self.trial.course[0].to_degC - self.rig.way.sign * self.trial.band_K
        try:
            return heating_up_s(self.rig, near) or 0.0
        except RunError:
            return 0.0

    def limit_of(self, body: str) -> float | None:
        """The rated limit of a body, degC; None where none is known."""
        return self.rig.all_bodies[self.rig.body_index(body)].limit_degC

    def held_at(self, setpoint_degC: float) -> npt.NDArray[np.float64] | None:
        """Where all bodies rest while a setpoint is held, degC; None where it is not."""
        return held_degC(self.rig, setpoint_degC)

    def degC(self, value: float) -> str:
        """A temperature in words."""
        return show(value, Quantity.TEMPERATURE, self.scale)

    def kelvins(self, value: float) -> str:
        """A difference in words."""
        return show(value, Quantity.DIFFERENCE, self.scale)

    def span(self, seconds: float) -> str:
        """A duration in words."""
        return show(seconds, Quantity.DURATION)

    def share(self, drive: float) -> str:
        """A drive in words."""
        return show(drive, Quantity.DRIVE)
