"""Keeping a run: what of it goes into the project."""

import numpy as np
import numpy.typing as npt

from kelvarn.model.kept_run import MOST_SAMPLES, Figure, KeptRun
from kelvarn.model.names import free_name
from kelvarn.model.trial import Trial

from .results import Result


def kept_run(result: Result, trial: Trial, name: str, taken: list[str]) -> KeptRun:
    """A run to be kept.

    Args:
        result: the run, measured.
        trial: what it ran on, with its name.
        name: what it is to be called; `taken` are names that are in use.
    """
    run = result.run.thinned(MOST_SAMPLES)
    figures = result.measures.main.values | result.measures.values
    return KeptRun(
        name=free_name(name, taken), controller=run.controller, trial=trial,
        figures=tuple(Figure(measure=key, value=value) for key, value in figures.items()),
        every_s=float(run.time_s[1] - run.time_s[0]), degC=_rounded(run.judged_degC),
        setpoint_degC=_rounded(run.setpoint_degC), drive=_rounded(run.drive),
    )  # fmt: skip


def _rounded(values: npt.NDArray[np.float64]) -> tuple[float, ...]:
    return tuple(float(value) for value in np.round(values, 4))
