"""A controller's decision at one sample, in words and numbers: the sentences stand with the laws."""

from kelvarn.units import Scale

from .laws import law_module
from .run import Run
from .sample import Sample, Term


def why(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller decided at a sample, and why."""
    said: str = law_module(run.controller).why(run.controller, _sample(run, index), scale)
    return said


def terms(run: Run, index: int) -> list[Term]:
    """The terms of the run's law at a sample; none where it has none."""
    found: list[Term] = law_module(run.controller).terms(run.controller, _sample(run, index))
    return found


def _sample(run: Run, index: int) -> Sample:
    return Sample(
        setpoint_degC=float(run.setpoint_degC[index]),
        measured_degC=float(run.measured_degC[index]),
        asked=float(run.asked[index]),
        given=float(run.drive[index]),
        delay_left_s=float(run.delay_left_s[index]),
        code=int(run.law_code[index]),
        direction=run.direction,
        both=run.rig.way.both,
        p=float(run.p[index]),
        i=float(run.i[index]),
        d=float(run.d[index]),
    )
