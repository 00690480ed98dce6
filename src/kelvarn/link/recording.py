"""What a device tells, on disk each second: a log that is there up to its last second whatever happens.

A recording is a CSV file: `#` lines with what it is of and what happened, a heading, a row a sample. It is only ever
added to, and forced onto the disk once a second; one that broke off in the middle of a line is cut back to its last
whole one and gone on with.
"""

import os
import re
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from kelvarn.files.faults import printable
from kelvarn.handover.points import OUTPUT, PROBE
from kelvarn.model.log import Log, LogColumn, LogNote, LogReading
from kelvarn.model.names import free_name
from kelvarn.sentence import joined, say

from .lines import Sample
from .listener import Listener

KEEP_EVERY_S = 1.0
MOST_WAITING = 20_000
"""Rows that are kept while the disk takes none; then the oldest are lost, and it is said."""
_PLAIN = (
    "time_s", "at", "setpoint_degC", "measured_degC", "drive", "asked", "law", "guard", "alarm", "tripped", "mode",
    "stopped",
)  # fmt: skip
_NOTE = re.compile(r"# note (\d+(?:\.\d+)?) (.*)")
_BEGINS = "# Kelvarn recording"
_WRAPS_MS = 1 << 32


class RecordingError(RuntimeError):
    """A recording cannot be begun or gone on with; one sentence."""


@dataclass(frozen=True)
class Facts:
    """What a recording is of.

    Attributes:
        project, candidate, state: whose device it is.
        probes, outputs: names of the columns after the plain ones.
        settings: of the device when it began, as text by name.
    """

    project: str
    candidate: str
    state: str
    probes: tuple[str, ...]
    outputs: tuple[str, ...]
    settings: tuple[tuple[str, str], ...] = ()

    def heading(self) -> str:
        """The first lines of a file."""
        lines = [
            f"{_BEGINS} 1", f"# project {_plain(self.project)}", f"# candidate {_plain(self.candidate)}",
            f"# state {_plain(self.state)}", *(f"# setting {name} {value}" for name, value in self.settings),
            ",".join((*_PLAIN, *self.columns())),
        ]  # fmt: skip
        return "".join(f"{line}\n" for line in lines)

    def columns(self) -> list[str]:
        """Names of the columns of probes and outputs."""
        return [f"{name}_degC" for name in self.probes] + list(self.outputs)


def facts_of(listener: Listener, project: str, candidate: str, probes: Sequence[str] = ()) -> Facts:
    """What a recording of a device that is listened to is of.

    Args:
        listener: of the device, with what it has told of itself.
        project, candidate: whose device it is.
        probes: what to call its probes where it names none.
    """
    names = [point.name for point in listener.points]
    return Facts(
        project=project, candidate=candidate,
        state=listener.identity.state if listener.identity is not None else "",
        probes=tuple(name for name in names if name.startswith(PROBE)) or tuple(probes),
        outputs=tuple(name for name in names if name.startswith(OUTPUT)),
        settings=tuple((point.name, f"{listener.values[point.name].value}") for point in listener.points
                       if point.writes and point.name in listener.values),
    )  # fmt: skip


class DeviceTime:
    """Seconds since the first sample, by the device's clock, which wraps, and begins anew when the device does."""

    def __init__(self) -> None:
        self._last_ms: int | None = None
        self._last_at_s = 0.0
        self.time_s = 0.0

    def of(self, sample: Sample) -> float:
        """When a sample was, s; never before the one before it."""
        if self._last_ms is not None:
            passed_ms = (sample.t_ms - self._last_ms) % _WRAPS_MS
            heard_s = max(sample.at_s - self._last_at_s, 0.0)
            began_anew = passed_ms > _WRAPS_MS // 2 or (
                sample.t_ms < self._last_ms and passed_ms / 1000.0 > heard_s + 60
            )
            # One that began anew knows nothing of the time between: the clock of who listens does.
            self.time_s += heard_s if began_anew else passed_ms / 1000.0
        self._last_ms, self._last_at_s = sample.t_ms, sample.at_s
        return self.time_s


