"""What was found beside a device, taken over into the rig."""

from collections.abc import Sequence

from kelvarn.model.drives import Fan
from kelvarn.model.edit import with_fields
from kelvarn.model.probes import Correction
from kelvarn.model.project import Project
from kelvarn.sentence import say

from .sweep import FanFound

_MOST_STALL, _MOST_START = 0.95, 1.0


class TakingError(ValueError):
    """What was found cannot be taken over; one sentence for the user."""


def with_sweep(project: Project, place: int, found: FanFound, supply_V: float | None) -> Project:
    """A project with what a sweep found of a fan.

    Args:
        project: it.
        place: of the fan among the drives.
        found: by duty put out.
        supply_V: that it had; duties of the rig are those at its rated voltage. None: not known.
    """
    fan = project.rig.drives[place]
    assert isinstance(fan, Fan)
    if supply_V is not None and fan.rated_V is not None:
        fan = with_fields(fan, supply_V=supply_V)
    made = {}
    if found.stalls_below is not None:
        made["stalls_below"] = round(min(found.stalls_below * fan.volts, _MOST_STALL), 3)
    if found.starts_from is not None:
        made["starts_from"] = round(min(found.starts_from * fan.volts, _MOST_START), 3)
    if found.kick_start_s is not None:
        made["kick_start_s"] = found.kick_start_s
    drives = tuple(with_fields(fan, **made) if k == place else each for k, each in enumerate(project.rig.drives))
    return with_fields(project, rig=with_fields(project.rig, drives=drives))


def with_pairs(project: Project, pairs: Sequence[tuple[float, float]]) -> Project:
    """A project whose control probe is corrected by readings beside a reference.

    Args:
        project: it.
        pairs: of what it read and what the reference showed, degC.

    Raises:
        TakingError: there are too few, or it is corrected already.
    """
    probe = project.rig.probe
    if len(pairs) < 2:
        raise TakingError(say("Two readings beside a reference are needed, far apart: ice water and a kettle."))
    if probe.correction is not None:
        raise TakingError(say("The probe is corrected already: take that away at Rig first."))
    (shown_low, true_low), (shown_high, true_high) = min(pairs), max(pairs)
    correction = Correction(
        shown_low_degC=shown_low, true_low_degC=true_low, shown_high_degC=shown_high, true_high_degC=true_high
    )
    probes = tuple(
        with_fields(each, correction=correction) if each.name == probe.name else each for each in project.rig.probes
    )
    return with_fields(project, rig=with_fields(project.rig, probes=probes))
