"""What the Fit station does to the project. Every edit is named, and can be undone."""

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from pydantic import ValidationError

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.files.faults import FileError
from kelvarn.files.logs.made import log_of_run
from kelvarn.files.logs.reader import open_log, open_path
from kelvarn.fit.reuse import trial_of, use_response, use_rig
from kelvarn.fit.rig_fit import RigFit
from kelvarn.fit.trust import FitReport
from kelvarn.model.edit import EditError, put, with_fields
from kelvarn.model.kept_run import KeptRun
from kelvarn.model.log import MOST_LOGS, MOST_NOTES, MOST_SPANS, Log, LogNote, LogReading, LogSpan
from kelvarn.model.log_data import LogData
from kelvarn.model.project import Project
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

_LEAST_SHARE = 0.01  # of a log, that a span is long


class LogEdits:
    """Edits of logs.

    Args:
        document: the project.
        show: shows a log, by name.
    """

    def __init__(self, document: Document, show: Callable[[str], None]) -> None:
        self._document, self._show = document, show

    @property
    def _project(self) -> Project:
        return self._document.project

    def open(self, path: Path) -> None:
        """Add a file. Raises FileError where it is no log."""
        self._add(open_path(path, self._names()).log)

    def paste(self, text: str) -> None:
        """Add what was copied. Raises FileError where it is no log."""
        if not text.strip():
            raise FileError(
                say("Nothing was copied that could be a log: copy its rows, with the header, and paste again.")
            )
        self._add(open_log(text.encode(), "pasted.csv", self._names()).log)

    def from_run(self, run: KeptRun) -> None:
        """Add a kept run as a log."""
        self._add(log_of_run(run, self._names()))

    def _names(self) -> list[str]:
        return [log.name for log in self._project.logs]

    def _add(self, log: Log) -> None:
        if len(self._project.logs) >= MOST_LOGS:
            raise EditError(say("A project has at most {most} logs; remove one first.", most=MOST_LOGS))
        if any(other.raw == log.raw for other in self._project.logs):
            raise FileError(say("“{file}” is in the project already.", file=log.file))
        like = next((o for o in reversed(self._project.logs) if o.confirmed and _alike(o.reading, log.reading)), None)
        if like is not None:  # as the last one of this shape was read
            log = with_fields(log, reading=like.reading, confirmed=True)
        use = "check" if any(other.use == "fit" for other in self._project.logs) else "fit"
        log = with_fields(log, use=use)
        self._document.apply(
            with_fields(self._project, logs=(*self._project.logs, log)), tell("add the log {log}", log=log.name)
        )
        self._show(log.name)

    def place(self, name: str) -> int:
        """Where a log stands."""
        return self._names().index(name)

    def set(self, log_name: str, what: str, *, dragged: bool = False, **fields: object) -> None:
        """Change fields of a log, as an edit with a name."""
        place = self.place(log_name)
        log = with_fields(self._project.logs[place], **fields)
        self._document.apply(put(self._project, ("logs", place), log), what, dragged=dragged)

    def remove(self, name: str) -> None:
        """Take a log out."""
        logs = tuple(log for log in self._project.logs if log.name != name)
        self._document.apply(with_fields(self._project, logs=logs), tell("remove the log {name}", name=name))

    def rename(self, old: str, new: str) -> None:
        """Call a log something else."""
        self.set(old, tell("rename the log {old}", old=old), name=new)
        self._show(new.strip())

    def read_as(self, name: str, reading: LogReading, what: str) -> None:
        """Read a log otherwise."""
        self.set(name, what, reading=reading)

    def leave_out(self, name: str, from_s: float, to_s: float, why: str = "") -> None:
        """Leave a span out of the fit."""
        log = self._project.log(name)
        if len(log.left_out) >= MOST_SPANS:
            raise EditError(say("A log has at most {most} spans left out; let one count again first.", most=MOST_SPANS))
        span = LogSpan(from_s=max(from_s, 0.0), to_s=to_s, why=why[:80])
        self.set(
            name, tell("leave {to} out", to=show(to_s - from_s, Quantity.DURATION)), left_out=(*log.left_out, span)
        )

    def take_in(self, name: str, index: int) -> None:
        """Let a span count again."""
        spans = list(self._project.log(name).left_out)
        spans.pop(index)
        self.set(name, tell("let a span count again"), left_out=tuple(spans))

    def note_at(self, name: str, at_s: float, text: str) -> None:
        """Pin a note to a moment."""
        if len(self._project.log(name).moments) >= MOST_NOTES:
            raise EditError(say("A log has at most {most} notes; remove one first.", most=MOST_NOTES))
        moments = (*self._project.log(name).moments, LogNote(at_s=max(at_s, 0.0), text=text[:200]))
        self.set(name, tell("note at a moment"), moments=tuple(sorted(moments, key=lambda note: note.at_s)))

    def remove_note(self, name: str, index: int) -> None:
        """Take a note away."""
        moments = list(self._project.log(name).moments)
        moments.pop(index)
        self.set(name, tell("remove a note"), moments=tuple(moments))

    # Drags: they come many a second, and stay where they last could be.

    def drag_used(self, name: str, end_s: float, *, first: bool, time_s: float) -> str:
        """The span used begins or ends at another instant."""
        log = self._project.log(name)
        low, high = (log.used.from_s, log.used.to_s) if log.used is not None else (0.0, end_s)
        least = _LEAST_SHARE * end_s
        if first:
            low = min(max(time_s, 0.0), high - least)
        else:
            high = max(min(time_s, end_s), low + least)
        whole = low <= 0 and high >= end_s
        self._drag(name, tell("span used"), used=None if whole else LogSpan(from_s=low, to_s=high))
        return show(low if first else high, Quantity.DURATION)

    def drag_left_out(self, name: str, index: int, time_s: float, *, end: bool, end_s: float) -> str:
        """A span that is left out is moved, or ends elsewhere."""
        spans = list(self._project.log(name).left_out)
        if index >= len(spans):
            return ""
        span, least = spans[index], _LEAST_SHARE * end_s / 4
        if end:
            made = (span.from_s, max(min(time_s, end_s), span.from_s + least))
        else:
            begin = min(max(time_s, 0.0), max(end_s - (span.to_s - span.from_s), 0.0))
            made = (begin, begin + span.to_s - span.from_s)
        spans[index] = LogSpan(from_s=made[0], to_s=made[1], why=span.why)
        self._drag(name, tell("span left out"), left_out=tuple(spans))
        return f"{show(made[0], Quantity.DURATION)} … {show(made[1], Quantity.DURATION)}"

    def _drag(self, name: str, what: str, **fields: object) -> None:
        if self._document.in_stroke:
            with suppress(ValidationError):
                self.set(name, what, dragged=True, **fields)

    # What comes of it

    def use_response(self, found: FitReport) -> None:
        """Let the rig be the fitted response. Raises EditError where it is no model of what the drive does."""
        self._document.apply(use_response(self._project, found), tell("use the fitted model in the rig"))

    def with_rig(self, fit: RigFit) -> Project:
        """The project with the fitted values in its rig."""
        return use_rig(self._project, fit)

    def to_trial(self, log: Log, data: LogData) -> str:
        """Make a trial of what a log went through; its name."""
        trial = trial_of(self._project, log, data)
        self._document.apply(
            with_fields(self._project, trials=(*self._project.trials, trial)), tell("trial as in {log}", log=log.name)
        )
        return trial.name


def _alike(one: LogReading, other: LogReading) -> bool:
    """Whether two files are of one shape: the same columns with the same names, delimiter and decimals."""
    names = [[column.name for column in reading.columns] for reading in (one, other)]
    shape = [(r.shape, r.delimiter, r.decimal, r.first_row) for r in (one, other)]
    return names[0] == names[1] and any(names[0]) and shape[0] == shape[1]
