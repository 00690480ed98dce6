"""A log made of a kept run: a run is a log like any other."""

from collections.abc import Sequence

from kelvarn.model.kept_run import KeptRun
from kelvarn.model.log import Log, LogColumn, LogReading
from kelvarn.model.names import free_name

_COLUMNS = (
    LogColumn(name="time_s", role="time", form="s"),
    LogColumn(name="temperature_degC", role="temperature", form="degC"),
    LogColumn(name="setpoint_degC", role="setpoint", form="degC"),
    LogColumn(name="drive", role="drive", form="share"),
)


def log_of_run(run: KeptRun, taken: Sequence[str]) -> Log:
    """A kept run as a log.

    Args:
        run: it.
        taken: names that other logs have.
    """
    rows = [",".join(column.name for column in _COLUMNS)]
    rows += [
        f"{k * run.every_s:.6g},{degC:.6g},{setpoint:.6g},{drive:.6g}"
        for k, (degC, setpoint, drive) in enumerate(zip(run.degC, run.setpoint_degC, run.drive, strict=True))
    ]
    raw = ("\n".join(rows) + "\n").encode()
    reading = LogReading(first_row=1, columns=_COLUMNS)
    return Log(name=free_name(run.name, taken), file=f"{run.name}.csv", reading=reading, raw=raw, confirmed=True)
