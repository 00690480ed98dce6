"""What each law says of a sample: its terms and one sentence, in a module of its own."""

from typing import Any

from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid

from . import by_hand, curve, on_off, pid

_WORDS: dict[type, Any] = {OnOff: on_off, Curve: curve, Pid: pid, Fixed: by_hand}


def words_of(controller: Controller) -> Any:
    """The module that speaks of a controller's law: `terms` and `why`."""
    return _WORDS[type(controller)]