class Recorder:
    """Writes a recording.

    Args:
        path: of the file; one that is there is gone on with.
        facts: what it is of.
        clock: seconds that only go on.
        now: the clock of the day.

    Raises:
        RecordingError: it cannot be written, or is no recording of the same columns.
    """

    def __init__(
        self, path: Path, facts: Facts, clock: Callable[[], float] = time.monotonic,
        now: Callable[[], datetime] = datetime.now,
    ) -> None:  # fmt: skip
        self.path, self._clock, self._now = path, clock, now
        self.rows, self.trouble = 0, ""
        self._waiting: list[str] = []
        self._lost = 0
        self._begins_s = 0.0
        self._facts = facts
        self._kept_at = clock()
        try:
            resumes = path.exists() and path.stat().st_size > 0
            self._begins_s = self._mend() if resumes else 0.0
            self._file = path.open("ab", buffering=0)
        except OSError as error:
            raise RecordingError(
                say("{file} cannot be written: {why}.", file=printable(path), why=error.strerror)
            ) from None
        if not resumes:
            self._waiting.append(facts.heading())
        else:
            self._waiting.append(f"# resumed {now().isoformat(timespec='seconds')}\n")
        self.keep()
        if self.trouble:
            self._file.close()
            raise RecordingError(self.trouble)

    def _mend(self) -> float:
        """Cut half a line off; the instant from which on to go on."""
        heading = self._facts.heading().splitlines()[-1]
        with self.path.open("r+b") as file:
            whole = file.read()
            if not whole.startswith(_BEGINS.encode()) or f"\n{heading}\n".encode() not in whole:
                raise RecordingError(
                    say("{file} is no recording of this device: name another file to record into.",
                        file=printable(self.path))
                )  # fmt: skip
            end = whole.rfind(b"\n") + 1
            file.truncate(end)
            os.fsync(file.fileno())
        rows = [line for line in whole[:end].decode("utf-8", "replace").splitlines() if line[:1].isdigit()]
        self.rows = len(rows)
        if not rows:
            return 0.0
        time_s, at = rows[-1].split(",")[:2]
        gone_s = 0.0
        with suppress(ValueError):
            gone_s = (self._now() - datetime.fromisoformat(at)).total_seconds()
        return float(time_s) + max(gone_s, 0.001)

    @property
    def begins_s(self) -> float:
        """The instant of the first row from now on."""
        return self._begins_s

    def add(self, sample: Sample, time_s: float) -> None:
        """Add a row.

        Args:
            sample: it.
            time_s: since recording began or was gone on with.
        """
        cells: list[str] = [
            f"{self._begins_s + time_s:.3f}", self._now().isoformat(timespec="milliseconds"),
            f"{sample.setpoint_degC:g}", _cell(sample.reading_degC), f"{sample.given:g}", f"{sample.asked:g}",
            str(sample.law), str(sample.guard), str(sample.alarm), str(sample.tripped), str(sample.mode),
            str(int(sample.stopped)),
        ]  # fmt: skip
        cells += [_cell(sample.probes_degC.get(k)) for k in range(len(self._facts.probes))]
        cells += [_cell(sample.outputs.get(k)) for k in range(len(self._facts.outputs))]
        self._put(",".join(cells) + "\n")
        self.rows += 1

    def note(self, text: str, time_s: float) -> None:
        """Note something that happened."""
        self._put(f"# note {self._begins_s + time_s:.3f} {_plain(text)}\n")

    def _put(self, line: str) -> None:
        self._waiting.append(line)
        if len(self._waiting) > MOST_WAITING:
            self._lost += len(self._waiting) - MOST_WAITING
            del self._waiting[:-MOST_WAITING]
        if self._clock() - self._kept_at >= KEEP_EVERY_S:
            self.keep()

    def keep(self) -> None:
        """Force what waits onto the disk; `trouble` then says why that could not be, until it can."""
        self._kept_at = self._clock()
        if not self._waiting:
            return
        data = "".join(self._waiting).encode()
        at = os.fstat(self._file.fileno()).st_size
        try:
            written = 0
            while written < len(data):
                written += self._file.write(data[written:]) or 0
            os.fsync(self._file.fileno())
        except OSError as error:
            with suppress(OSError):  # no half rows: they are written again
                os.ftruncate(self._file.fileno(), at)
            self.trouble = say("{file} takes no more rows: {error}. They are kept in memory for now; make room.",
                               file=printable(self.path), error=error.strerror)  # fmt: skip
            if self._lost:
                lost = say("{many} rows are lost.", many=self._lost)
                self.trouble = joined(" ", (self.trouble, lost))
            return
        self.trouble = say("{many} rows were lost while the disk was full.", many=self._lost) if self._lost else ""
        self._waiting.clear()

    def close(self) -> None:
        """Keep what waits and close it; again does nothing."""
        if not self._file.closed:
            self.keep()
            self._file.close()


def _cell(value: float | None) -> str:
    return "" if value is None else f"{value:.6g}"


def _plain(text: str) -> str:
    return printable(text).replace("\n", " ").replace(",", ";")[:200]


def log_of_recording(path: Path, taken: Sequence[str]) -> Log:
    """A recording as a log.

    Args:
        path: of its file.
        taken: names that other logs have.

    Raises:
        RecordingError: it cannot be read, or is none.
    """
    try:
        raw = path.read_bytes()
    except OSError as error:
        raise RecordingError(say("{file} cannot be read: {why}.", file=printable(path), why=error.strerror)) from None
    lines = raw.decode("utf-8", "replace").splitlines()
    heading = next((k for k, line in enumerate(lines) if line.startswith("time_s,")), None)
    if heading is None or not lines[0].startswith(_BEGINS):
        raise RecordingError(say("{file} is no recording of Kelvarn.", file=printable(path)))
    first = next((float(line.split(",", 1)[0]) for line in lines[heading + 1 :] if line[:1].isdigit()), 0.0)
    notes = [LogNote(at_s=max(float(found[1]) - first, 0.0), text=found[2]) for line in lines
             if (found := _NOTE.fullmatch(line)) and found[2]]  # fmt: skip
    # Rows alone: a log is a table.
    table = [lines[heading], *(line for line in lines[heading + 1 :] if line[:1].isdigit())]
    known = {"time_s": ("time", "s"), "setpoint_degC": ("setpoint", "degC"), "measured_degC": ("temperature", "degC"),
             "drive": ("drive", "share")}  # fmt: skip
    columns = tuple(
        LogColumn(name=name, role=known[name][0], form=known[name][1]) if name in known else LogColumn(name=name)
        for name in lines[heading].split(",")
    )
    reading = LogReading(first_row=1, columns=columns)
    return Log(
        name=free_name(printable(path.stem)[:80] or "recording", taken), file=printable(path.name)[:250],
        reading=reading, raw=("\n".join(table) + "\n").encode(), confirmed=True, moments=tuple(notes[:200]),
    )  # fmt: skip
