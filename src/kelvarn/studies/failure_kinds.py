"""Every single failure of a rig, as an event of a trial."""

from dataclasses import dataclass
from typing import Any

from kelvarn.model.control_events import OrdersLost, PowerCut
from kelvarn.model.drives import Fan
from kelvarn.model.edit import with_fields
from kelvarn.model.events import DriveFault, Event, ProbeFault
from kelvarn.model.guards import Alarm, Trip
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

NAME = "Failure"
_FAULTS = ("probe_fault", "drive_fault", "power_cut", "orders_lost", "stall")
"""Events of a trial that are failures themselves; a single failure leaves them out."""
CUT_S = 600.0  # a power cut that ends
_DRIFT_K_PER_H = 10.0


@dataclass(frozen=True)
class Failure:
    """A single failure: what it is in words, and its fields as an event that begins at 0."""

    text: str
    event: Event

    def at(self, at_s: float) -> Event:
        """The event, begun at an instant."""
        return self.event.model_copy(update={"at_s": at_s})


def failures_of(rig: Rig) -> list[Failure]:
    """Every single failure of a rig: of the probes that somebody looks at, of its drives, of power and link."""
    found = []
    looked_at = {rig.probe.name} | {each.probe for each in rig.guards if isinstance(each, Trip | Alarm)}
    for probe in rig.probes:
        if probe.name not in looked_at:
            continue
        kinds: list[tuple[str, dict[str, Any]]] = [
            ("is broken (open)", {"fault": "open"}),
            ("is shorted", {"fault": "short"}),
            ("is stuck", {"fault": "stuck"}),
            ("comes loose", {"fault": "loose"}),
            (f"drifts up by {_DRIFT_K_PER_H:g} K an hour", {"fault": "drift", "size_K": _DRIFT_K_PER_H}),
            (f"drifts down by {_DRIFT_K_PER_H:g} K an hour", {"fault": "drift", "size_K": -_DRIFT_K_PER_H}),
        ]
        found += [
            Failure(f"{probe.name} {words}", ProbeFault(name=NAME, at_s=0, probe=probe.name, **fields))
            for words, fields in kinds
        ]
    for drive in rig.drives:
        fan = isinstance(drive, Fan)
        words = {
            "stuck_on": "runs on at full speed" if fan else "is stuck on",
            "stuck_off": "is stalled" if fan else "is stuck off",
            "weak": "gives half",
        }
        found += [
            Failure(f"{drive.name} {said}", DriveFault(name=NAME, at_s=0, drive=drive.name, fault=fault))
            for fault, said in words.items()
        ]
    found.append(Failure("the power is cut for 10 min", PowerCut(name=NAME, at_s=0, lasts_s=CUT_S)))
    found.append(Failure("the power is cut for good", PowerCut(name=NAME, at_s=0)))
    found.append(Failure("the link to the drives is lost", OrdersLost(name=NAME, at_s=0)))
    return found


def without_failures(trial: Trial) -> Trial:
    """A trial without the failures that it has itself, and without marks."""
    return with_fields(trial, events=tuple(each for each in trial.events if each.kind not in _FAULTS), marks=())
