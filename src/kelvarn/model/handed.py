"""What is kept of handovers: what was written into which board, what its proof found, what was seen to."""

from typing import Any, Literal

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .fields import ModelBase, Name, Notes, OneLine, field, number

CheckName = Literal["cut_off", "outputs_alone", "user_knows"]
CHECKS: dict[CheckName, tuple[str, str]] = {
    "cut_off": (say("Independent cut-off"), say("one that needs no software is fitted and was seen to act")),
    "outputs_alone": (say("Outputs tried alone"), say("each was switched before the load was connected")),
    "user_knows": (say("Who may use it knows"), say("what the setpoint does not do, and what to do first")),
}
"""What nobody but the maker can see to before a handover: what it is, and what a tick says."""
Numbers = Literal[32, 64]
_WHEN = "By the clock of the computer, as 2026-11-30T12:00."
_STATE = "Of rig, law and trials: the fingerprint that sheets carry."


class Tick(ModelBase):
    """Something that was seen to, by whom and when; older files say neither."""

    check: CheckName = field(..., "What", "What was seen to.")
    who: OneLine = field("", "Who", "Who ticked it.", max_length=100)
    at: OneLine = field("", "When", _WHEN, max_length=40)

    @model_validator(mode="before")
    @classmethod
    def _of_a_name(cls, value: Any) -> Any:
        return {"check": value} if isinstance(value, str) else value

    @property
    def says(self) -> str:
        """Who and when, in words; empty where that is not known."""
        day = self.at.replace("T", " ")
        return " · ".join(part for part in (self.who, day) if part)


class Adjustable(ModelBase):
    """A setting of a program that stays adjustable in the device."""

    candidate: Name = field(..., "Candidate", "Whose setting it is.")
    setting: OneLine = field(..., "Setting", "Its name in the settings of the program.", max_length=100)
    lowest: float = number(..., Quantity.NUMBER, -1e9, 1e9, "Lowest", "In the unit of the settings.")
    highest: float = number(..., Quantity.NUMBER, -1e9, 1e9, "Highest", "In the unit of the settings.")
    step: float = number(..., Quantity.NUMBER, 1e-9, 1e9, "Step", "By which it is turned.")

    @model_validator(mode="after")
    def _in_order(self) -> "Adjustable":
        if self.lowest >= self.highest:
            raise ValueError(
                say("the lowest {setting} must be below the highest, not {lowest}", setting=self.setting,
                    lowest=figures(f"{self.lowest:g}", ""))
            )  # fmt: skip
        return self


class Unit(ModelBase):
    """One of several devices that are made alike."""

    name: Name = field(..., "Name", "What it is called.")
    address: OneLine = field("", "Address", "By which it is told from the others.", max_length=60)


class WrittenFile(ModelBase):
    """A file that was written."""

    name: OneLine = field(..., "Name", "Of the file.", max_length=100)
    text: Notes = field(..., "Text", "All of it.")


class Handed(ModelBase):
    """Of a program: whose, for what."""

    candidate: Name = field(..., "Candidate", "Whose program it is.")
    trial: Name = field(..., "Trial", "The one whose plan it follows.")
    board: OneLine = field(..., "Board", "That it goes into.", max_length=40)
    numbers: Numbers = field(64, "Numbers", "Bits of its numbers.")
    at: OneLine = field(..., "When", _WHEN, max_length=40)
    state: OneLine = field(..., "State", _STATE, max_length=40)


class HandedOver(Handed):
    """A program that was written."""

    files: tuple[WrittenFile, ...] = field(..., "Files", "As they were written.", max_length=40)


class KeptCheck(ModelBase):
    """What a check of a proof found."""

    name: OneLine = field(..., "Name", "Of the check.", max_length=200)
    what: Notes = field("", "What", "What was put through.")
    samples: int = number(0, Quantity.NUMBER, 0, 10**12, "Samples", "Decisions that were compared.")
    differing: int = number(0, Quantity.NUMBER, 0, 10**12, "Differ", "Decisions that differ.")
    largest: float = number(0.0, Quantity.NUMBER, 0, 1e300, "Farthest off", "By how much a number is off at most.")
    first: Notes = field("", "First", "What differs first, in words.")
    left: Notes = field("", "Left", "Why it was not done; empty where it was.")


class KeptMeasure(ModelBase):
    """What was measured of a program on a chip."""

    what: OneLine = field(..., "What", "What was measured.", max_length=100)
    value: float = number(..., Quantity.NUMBER, 0, 1e12, "Value", "How much.")
    unit: OneLine = field(..., "Unit", "Of that.", max_length=40)


class KeptProof(Handed):
    """What the proof of a program found."""

    version: OneLine = field(..., "Version", "Of Kelvarn, which proved it.", max_length=40)
    checks: tuple[KeptCheck, ...] = field(..., "Checks", "One by one.", max_length=100)
    not_reached: tuple[OneLine, ...] = field((), "Not reached", "Lines that nothing reached.", max_length=2000)
    lines: int = number(0, Quantity.NUMBER, 0, 10**6, "Lines", "Of the control step.")
    measured: tuple[KeptMeasure, ...] = field((), "Measured", "Of the program on a chip.", max_length=20)
