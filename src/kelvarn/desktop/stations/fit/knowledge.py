"""What is known of the logs: read and fitted beside the window, kept until something that it is made of changes."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.files.faults import FileError
from kelvarn.files.logs.reader import Opened, look_again, read_log
from kelvarn.fit.design import Kind
from kelvarn.fit.observed import FitError, Observed, observed
from kelvarn.fit.response import LogFit
from kelvarn.fit.rig_fit import RigFit, choosable, fit_rig, replayed
from kelvarn.fit.same_settings import SameSettings, settings_in
from kelvarn.fit.trust import FitReport, report
from kelvarn.fit.what_changed import Comparison, Drift, compare, drift_over
from kelvarn.model.log import Log
from kelvarn.model.log_data import LogData
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig

_READ, _FIT, _COMPARE, _DRIFT = "logs", "fit", "what has changed", "drift"


@dataclass(frozen=True)
class WantedFit:
    """What is to be fitted.

    Attributes:
        kind: a model, "rig", or None for the preferred one.
        robust: outliers count less.
        held: texts of parameters of the rig that are not free.
    """

    kind: Kind | str | None = None
    robust: bool = False
    held: frozenset[str] = frozenset()


@dataclass(frozen=True, eq=False)
class RigReport:
    """A fit of the rig itself, and how it holds on logs that it was not fitted to."""

    fit: RigFit
    checks: tuple[LogFit, ...]


def _key(log: Log) -> Hashable:
    return log.raw, log.reading


def _fit_key(project: Project, wanted: WantedFit) -> Hashable:
    """What a fit depends on."""
    logs = tuple((_key(log), log.name, log.used, log.left_out, log.use) for log in project.logs if log.use != "aside")
    return logs, wanted, project.rig if wanted.kind == "rig" else project.rig.way


class Knowledge(QObject):
    """See the module.

    Signals:
        updated: something else is known.

    Attributes:
        fitted: the report on the logs that are fitted to; None while unknown.
        fault: why there is none.
        comparison: what has changed; a sentence where it cannot be told, None while unknown.
        settings: whose settings the log was made with; None where it does not tell.
        drift: how the heat loss went over all logs; None while unknown.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._data: dict[Hashable, LogData | str] = {}
        self._looks: dict[bytes, Opened | str] = {}
        self._reading: tuple[Hashable, ...] = ()
        self._wanted: Hashable = None
        self._compared: Hashable = None
        self._drifted: Hashable = None
        self.fitted: FitReport | RigReport | None = None
        self.fault = ""
        self.comparison: Comparison | str | None = None
        self.settings: SameSettings | None = None
        self.drift: Drift | str | None = None

    def forget(self) -> None:
        """Another project altogether: what was fitted is of the old one."""
        for channel in (_FIT, _COMPARE, _DRIFT):
            self._jobs.stop(channel)
        self._wanted = self._compared = self._drifted = None
        self.fitted, self.fault = None, ""
        self.comparison = self.settings = self.drift = None

    def data(self, log: Log) -> LogData | str | None:
        """What a log says; a sentence where it cannot be read, None while it is being read."""
        return self._data.get(_key(log))

    def look(self, log: Log) -> Opened | str:
        """How a log is laid out, and what its columns would be guessed as; a sentence where that fails."""
        found = self._looks.get(log.raw)
        if found is None:
            try:
                found = look_again(log)
            except FileError as error:
                found = str(error)
            self._looks = {**dict(list(self._looks.items())[-8:]), log.raw: found}
        return found

    @property
    def busy(self) -> bool:
        """Whether something is under way."""
        return any(self._jobs.busy(channel) for channel in (_READ, _FIT, _COMPARE, _DRIFT))

    @property
    def fitting(self) -> bool:
        """Whether a fit is under way; what is known meanwhile is of an earlier state."""
        return self._jobs.busy(_FIT)

    def stop(self) -> None:
        """Give up the fit that is under way; what was known before stays."""
        self._jobs.stop(_FIT)
        self.updated.emit()

    def request(self, project: Project, wanted: WantedFit) -> None:
        """Have what is not known yet read and fitted."""
        if self._read(project.logs):
            return
        chosen = tuple(log for log in project.logs if log.use != "aside")
        key = _fit_key(project, wanted)
        if key == self._wanted:
            return
        self._wanted = key
        if not any(log.use == "fit" for log in chosen):
            self._jobs.stop(_FIT)
            self.fitted, self.fault = None, ""
            return
        pairs = [(log, self._data[_key(log)]) for log in chosen]
        self._jobs.start(_FIT, lambda: _fit(pairs, wanted, project.rig), self._take_fit)

    def keep(self, project: Project, wanted: WantedFit) -> None:
        """What is known holds for a project too: its rig was made of it, and the logs would be counted twice."""
        self._wanted = _fit_key(project, wanted)

    def _read(self, logs: Sequence[Log]) -> bool:
        """Whether some log is still to be read; then that is under way, and what follows waits for it."""
        missing = tuple(log for log in logs if _key(log) not in self._data)
        if not missing:
            kept = {_key(log) for log in logs}
            self._data = {key: value for key, value in self._data.items() if key in kept}
            return False
        keys = tuple(_key(log) for log in missing)
        if keys != self._reading or not self._jobs.busy(_READ):
            self._reading = keys
            self._jobs.start(_READ, lambda: {_key(log): _data_of(log) for log in missing}, self._take_data)
        return True

    def _take_data(self, outcome: object) -> None:
        assert isinstance(outcome, dict)
        self._data |= outcome
        self._wanted = None
        self.updated.emit()

    def _take_fit(self, outcome: object) -> None:
        self.fitted, self.fault = (None, outcome) if isinstance(outcome, str) else (outcome, "")  # type: ignore[assignment]
        self.updated.emit()

    def compare(self, project: Project, log: Log) -> None:
        """Have it worked out what has changed of the rig since a log was as it was."""
        data = self.data(log)
        key = (_key(log), log.used, log.left_out, project.rig, project.candidates)
        if data is None or key == self._compared:
            return
        self._compared, self.comparison = key, None
        self.settings = None
        self._jobs.start(_COMPARE, lambda: _compare(project, log, data), self._take_comparison)

    def _take_comparison(self, outcome: object) -> None:
        assert isinstance(outcome, tuple)
        self.comparison, self.settings = outcome
        self.updated.emit()

    def ask_drift(self, project: Project) -> None:
        """Have it worked out how the heat loss went from log to log."""
        pairs = [(log, self.data(log)) for log in project.logs]
        key = (tuple((_key(log), log.used, log.left_out) for log, _ in pairs), project.rig)
        if len(pairs) < 2 or any(data is None for _, data in pairs) or key == self._drifted:
            return
        self._drifted, self.drift = key, None
        self._jobs.start(_DRIFT, lambda: _drift(project.rig, pairs), self._take_drift)

    def _take_drift(self, outcome: object) -> None:
        self.drift = outcome  # type: ignore[assignment]
        self.updated.emit()


