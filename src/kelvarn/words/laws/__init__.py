"""What each law says of a sample, a reading and its settings, in a module of its own."""

from typing import Any

from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.units import Scale

from . import by_hand, curve, on_off, pid

_WORDS: dict[type, Any] = {OnOff: on_off, Curve: curve, Pid: pid, Fixed: by_hand}


def words_of(controller: Controller) -> Any:
    """The module that speaks of a controller's law: `terms`, `why`, `at_reading` and `settings`."""
    return _WORDS[type(controller)]


def law_text(law: Controller, scale: Scale = Scale.CELSIUS) -> str:
    """A law's main settings in a few words."""
    said: str = words_of(law).settings(law, scale)
    return said
