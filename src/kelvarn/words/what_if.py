"""What a law would do at a reading that somebody names, everything else being as it is at a sample of a run."""

from kelvarn.engine.run import Run
from kelvarn.units import Quantity, Scale, show

from .laws import words_of
from .why import law_at, sample_of


def at_reading(run: Run, index: int, degC: float, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller would do at a steady reading.

    Args:
        run, index: the state that it is in: setpoint, integral, on or off.
        degC: the reading.
        scale: that the sentence speaks in.
    """
    law = law_at(run, index)
    said: str = words_of(law).at_reading(law, sample_of(run, index), degC, show(degC, Quantity.TEMPERATURE, scale))
    return said
