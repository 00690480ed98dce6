"""A controller's decision at one sample, in words and numbers: the sentences stand with the laws."""

from kelvarn.units import Scale

from .laws import law_module
from .run import Run
from .sample import Sample


def why(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller decided at a sample, and why."""
    at = Sample(
        setpoint_degC=float(run.setpoint_degC[index]),
        measured_degC=float(run.measured_degC[index]),
        asked=float(run.asked[index]),
        given=float(run.drive[index]),
        delay_left_s=float(run.delay_left_s[index]),
        code=int(run.law_code[index]),
        direction=run.direction,
    )
    said: str = law_module(run.controller).why(run.controller, at, scale)
    return said