def _data_of(log: Log) -> LogData | str:
    try:
        return read_log(log)
    except FileError as error:
        return str(error)


def _observed(log: Log, data: LogData | str | None) -> Observed:
    if not isinstance(data, LogData):
        raise FitError(str(data))
    return observed(log.name, data, log.used, log.left_out)


def _fit(pairs: Sequence[tuple[Log, LogData | str]], wanted: WantedFit, rig: Rig) -> object:
    """A report, or why there is none."""
    try:
        logs = [_observed(log, data) for log, data in pairs if log.use == "fit"]
        checks = [_observed(log, data) for log, data in pairs if log.use == "check"]
        if wanted.kind == "rig":
            free = [p for p in choosable(rig) if p.text not in wanted.held]
            made = fit_rig(rig, logs, free)
            return RigReport(made, tuple(replayed(made.rig, log) for log in checks))
        return report(logs, wanted.kind, checks, robust=wanted.robust, way=rig.way.sign)  # type: ignore[arg-type]
    except FitError as error:
        return str(error)


def _compare(project: Project, log: Log, data: LogData | str) -> object:
    """What has changed, or why that cannot be told; and what the log says of the settings."""
    settings = settings_in(project, data) if isinstance(data, LogData) else None
    try:
        metered = data.energy_J if isinstance(data, LogData) else None
        energy_J = None if metered is None else float(metered[-1])
        return compare(project.rig, _observed(log, data), energy_J), settings
    except FitError as error:
        return str(error), settings


def _drift(rig: Rig, pairs: Sequence[tuple[Log, LogData | str | None]]) -> object:
    logs = []
    for log, data in pairs:
        try:
            logs.append(_observed(log, data))
        except FitError:
            continue
    try:
        return drift_over(rig, logs) if len(logs) > 1 else tell("two logs or more are needed")
    except FitError as error:
        return str(error)
