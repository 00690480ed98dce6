"""Turn it up until it rings: a law at ever higher gain, to the edge and beyond."""

from kelvarn.model.edit import with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.sentence import figures, say

from .process import PlantError
from .reserve import gain_factor, loops_at, reserve

_SHARES = (0.5, 0.8)  # of the way to the edge, by factors
_AT_EDGE = (0.97, 1.03, 1.4)  # times it: it just settles, it just does not, it rings for all to see


def turned_up(rig: Rig, law: Pid, setpoint_degC: float) -> list[tuple[str, Pid]]:
    """Laws with more and more gain, each with what it is called; the last ones ring ever more.

    Args:
        rig: the rig.
        law: whose gain is turned up.
        setpoint_degC: round which it rings.

    Raises:
        PlantError: no gain makes it ring, or it rings as it is.
    """
    edge = reserve(min(loops_at(rig, law, setpoint_degC), key=gain_factor)).gain_factor
    if edge is None:
        raise PlantError(say("No gain makes this loop oscillate."))
    if edge <= 1:
        raise PlantError(
            say("It oscillates as it is: gain ×{edge} is all that it bears.", edge=figures(f"{edge:.3g}", ""))
        )
    factors = [edge**share for share in _SHARES] + [share * edge for share in _AT_EDGE]
    return [
        (say("gain ×{factor}", factor=figures(f"{factor:.3g}", "")), with_fields(law, kp_per_K=law.kp_per_K * factor))
        for factor in factors
    ]
