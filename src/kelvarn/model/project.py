"""The project: all that is saved together."""

from typing import Literal

from pydantic import model_validator

from kelvarn.units import Scale

from .candidate import Candidate
from .fields import SURROUNDINGS, Name, Part, other
from .names import check_unique
from .rig import Rig
from .trial import DoorOpens, Trial

FORMAT = 1
"""Number of the file format this version writes; raised with every change that needs a migration."""


class Project(Part):
    """All that is saved together."""

    format: Literal[1] = other(1, "Format", "Number of the file format.")
    name: Name = other(..., "Name", "What the project is called.")
    rig: Rig = other(..., "Rig", "The thing to control.")
    candidates: tuple[Candidate, ...] = other(
        ..., "Candidates", "Controllers that compete.", min_length=1, max_length=60
    )
    trials: tuple[Trial, ...] = other(
        ..., "Trials", "What the candidates are put through.", min_length=1, max_length=60
    )
    chosen: Name | None = other(None, "Chosen", "The candidate that goes to the device.")
    notes: str = other("", "Notes", "Whatever is worth keeping.", max_length=100_000)

    @model_validator(mode="after")
    def _names_fit(self) -> "Project":
        check_unique([candidate.name for candidate in self.candidates], "candidate")
        check_unique([trial.name for trial in self.trials], "trial")
        if self.chosen is not None and self.chosen not in [c.name for c in self.candidates]:
            raise ValueError(f"the chosen candidate “{self.chosen}” does not exist")
        for trial in self.trials:
            self._events_fit(trial)
        return self

    def _events_fit(self, trial: Trial) -> None:
        """Raise ValueError where an event or mark of a trial names what the rig does not have."""
        rig = self.rig
        known = {
            "body": set(rig.body_names),
            "to": {*rig.body_names, SURROUNDINGS},
            "probe": {probe.name for probe in rig.probes},
            "draw_off": {found.name for found in rig.draw_offs},
        }
        parts = [(event, f"event “{event.name}”") for event in trial.events]
        marks = [(mark, f"the mark on {mark.measure}") for mark in trial.marks]
        for part, what in (*parts, *marks):
            for field, names in known.items():
                name = getattr(part, field, None)
                if isinstance(name, str) and name not in names:
                    title = {"to": "body", "draw_off": "draw-off"}.get(field, field)
                    raise ValueError(f"{what} of trial “{trial.name}” names the {title} “{name}”, which does not exist")
        for event in trial.events:
            if isinstance(event, DoorOpens):
                if event.to == event.body:
                    raise ValueError(f"event “{event.name}” of trial “{trial.name}” opens “{event.to}” to itself")
                link = rig.link_between(event.body, event.to)
                if event.conductance_W_per_K is None and (link is None or link.opened_W_per_K == 0):
                    raise ValueError(
                        f"event “{event.name}” of trial “{trial.name}” opens a door that the rig does not have; "
                        "give its extra loss, or what the link adds when its door opens"
                    )

    @property
    def scale(self) -> Scale | None:
        """Unit of what is controlled where that is no temperature, else None."""
        response = self.rig.response
        return None if response is None or response.unit is None else Scale(response.unit, own=True)

    @property
    def first_trial(self) -> Trial:
        """The trial that is meant where none is chosen."""
        return self.trials[0]

    def candidate(self, name: str) -> Candidate:
        """The candidate of this name; raises KeyError where there is none."""
        for found in self.candidates:
            if found.name == name:
                return found
        raise KeyError(name)

    def trial(self, name: str) -> Trial:
        """The trial of this name; raises KeyError where there is none."""
        for found in self.trials:
            if found.name == name:
                return found
        raise KeyError(name)
