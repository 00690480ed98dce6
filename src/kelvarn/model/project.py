"""The project: all that is saved together."""

from typing import Literal

from pydantic import model_validator

from .candidate import Candidate
from .fields import Name, Part, other
from .names import check_unique
from .rig import Rig
from .trial import Trial

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
        bodies = {body.name for body in self.rig.bodies}
        for trial in self.trials:
            for part, what in [(e, f"event “{e.name}”") for e in trial.events] + [
                (m, f"the mark on {m.measure}") for m in trial.marks
            ]:
                body = getattr(part, "body", None)
                if body is not None and body not in bodies:
                    raise ValueError(f"{what} of trial “{trial.name}” names the body “{body}”, which does not exist")
        return self

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
