"""Named versions inside a project: what it is of, as it was once."""

from .candidate import Candidate
from .fields import ModelBase, Name, OneLine, field
from .rig import Rig
from .trial import Trial
from .wiring import Wiring

MOST_VERSIONS = 20


class Version(ModelBase):
    """Rig, candidates, trials and wiring as they were."""

    name: Name = field(..., "Name", "What the version is called.")
    day: OneLine = field("", "Day", "When it was kept.", max_length=20)
    rig: Rig = field(..., "Rig", "As it was.")
    candidates: tuple[Candidate, ...] = field(..., "Candidates", "As they were.", min_length=1, max_length=100)
    trials: tuple[Trial, ...] = field(..., "Trials", "As they were.", min_length=1, max_length=100)
    wiring: Wiring = field(Wiring(), "Wiring", "As it was.")
    chosen: Name | None = field(None, "Chosen", "The candidate that was chosen.")
