"""What heat a link carries, and true extremes of a course: the one declaration that all integrations and sums read."""

import math

from kelvarn.units import KELVIN_AT_0_DEGC

from .compiled import part
from .plant import LinkRecord


@part
def conductance(link: LinkRecord, flow: float) -> float:
    """W/K of a link, radiation apart: still + full · flow^exponent, flow 0…1."""
    if link.mover >= 0 and flow > 0.0:
        return link.still_W_per_K + link.full_W_per_K * flow**link.flow_exponent
    return link.still_W_per_K


@part
def carried(link: LinkRecord, g: float, a_degC: float, b_degC: float) -> tuple[float, float, float]:
    """Heat that a link of conductance g carries from its end b to its end a: g (b − a) + σεA (b⁴ − a⁴), in K there.

    Args:
        link: its radiating conductance.
        g: conductance, W/K.
        a_degC, b_degC: temperatures of its ends.

    Returns:
        W; by how much less for a kelvin more at a, and by how much more for one at b, W/K.
    """
    heat = g * (b_degC - a_degC)
    if link.radiating_W_per_K4 == 0.0:
        return heat, g, g
    ka, kb = a_degC + KELVIN_AT_0_DEGC, b_degC + KELVIN_AT_0_DEGC
    heat += link.radiating_W_per_K4 * (kb * kb * kb * kb - ka * ka * ka * ka)
    by_a = g + 4.0 * link.radiating_W_per_K4 * ka * ka * ka
    by_b = g + 4.0 * link.radiating_W_per_K4 * kb * kb * kb
    return heat, by_a, by_b


@part
def between(y0: float, rate0: float, y1: float, rate1: float, span: float, share: float) -> float:
    """Value of a smooth course between two instants: the cubic that meets values and rates at both (Hermite).

    Args:
        y0, rate0, y1, rate1: value and its rate in 1/s at the two.
        span: from one to the other, s.
        share: where between them, 0…1.
    """
    left = 1.0 - share
    return (
        y0 * (1.0 + 2.0 * share) * left * left
        + y1 * share * share * (3.0 - 2.0 * share)
        + span * share * left * (rate0 * left - rate1 * share)
    )


@part
def rate_between(y0: float, rate0: float, y1: float, rate1: float, span: float, share: float) -> float:
    """Rate of such a course there, 1/s.

    Args:
        y0, rate0: value and rate at its beginning.
        y1, rate1: at its end.
        span: between the two, s.
        share: where in it, 0…1.
    """
    left = 1.0 - share
    return (
        6.0 * (y1 - y0) * share * left / span
        + rate0 * left * (left - 2.0 * share)
        + rate1 * share * (share - 2.0 * left)
    )


@part
def turning_share(y0: float, rate0: float, y1: float, rate1: float, span: float) -> float:
    """Where such a course turns, 0…1, its rates at the two ends having different signs.

    Args:
        y0, rate0, y1, rate1, span: as for `rate_between`.
    """
    a, b, way = rate0 * span, rate1 * span, y1 - y0
    # Its derivative by the share is a + 2(3·way − 2a − b) s + 3(a + b − 2·way) s², with one zero between 0 and 1.
    half, square = 3.0 * way - 2.0 * a - b, 3.0 * (a + b - 2.0 * way)
    root = math.sqrt(max(half * half - square * a, 0.0))
    pivot = -half - root if half >= 0.0 else -half + root
    share = a / pivot if pivot != 0.0 else 0.5
    if not 0.0 <= share <= 1.0:
        share = pivot / square if square != 0.0 else 0.5
    return min(max(share, 0.0), 1.0)


@part
def turning(y0: float, rate0: float, y1: float, rate1: float, span: float) -> float:
    """Extreme value of such a course; arguments as for `turning_share`."""
    return between(y0, rate0, y1, rate1, span, turning_share(y0, rate0, y1, rate1, span))
