"""What is kept of a device that was stood beside: which steps of the first hour were done, with what they found."""

from .fields import ModelBase, OneLine, field

MOST_STEPS = 200


class FirstHourStep(ModelBase):
    """A step of the first hour that was done."""

    step: OneLine = field(..., "Step", "Which step.", max_length=20)
    candidate: OneLine = field(..., "Candidate", "Whose program the device had.", max_length=200)
    state: OneLine = field("", "State", "Of rig, law and trials: the fingerprint of its program.", max_length=40)
    at: OneLine = field("", "When", "By the clock of the computer, as 2026-11-30T12:00.", max_length=40)
    found: OneLine = field("", "Found", "What came of it, in words.", max_length=300)
