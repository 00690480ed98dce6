"""What a program is put through, beside the engine in its place (`twin.py`)."""

import os
import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np

from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.layout import Floats
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Run, compute
from kelvarn.model.edit import with_fields
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, joined, say
from kelvarn.studies.failure_kinds import failures_of
from kelvarn.studies.failure_moments import moments_of
from kelvarn.studies.variants import draw

from .adjusting import AdjustedLine, adjusting
from .board_files import adjusts
from .board_rows import Ints, RowsOfRuns, plain_row, random_row
from .carry import Carried, columns
from .chips import ChipProgram
from .comparing import compared
from .edges import Beside
from .places import PLACES
from .proof_records import Check, Compared, Difference, Measured
from .second import SecondOpinion, unknown_to
from .toolchain import Executable, ProgramError, Runs, build
from .twin import BoardRow, Stored, Twin, same

_RIGS, _CUTS, _CUTS_WHILE_STORING, _ODD_SAMPLES, _JUMPS = 500, 200, 40, 4000, 60
_RIGS_ON_CHIP, _CUTS_ON_CHIP = 20, 40
_MOST_SAMPLES = 4000
"""Of a trial, where it is put through many rigs or failures."""
_WITHIN = 2e-4
"""Share by which a number of 32 bits may be off; what it decides may not."""
_LAST_BITS = 1e-11
_ADJUSTMENTS = 2000
_FINE_K = 1e-9
_SECOND_SAMPLES, _WALKED_K = 3000, 60.0
_TEN_YEARS_MS = 10 * 365 * 24 * 3_600_000


