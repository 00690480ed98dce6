"""The project: all that is saved together."""

from typing import Literal

from pydantic import model_validator

from kelvarn.sentence import say
from kelvarn.units import Scale

from .bench import MOST_STEPS, FirstHourStep
from .bought import Bought
from .candidate import Candidate
from .fields import ModelBase, Name, Notes, OneLine, field
from .handed import Adjustable, CheckName, HandedOver, KeptProof, Tick, Unit
from .kept_run import MOST_KEPT, KeptRun
from .log import MOST_FITS, MOST_LOGS, KeptFit, Log
from .names import check_unique
from .rig import Rig
from .trial import Trial
from .version import MOST_VERSIONS, Version
from .wiring import Wiring

LaneName = Literal[
    "temperature", "bodies", "probes", "counts", "drive", "output", "terms", "flow", "ice", "switching", "pulses",
    "guards", "permits", "events",
]  # fmt: skip
FORMAT = 1
"""Number of the file format this version writes; raised with every change that needs a migration."""


class Project(ModelBase):
    """All that is saved together."""

    format: Literal[1] = field(1, "Format", "Number of the file format.")
    name: Name = field(..., "Name", "What the project is called.")
    rig: Rig = field(..., "Rig", "The thing to control.")
    candidates: tuple[Candidate, ...] = field(
        ..., "Candidates", "Controllers that compete.", min_length=1, max_length=60
    )
    trials: tuple[Trial, ...] = field(
        ..., "Trials", "What the candidates are put through.", min_length=1, max_length=60
    )
    chosen: Name | None = field(None, "Chosen", "The candidate that goes to the device.")
    notes: Notes = field("", "Notes", "Whatever is worth keeping.")
    ideas: Notes = field("", "Ideas to try", "What else may be worth trying, one a line.")
    lanes: tuple[LaneName, ...] = field(
        ("temperature", "drive", "switching", "events"), "Lanes", "What the strip shows.", min_length=1, max_length=14
    )
    experiment: OneLine = field("", "Experiment", "Which of the experiments it is; empty: none.", max_length=40)
    kept: tuple[KeptRun, ...] = field((), "Kept runs", "Runs that are kept for good.", max_length=MOST_KEPT)
    logs: tuple[Log, ...] = field((), "Logs", "What was recorded of the real thing.", max_length=MOST_LOGS)
    fits: tuple[KeptFit, ...] = field(
        (), "Fitted models", "Those that were used, the last one last.", max_length=MOST_FITS
    )
    checked: tuple[Tick, ...] = field((), "Seen to", "What was seen to before the handover.", max_length=3)
    adjustable: tuple[Adjustable, ...] = field(
        (), "Adjustable", "Settings that stay adjustable in the device.", max_length=60
    )
    units: tuple[Unit, ...] = field((), "Units", "Devices that are made alike.", max_length=200)
    bought: Bought = field(Bought(), "Bought controller", "What one that was bought can hold.")
    handed_over: tuple[HandedOver, ...] = field(
        (), "Handed over", "The program of each candidate that was written last.", max_length=60
    )
    proofs: tuple[KeptProof, ...] = field((), "Proofs", "What the last proof of each program found.", max_length=60)

    wiring: Wiring = field(Wiring(), "Wiring", "How the device is wired.")
    versions: tuple[Version, ...] = field((), "Versions", "What it was once, by name.", max_length=MOST_VERSIONS)

    first_hour: tuple[FirstHourStep, ...] = field(
        (), "First hour", "Steps that were done beside the device.", max_length=MOST_STEPS
    )

    look_again: OneLine = field(
        "", "Look again", "The day on which the device is to be looked at again, as 2026-12-06.", max_length=20
    )

    @model_validator(mode="after")
    def _names_fit(self) -> "Project":
        check_unique([candidate.name for candidate in self.candidates], "candidate")
        check_unique([trial.name for trial in self.trials], "trial")
        check_unique([run.name for run in self.kept], "kept run")
        check_unique([log.name for log in self.logs], "log")
        check_unique([version.name for version in self.versions], "version")
        check_unique([fit.name for fit in self.fits], "fitted model")
        check_unique([tick.check for tick in self.checked], "tick")
        check_unique([unit.name for unit in self.units], "unit")
        check_unique([unit.address for unit in self.units if unit.address], "address")
        check_unique([f"{each.setting} of {each.candidate}" for each in self.adjustable], "adjustable setting")
        if self.chosen is not None and self.chosen not in [c.name for c in self.candidates]:
            raise ValueError(say("the chosen candidate “{chosen}” does not exist", chosen=self.chosen))
        for trial in self.trials:
            self._events_fit(trial)
        for candidate in self.candidates:
            try:
                candidate.controller.check(self.rig.way)
            except ValueError as error:
                raise ValueError(
                    say("candidate “{candidate}” {error}", candidate=candidate.name, error=error)
                ) from None
        return self

    def _events_fit(self, trial: Trial) -> None:
        """Raise ValueError where an event or mark of a trial names what the rig does not have."""
        rig = self.rig
        parts: list[tuple[ModelBase, str]] = [(event, f"event “{event.name}”") for event in trial.events]
        parts += [(mark, f"the mark on {mark.measure}") for mark in trial.marks]
        for part, what in parts:
            for key in type(part).model_fields:
                names, name = rig.names_for(key), getattr(part, key)
                if names is not None and isinstance(name, str) and name not in names:
                    title = {"to": "body", "draw_off": "draw-off"}.get(key, key)
                    raise ValueError(
                        say("{what} of trial “{trial}” names the {title} “{name}”, which does not exist", what=what,
                            trial=trial.name, title=title, name=name)
                    )  # fmt: skip
        for event in trial.events:
            try:
                event.check(rig)
            except ValueError as error:
                raise ValueError(
                    say("event “{event}” of trial “{trial}” {error}", event=event.name, trial=trial.name, error=error)
                ) from None

    @property
    def seen_to(self) -> dict[CheckName, Tick]:
        """What was seen to, with who and when."""
        return {tick.check: tick for tick in self.checked}

    @property
    def scale(self) -> Scale | None:
        """Unit of what is controlled where that is no temperature, else None."""
        return None if self.rig.unit is None else Scale(self.rig.unit, own=True)

    def log(self, name: str) -> Log:
        """The log of this name; raises KeyError where there is none."""
        for found in self.logs:
            if found.name == name:
                return found
        raise KeyError(name)

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
