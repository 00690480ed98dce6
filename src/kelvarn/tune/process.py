"""What tuning rules know of a rig: its answer to the drive as one lag, or as a ramp, after a dead time."""

from dataclasses import dataclass

from kelvarn.engine.step import Reading
from kelvarn.sentence import figures, say


class PlantError(ValueError):
    """There is nothing to tune: the message is one sentence that says what and why."""


@dataclass(frozen=True)
class FirstOrder:
    """One lag after a dead time: K·e^(−Ls) / (Ts + 1).

    Attributes:
        gain_K: K at full drive.
        lag_s, dead_time_s: T and L.
    """

    gain_K: float
    lag_s: float
    dead_time_s: float

    @property
    def ratio(self) -> float:
        """Dead time over lag, L/T."""
        return self.dead_time_s / self.lag_s


@dataclass(frozen=True)
class Integrating:
    """A ramp after a dead time: k·e^(−Ls) / s, with k in K/s at full drive."""

    rise_K_per_s: float
    dead_time_s: float


Plant = FirstOrder | Integrating


def plant_of(reading: Reading | None) -> Plant:
    """What was read off an open-loop step; a cooling drive counts by how far it moves.

    Raises:
        PlantError: there is no reading.
    """
    if reading is None:
        raise PlantError(say("The open-loop step could not be read as one lag, so that no rule applies."))
    if reading.gain_K is not None and reading.lag_s is not None:
        return FirstOrder(abs(reading.gain_K), reading.lag_s, reading.dead_time_s)
    return Integrating(abs(reading.rise_K_per_s or 0.0), reading.dead_time_s)


_SMALLEST, _LARGEST = 1e-9, 1e9
"""Of gains, lags and rises: beyond that they are slips of the pen, and sums of them lose their digits."""


def check(plant: Plant) -> None:
    """Raise PlantError where a figure is out of range; a dead time may be 0."""
    of_plant = (
        (("gain", plant.gain_K), ("lag", plant.lag_s))
        if isinstance(plant, FirstOrder)
        else (("rise", plant.rise_K_per_s),)
    )
    for name, value in of_plant:
        if not value > 0:
            raise PlantError(
                say("The {name} must be above 0, not {value}.", name=name, value=figures(f"{value:g}", ""))
            )
        if not _SMALLEST <= value <= _LARGEST:
            raise PlantError(
                say("The {name} must be from {smallest} to {largest}, not {value}.", name=name,
                    smallest=f"{_SMALLEST:g}", largest=f"{_LARGEST:g}", value=figures(f"{value:g}", ""))
            )  # fmt: skip
    if not 0 <= plant.dead_time_s <= _LARGEST:
        raise PlantError(
            say("The dead time must be from 0 to {largest} s, not {value}.", largest=f"{_LARGEST:g}",
                value=figures(f"{plant.dead_time_s:g}", ""))
        )  # fmt: skip