class Prover:
    """Puts a program through checks, beside the engine.

    Args:
        carried: the program.
        folder: for its files.
        on: where it runs, of `PLACES`.
    """

    def __init__(self, carried: Carried, folder: Path, on: str = "host") -> None:
        self.carried, self._folder = carried, folder
        self.rig, self.trial = carried.project.rig, carried.trial
        self.law = carried.candidate.controller
        self._body, self._on = carried.sources.body, on
        self.covered: Executable | None = None
        self.program: Runs = PLACES[on].build(carried, folder / on)
        if on == "host":
            self.covered = build(carried, folder / "covered", covered=True)
        self.interval_ms = Twin(carried).device.control.timing[0].interval_ms
        self._runs = RowsOfRuns(carried)
        self._within = _WITHIN if carried.real == "float" else self._doubles_within()
        self.draw, self._near = random.Random(1), sorted(self._levels())

    def _doubles_within(self) -> float:
        """Nothing; but on a chip log() and exp() have a library of their own, whose last bit may be another."""
        theirs = self._on != "host" and any(name in self._body for name in ("LOG_OF(", "EXP_OF("))
        return _LAST_BITS if theirs else 0.0

    def prove(self, go_on: Callable[[float], bool]) -> tuple[Check, ...]:
        """All checks."""
        made: list[Check] = []
        for place, (name, check) in enumerate(self.checks()):
            try:
                done = check() if go_on(place / len(self.checks())) else Check("", left=say("It was stopped."))
            except ProgramError as error:
                done = Check("", str(error), Compared(differing=1))
            made.append(replace(done, name=name if self._on == "host" else joined(": ", (self._on, name))))
        return tuple(made)

    def not_reached(self) -> tuple[str, ...]:
        """Lines of `control.c` that nothing has reached so far; on a chip that is not looked at."""
        source = self._body.splitlines()
        missed = self.covered.not_reached() if self.covered is not None else []
        return tuple(f"control.c, line {k}: {source[k - 1].strip()}" for k in missed)

    def measured(self) -> tuple[Measured, ...]:
        """What was measured of it on its chip."""
        return tuple(self.program.measured.values()) if isinstance(self.program, ChipProgram) else ()

    def checks(self) -> tuple[tuple[str, Callable[[], Check]], ...]:
        """What it is put through, by name and in order; each gives a check that has no name yet."""
        many = self._on == "host"
        found: list[tuple[str, Callable[[], Check]]] = [
            (say("the trial"), self._trial_itself),
            (say("failures"), self._failures),
            (say("edges"), self._edges),
            (say("rigs that differ"), lambda: self._rigs(_RIGS if many else _RIGS_ON_CHIP)),
            (say("odd clocks and readings"), self._odd),
            (say("power cuts"), lambda: self._restarts(_CUTS if many else _CUTS_ON_CHIP, storing=False)),
            (say("ten years"), self.ten_years),
        ]
        if many or adjusts(self.carried):
            found.append((say("settings written while it runs"), self._adjusted))
        if many:
            found.insert(0, (say("a second opinion"), self.second_opinion))
            found.insert(7, (say("cuts while storing"), lambda: self._restarts(_CUTS_WHILE_STORING, storing=True)))
        return tuple(found)

    def compare(self, rows: Sequence[BoardRow]) -> Compared:
        """What the program tells of rows, beside the engine."""
        return self._beside(Twin(self.carried), rows, self._both(np.array(rows)))[0]

    def _beside(
        self, twin: Twin, rows: Sequence[BoardRow], found: Floats, *, cut: bool = False
    ) -> tuple[Compared, Twin]:
        """What a program told of rows beside the engine, and the engine after that.

        Args:
            twin: the engine before the rows.
            rows, found: what the board read, and what the program told.
            cut: it was cut off before it had told all.
        """
        if self.carried.real == "float":
            beside = Beside(twin, self._within)
            (expected, due), twin = beside.told(rows, found), beside.twin
        else:
            beside = None
            told = [(row, decided) for row in rows if (decided := twin.row(row)) is not None]
            due, expected = [row for row, _ in told], [decided for _, decided in told]
        if cut:
            expected, due = expected[: len(found)], due[: len(found)]
        made = compared(self.carried, self._within, expected, found, due)
        return (made if beside is None else replace(made, edges=beside.edges)), twin

    def _both(self, rows: Floats) -> Floats:
        if self.covered is not None:
            self.covered.run(rows)
        return self.program.run(rows)

    def _check(self, what: str, those: Iterable[Sequence[BoardRow]]) -> Check:
        return Check("", what, sum((self.compare(rows) for rows in those), Compared()))

    # What is put through.

    def _trial_itself(self) -> Check:
        parts = self._runs.of(compute(self.rig, self.law, self.trial))
        starts = f", switched on {len(parts)} times" if len(parts) > 1 else ""
        what = f"“{self.trial.name}”, each of its samples{starts}"
        return self._check(what, (rows.tolist() for _, rows in parts))

    def _of_runs(self, what: str, runs: Iterable[tuple[Rig, Trial]]) -> Check:
        """Runs of the compiled engine beside the program; where they differ by more than rounding, the plain engine."""
        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            return Check("", what, sum(pool.map(lambda each: self._beside_kernel(*each), runs), Compared()))

    def _beside_kernel(self, rig: Rig, trial: Trial) -> Compared:
        try:
            run = compute(rig, self.law, trial)
        except RunError:
            return Compared()
        result = Compared()
        for samples, rows in self._runs.of(run):
            found = self.program.run(rows)
            # To the last bit only the engine without a compiler is the same.
            near = _as_kernel(run, found, samples, max(self._within, _FINE_K))
            result += Compared(len(found)) if near else self.compare(rows.tolist())
        return result

    def _failures(self) -> Check:
        moments = list(moments_of(self.rig, self.law, self.trial).values())
        tried = [failure for failure in failures_of(self.rig) if failure.event is not None]
        short = self._short(self.trial)

        def those() -> Iterator[tuple[Rig, Trial]]:
            for place, failure in enumerate(tried):
                event = failure.at(min(moments[place % len(moments)], 0.8 * short.duration_s))
                yield self.rig, short.model_copy(update={"events": (*short.events, event)})

        return self._of_runs(
            say("{failures} single failures, each at a moment of the trial", failures=len(tried)), those()
        )

    def _edges(self) -> Check:
        """Readings exactly on, just above and just below every level that anything acts at."""
        levels = self._near
        step_K = self.rig.probe.resolution_K or 0.1
        fine_K = _FINE_K if self.carried.real == "double" else 1e-3  # what a number of 32 bits can tell apart

        def those() -> Iterator[Sequence[BoardRow]]:
            for level in levels:
                rows = []
                for k in range(120):
                    off = (-step_K, 0.0, step_K, fine_K, -fine_K, 5.0, -5.0)[(k // 12) % 7]
                    rows.append(plain_row(self.carried, k * self.interval_ms, [level + off] * len(self.rig.probes)))
                yield rows

        return self._check(say("{levels} levels: exactly on, just above, just below", levels=len(levels)), those())

    def _levels(self) -> set[float]:
        rig = self.rig
        found = {getattr(guard, "at_degC", self.trial.plan.last_degC) for guard in rig.guards}
        found |= {change.to_degC for change in self.trial.plan.changes}
        for setpoint in tuple(found):
            found |= {edge.degC for edge in self.law.edges(setpoint, rig.way)}
        return found | {rig.probe.lowest_degC, rig.probe.highest_degC}

    def _rigs(self, count: int) -> Check:
        try:
            rigs = draw(self.rig, count)
        except ValueError as error:
            return Check("", left=str(error))
        short = self._short(self.trial)
        what = say("{rigs} rigs that differ by their tolerances", rigs=len(rigs))
        return self._of_runs(what, ((rig, short) for rig in rigs))

    def second_opinion(self) -> Check:
        """Beside what the equations say, worked out apart from the engine."""
        unknown = unknown_to(self.carried)
        if unknown:
            return Check("", left=unknown)
        second, rows, expected = SecondOpinion(self.carried), list[BoardRow](), list[tuple[float, float]]()
        reset_at = [name for _, _, name, _ in columns(self.carried)].index("reset")
        first_degC = self.trial.plan.changes[0].to_degC
        levels = [level for level in self._near if abs(level - first_degC) < _WALKED_K]
        degC = aim = first_degC - 10.0
        for k in range(_SECOND_SAMPLES):  # from one level to another, to and fro past each
            if self.draw.random() < 0.03:
                aim = self.draw.choice(levels) + self.draw.uniform(-8.0, 8.0)
            degC += 0.1 * (aim - degC) + self.draw.gauss(0.0, 0.3)
            reading = None if k and self.draw.random() < 0.01 else round(degC, 3)
            row, reset = plain_row(self.carried, k * self.interval_ms, [reading]), self.draw.random() < 0.02
            row[3 + reset_at] = float(reset)
            told = second.step(k * self.interval_ms / 1000.0, reading, reset)
            assert told is not None
            rows.append(row)
            expected.append(told)
        found = self._both(np.array(rows))
        within = max(self._within, 1e-6)
        apart = [k for k, (r, given) in enumerate(expected)
                 if not (same(r, found[k, 0], within) and same(given, found[k, 2], within))]  # fmt: skip
        first = None
        if apart:
            k = apart[0]
            first = Difference("given", k, tuple(rows[k]), expected[k][1], float(found[k, 2]))
        return Check("", "setpoint and drive, by the equations", Compared(len(found), len(apart), first))

    def _odd(self) -> Check:
        """Clocks that wrap, samples late, twice and missing, readings that are none, people at the buttons."""

        def those() -> Iterator[Sequence[BoardRow]]:
            for begins_ms in (0, (1 << 32) - 50 * self.interval_ms, (1 << 31) - 7):
                yield self._odd_rows(begins_ms, _ODD_SAMPLES // 3)

        return self._check(
            say(
                "{samples} samples: clocks that wrap, late, twice, missing",
                samples=figures(f"{_ODD_SAMPLES:,}", ""),
            ),
            those(),
        )

    def ten_years(self) -> Check:
        """Ten years of clock, jumped through."""

        def those() -> Iterator[Sequence[BoardRow]]:
            rows, now = [], 0
            for jump in range(_JUMPS):
                if jump % 4 == 0:  # what stays so over several jumps grows older than any cap
                    stays = self._random_row(now)
                for k in range(20):
                    rows.append(
                        self._random_row(now) if jump % 4 == 3 and k < 10 else [float(now % (1 << 32)), *stays[1:]]
                    )
                    now += self.interval_ms
                now += _TEN_YEARS_MS // _JUMPS
            yield rows

        return self._check(say("ten years of clock in {jumps} jumps", jumps=_JUMPS), those())

    def _adjusted(self) -> Check:
        """Settings written while it runs: inside of their ranges, at the ends, beyond them, no setting at all."""
        adjusted = adjusting(self.carried).adjusted
        if not adjusted:
            return Check("", left=say("No setting of this program can be written while it runs."))

        def those() -> Iterator[Sequence[BoardRow]]:
            for _ in range(4):
                rows = self._odd_rows(0, _ADJUSTMENTS // 4)
                for row in rows:
                    if self.draw.random() < 0.2:
                        row[-2:] = self._adjustment(adjusted)
                yield rows

        return self._check(say("{samples} samples, a setting written in every fifth", samples=_ADJUSTMENTS), those())

    def _adjustment(self, adjusted: Sequence[AdjustedLine]) -> list[float]:
        place = self.draw.randrange(len(adjusted) + 1)
        each = adjusted[min(place, len(adjusted) - 1)]
        width = each.highest - each.lowest
        value = self.draw.choice((each.lowest, each.highest, each.lowest + self.draw.random() * width,
                                  each.highest + width, each.lowest - width))  # fmt: skip
        return [float(place), float(np.float32(value)) if self.carried.real == "float" else value]

    def _restarts(self, count: int, *, storing: bool) -> Check:
        """Power cuts at many moments, each a new program with only what was stored.

        While something is stored: it has what was stored before, or what was being stored.
        """
        if not self.carried.sources.stored and not adjusts(self.carried):
            return Check("", left=say("There is nothing that it stores."))
        memory, other = self._folder / f"memory-{storing}", self._folder / "memory-covered"
        memory.unlink(missing_ok=True)
        able, found, now = [Twin(self.carried)], Compared(), 0  # in which of these states it may be
        for cut in range(count):
            away = self.draw.choice([0, 1000, 3_600_000])
            rows = [self._random_row(now + k * self.interval_ms) for k in range(self.draw.randint(3, 60))]
            now += len(rows) * self.interval_ms
            cut_after = self.draw.randint(0, 60) if storing else -1
            if not storing and self.covered is not None:  # the same once more, for the lines that it reaches
                self.covered.run(np.array(rows), memory=other, away_ms=away)
            told = self.program.run(np.array(rows), memory=memory, away_ms=away, cut_after=cut_after)
            if cut:
                able = [twin.restarted(kept, away) for twin in able for kept in _kept(twin, storing=storing)]
            # What was cut off has told nothing of the sample in which it stored.
            put = rows[: len(told) + 1] if storing else rows
            tried = [self._beside(twin, put, told, cut=storing) for twin in able]
            best = min((compared for compared, _ in tried), key=lambda each: each.differing)
            # What was cut off before it could tell them apart may still be either.
            still = [twin for compared, twin in tried if compared.differing == best.differing]
            able = list({(*twin.kept.values(), *twin.before.values()): twin for twin in still}.values())
            found += best
        if storing:
            what = say("{count} power cuts in the middle of storing", count=count)
        else:
            what = say("{count} power cuts at random moments", count=count)
        return Check("", what, found)

    def _short(self, trial: Trial) -> Trial:
        lasts_s = min(trial.duration_s, _MOST_SAMPLES * self.rig.probe.interval_s)
        events = tuple(event for event in trial.events if event.at_s < lasts_s)
        try:
            return with_fields(trial, duration_s=lasts_s, events=events, marks=())
        except ValueError:  # a plan with changes after that
            return with_fields(trial, marks=())

    def _random_row(self, now_ms: int) -> BoardRow:
        return random_row(self.carried, now_ms, self._near, self.draw)

    def _odd_rows(self, begins_ms: int, count: int) -> list[BoardRow]:
        """Rows whose clock wraps, that come late, twice or not at all, with ticks in between; at first no reading."""
        nothing: list[float | None] = [None] * len(self.rig.probes)
        rows, now = [plain_row(self.carried, begins_ms, nothing)], begins_ms
        for _ in range(count):
            now += int(self.draw.choice([1, 1, 1, 1, 0, 1.001, 0.3, 2, 7]) * self.interval_ms)
            rows.append(self._random_row(now))
        return rows


def _kept(twin: Twin, *, storing: bool) -> list[Stored]:
    return [twin.kept, twin.before] if storing else [twin.kept]


def _as_kernel(run: Run, found: Floats, samples: Ints, within: float) -> bool:
    """Whether a program told what the compiled engine decided, but for what its fused multiplication rounds."""
    if len(found) != len(samples):
        return False
    numbers = (run.setpoint_degC, run.asked, run.drive)
    # A thermal cut-off is a switch of its own, of which the controller knows nothing.
    guards = np.where(run.guard_code[samples] % RULERS == Ruler.THERMAL_CUT_OFF, found[:, 4], run.guard_code[samples])
    codes = (run.law_code[samples], guards, run.alarm_code[samples])
    near = all(np.allclose(found[:, column], of[samples], rtol=0, atol=within) for column, of in enumerate(numbers))
    return near and all((found[:, 3 + column] == of).all() for column, of in enumerate(codes))
