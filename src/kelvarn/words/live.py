"""What a device decides, in words: its codes, with what the project says of them."""

from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.model.candidate import Controller
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .guards import RULER_WORDS
from .laws import words_of
from .sample import Sample

MODE_WORDS = (say("its own loop decides"), say("held by hand"), say("a test is under way"), say("it obeys"))


def ruler_of(rig: Rig, code: int) -> str:
    """Who rules by a guard code: a guard by its name, else in words; empty where the law does."""
    try:
        ruler, place = Ruler(code % RULERS), code // RULERS
    except ValueError:
        return say("code {code}", code=code)
    if ruler == Ruler.LAW:
        return ""
    if ruler in (Ruler.LATCHED_TRIP, Ruler.GUARD, Ruler.PROBE_FAULT) and place < len(rig.guards):
        return f"“{rig.guards[place].name}”"
    if ruler == Ruler.PERMIT and place < len(rig.permits):
        return say("no “{name}”", name=rig.permits[place].name)
    return RULER_WORDS[ruler]


def why_live(rig: Rig, law: Controller, code: int, sample: Sample, scale: Scale) -> str:
    """One sentence on what a device decides and why.

    Args:
        rig, law: of the project that its program was made from.
        code: guard code.
        sample: what it read and decided.
        scale: that the sentence speaks in.
    """
    given = show(sample.given, Quantity.DRIVE)
    ruled = ruler_of(rig, code)
    said: str = words_of(law).why(law, sample, scale)
    return say("{ruled}: gives {given}; without: {said}", ruled=ruled, given=given, said=said) if ruled else said
