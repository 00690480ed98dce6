"""A drive set by hand, in words."""

from kelvarn.model.fixed import Fixed
from kelvarn.units import Quantity, Scale, show

from ..sample import Sample, Term


def terms(model: Fixed, at: Sample) -> list[Term]:
    """It has none."""
    del model, at
    return []


def why(model: Fixed, _at: Sample, _scale: Scale) -> str:
    """What it did at a sample, in words."""
    return f"set to {show(model.drive, Quantity.DRIVE)} by hand"
