"""Every single failure of a rig, as an event of a trial, or as a guard that does not act."""

from dataclasses import dataclass
from typing import Any

from kelvarn.model.control_events import ControlStalls, OrdersLost, PowerCut, SetpointNudge
from kelvarn.model.drives import Fan
from kelvarn.model.edit import with_fields
from kelvarn.model.events import DriveFault, Event, ProbeFault, SupplyChange
from kelvarn.model.guards import Alarm, Restart, Trip
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, joined, say

NAME = "Failure"
_FAULTS = ("probe_fault", "drive_fault", "power_cut", "orders_lost", "stall")
"""Events of a trial that are failures themselves; a single failure leaves them out."""
CUT_S = 600.0  # a power cut that ends
DRIFT_K_PER_H = 10.0
_OFF_K = 10.0  # by how much a probe reads too low or too high
_HIGH = 1.15  # supply
_LOWER_K = 10.0  # by how much somebody lowers the setpoint


@dataclass(frozen=True)
class Failure:
    """A single failure.

    Attributes:
        text: what it is, in words.
        event: its fields as an event that begins at 0; None where it is a guard that does not act.
        guard: the name of that guard.
    """

    text: str
    event: Event | None
    guard: str = ""

    def at(self, at_s: float) -> Event | None:
        """The event, begun at an instant."""
        return None if self.event is None else self.event.model_copy(update={"at_s": at_s})

    def of(self, rig: Rig) -> Rig:
        """The rig as the failure leaves it, its event apart."""
        if not self.guard:
            return rig
        return rig.model_copy(
            update={
                "guards": tuple(each for each in rig.guards if each.name != self.guard),
                "permits": tuple(each for each in rig.permits if each.name != self.guard),
            }
        )


def failures_of(rig: Rig) -> list[Failure]:
    """Every single failure of a rig: of probes that somebody looks at, drives, supply, link, controller, guards."""
    found, unit = [], rig.unit or "K"
    looked_at = {rig.probe.name} | {each.probe for each in rig.guards if isinstance(each, Trip | Alarm)}
    for probe in rig.probes:
        if probe.name in looked_at:
            found += _of_probe(probe.name, unit)
    for drive in rig.drives:
        found += _of_drive(drive.name, isinstance(drive, Fan), getattr(drive, "dial_degC", None) is not None)
    found.append(Failure(say("the power is cut for 10 min"), PowerCut(name=NAME, at_s=0, lasts_s=CUT_S)))
    found.append(Failure(say("the power is cut for good"), PowerCut(name=NAME, at_s=0)))
    found.append(Failure(say("the supply is 15 % high"), SupplyChange(name=NAME, at_s=0, to=_HIGH)))
    found.append(Failure(say("the link to the drives is lost"), OrdersLost(name=NAME, at_s=0)))
    found.append(Failure(say("the controller hangs, its output as it was"), ControlStalls(name=NAME, at_s=0)))
    found.append(Failure(say("the controller hangs at full output"), ControlStalls(name=NAME, at_s=0, output=1.0)))
    lowered = say("someone lowers the setpoint by {lower} {unit}", lower=figures(f"{_LOWER_K:g}", ""), unit=unit)
    found.append(Failure(lowered, SetpointNudge(name=NAME, at_s=0, change_K=-_LOWER_K)))
    found += [
        Failure(say("{guard} does not act", guard=each.name), None, each.name)
        for each in (*rig.guards, *rig.permits)
        if not isinstance(each, Alarm | Restart)
    ]
    return found


def _of_probe(name: str, unit: str) -> list[Failure]:
    kinds: list[tuple[str, dict[str, Any]]] = [
        (say("is broken (open)"), {"fault": "open"}),
        (say("is shorted"), {"fault": "short"}),
        (say("is stuck"), {"fault": "stuck"}),
        (say("comes loose"), {"fault": "loose"}),
        (
            say(
                "drifts up by {drift} {unit} an hour",
                drift=figures(f"{DRIFT_K_PER_H:g}", ""),
                unit=unit,
            ),
            {"fault": "drift", "size_K": DRIFT_K_PER_H},
        ),
        (
            say(
                "drifts down by {drift} {unit} an hour",
                drift=figures(f"{DRIFT_K_PER_H:g}", ""),
                unit=unit,
            ),
            {"fault": "drift", "size_K": -DRIFT_K_PER_H},
        ),
        (
            say("reads {off} {unit} too high", off=figures(f"{_OFF_K:g}", ""), unit=unit),
            {"fault": "offset", "size_K": _OFF_K},
        ),
        (
            say("reads {off} {unit} too low", off=figures(f"{_OFF_K:g}", ""), unit=unit),
            {"fault": "offset", "size_K": -_OFF_K},
        ),
    ]
    return [
        Failure(joined(" ", (name, words)), ProbeFault(name=NAME, at_s=0, probe=name, **fields))
        for words, fields in kinds
    ]


def _of_drive(name: str, fan: bool, dial: bool) -> list[Failure]:
    words = {
        "stuck_on": say("runs on at full speed") if fan else say("is stuck on"),
        "stuck_off": say("is stalled") if fan else say("is stuck off"),
        "weak": say("gives half"),
    }
    if dial:
        words["welded"] = say("has its own thermostat welded")
    return [
        Failure(joined(" ", (name, said)), DriveFault(name=NAME, at_s=0, drive=name, fault=fault))
        for fault, said in words.items()
    ]


def without_failures(trial: Trial) -> Trial:
    """A trial without the failures that it has itself, and without marks."""
    return with_fields(trial, events=tuple(each for each in trial.events if each.kind not in _FAULTS), marks=())
