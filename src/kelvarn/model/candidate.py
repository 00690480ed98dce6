"""A candidate: one controller with its settings, one of several that compete."""

from typing import Annotated, get_args

from pydantic import Field

from .curve import Curve
from .fields import ModelBase, Name, Notes, field
from .fixed import Fixed
from .on_off import OnOff
from .pid import Pid
from .set_aside import SetAside

_Law = OnOff | Curve | Pid | Fixed
Controller = Annotated[_Law, Field(discriminator="law")]
STRATEGIES: dict[str, type[_Law]] = {name: law for law in get_args(_Law) for name in law.strategies}
"""Every strategy as the buttons call it, and its law; the simplest first."""


class Candidate(ModelBase):
    """One controller with its settings."""

    name: Name = field(..., "Name", "What the candidate is called.")
    controller: Controller = field(..., "Controller", "How it controls.")
    hidden: bool = field(False, "Hidden", "Whether it is left off the strip.")
    notes: Notes = field("", "Notes", "What is worth knowing of this candidate.")
    set_aside: tuple[SetAside, ...] = field((), "Set aside", "Remarks that do not count here.", max_length=60)

    @property
    def strategy(self) -> str:
        """Its strategy as people say it: on/off, PI, fan steps."""
        return self.controller.strategy
