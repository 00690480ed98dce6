"""What a law would do at a reading that somebody names, everything else being as it is at a sample of a run."""

import numpy as np

from kelvarn.engine.run import Run
from kelvarn.engine.static_curve import static_curve
from kelvarn.model.curve import Curve
from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.units import Quantity, Scale, show

from .laws.pid import setpoint_followed
from .why import law_at, sample_of


def at_reading(run: Run, index: int, degC: float, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller would do at a steady reading.

    Args:
        run, index: the state that it is in: setpoint, integral, on or off.
        degC: the reading.
        scale: that the sentence speaks in.
    """
    law = law_at(run, index)
    here, setpoint = show(degC, Quantity.TEMPERATURE, scale), float(run.setpoint_degC[index])
    if isinstance(law, OnOff):
        return f"at {here} it would {_on_off(law, run, index, setpoint, degC)}"
    if isinstance(law, Curve):
        rising, falling = _on_curve(law, run, setpoint, degC)
        said = show(rising, Quantity.DRIVE)
        if rising != falling:
            said += f" as it is passed, {show(falling, Quantity.DRIVE)} on the way back"
        return f"at {here} it would give {said}"
    if isinstance(law, Fixed):
        return f"at {here} it would give {show(law.drive, Quantity.DRIVE)}, as at any other"
    asked = _asked(law, run, index, degC)
    given = min(max(asked, law.low), law.high)
    kept = f", with its integral of {show(float(run.i[index]), Quantity.DRIVE)}" if law.integrates else ""
    limited = "" if given == asked else f" and give {show(given, Quantity.DRIVE)}, its limit"
    return f"at {here}, held there{kept}, it would ask for {show(asked, Quantity.DRIVE)}{limited}"


def _on_curve(law: Curve, run: Run, setpoint_degC: float, degC: float) -> tuple[float, float]:
    """Drive on the way to more of it, and on the way back."""
    way, far = run.rig.way, abs(degC) + 1000.0
    found = static_curve(law, setpoint_degC, way, -far, far)
    assert found is not None
    lines = [np.array(line) * (-way.sign, 1.0) for line in (found.rising, found.falling or found.rising)]
    rising, falling = (float(np.interp(-way.sign * degC, *line.T)) for line in lines)
    return rising, falling


def _on_off(law: OnOff, run: Run, index: int, setpoint_degC: float, degC: float) -> str:
    sign = run.direction
    on_degC, off_degC = law.on_off_degC(setpoint_degC, Way(sign))
    if run.rig.way.both and sign * (degC - setpoint_degC) > law.dead_band_K / 2:  # the side of what cools
        on_degC, off_degC = (2 * setpoint_degC - edge + sign * law.dead_band_K for edge in (on_degC, off_degC))
        sign = -sign
    if sign * (degC - on_degC) <= 0:
        return "switch on"
    if sign * (degC - off_degC) >= 0:
        return "switch off"
    return f"stay {'on' if run.drive[index] else 'off'}, as it is here"


def _asked(law: Pid, run: Run, index: int, degC: float) -> float:
    """As `engine.laws.pid.ask`: the proportional part goes by Kp with the reading, and there is no speed."""
    at = sample_of(run, index)
    ahead = law.feed_per_K or 0.0
    terms = at.p - law.kp_per_K * at.direction * (degC - at.measured_degC) + at.i + law.bias
    terms += ahead * (setpoint_followed(law, at) - at.direction * law.feed_from_degC)
    half = law.dead_band / 2
    if abs(terms) <= half:
        return 0.0
    return terms - half if terms > 0 else law.cooling_ratio * (terms + half)
