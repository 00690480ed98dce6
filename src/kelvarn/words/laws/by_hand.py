"""A drive set by hand, in words."""

from kelvarn.model.fixed import Fixed
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from ..sample import Sample, Term


def terms(model: Fixed, at: Sample) -> list[Term]:
    """It has none."""
    del model, at
    return []


def why(model: Fixed, _at: Sample, _scale: Scale) -> str:
    """What it did at a sample, in words."""
    return say("set to {drive} by hand", drive=show(model.drive, Quantity.DRIVE))


def at_reading(model: Fixed, _at: Sample, _degC: float, here: str) -> str:
    """What it would do at a reading, in words."""
    return say("at {here} it would give {drive}, as at any other", here=here, drive=show(model.drive, Quantity.DRIVE))


def settings(model: Fixed, _scale: Scale) -> str:
    """Its settings in a few words."""
    return show(model.drive, Quantity.DRIVE)
