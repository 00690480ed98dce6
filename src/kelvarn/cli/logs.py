"""The commands about logs: `read`, `fit`, `compare`."""

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import typer

from kelvarn.files.faults import FileError, printable
from kelvarn.files.logs.guess import Guess
from kelvarn.files.logs.otherwise import with_role
from kelvarn.files.logs.reader import Opened, open_path, read_log
from kelvarn.files.project_file import SUFFIX, load
from kelvarn.fit.design import KINDS, Kind
from kelvarn.fit.least_squares import Estimate
from kelvarn.fit.observed import Observed, observed
from kelvarn.fit.response import ResponseFit
from kelvarn.fit.rig_fit import RigFit, fit_rig
from kelvarn.fit.same_settings import settings_in
from kelvarn.fit.trust import FitReport, report, two_points
from kelvarn.fit.what_changed import compare as compare_rig
from kelvarn.model.edit import with_fields
from kelvarn.model.log import FORM_WORDS, LONGEST_ROW_S, ROLE_WORDS, SHAPE_WORDS, SHORTEST_ROW_S, Log, LogSpan, Role
from kelvarn.model.log_data import LogData
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, UnitError, counted, parse, show

from .common import CommandError, File, Json, print_json, progress

app = typer.Typer()
_LogFile = Annotated[Path, typer.Argument(metavar="LOG", help="A log: CSV, TSV, serial monitor or JSON lines.")]
_Skip = Annotated[
    list[str] | None,
    typer.Option(metavar="FROM-TO", help="Leave out a span, counted from the first row: 2:00:00-2:04:00. Repeatable."),
]
_Column = typer.Option(help="Its name, or its number from 1.")
_SAID = {
    "gain_K": ("gain", Quantity.DIFFERENCE), "rise_K_per_s": ("rise", Quantity.RAMP),
    "lag_s": ("lag", Quantity.DURATION),
    "lag2_s": ("second lag", Quantity.DURATION), "dead_time_s": ("dead time", Quantity.DURATION),
}  # fmt: skip


def _said(sentence: str) -> None:
    typer.echo(sentence, err=True)


def _opened(path: Path, columns: dict[Role, str | None] | None = None) -> Log:
    """A log with the columns that were asked for, or the time between its rows; its doubts go to stderr."""
    found = open_path(path)
    guess = found.guess
    for role, wanted in (columns or {}).items():
        if wanted is None:
            continue
        names = [column.name for column in guess.reading.columns]
        if role == "time" and wanted not in names and not wanted.isdigit():
            reading, k = with_fields(guess.reading, interval_s=_between_rows(wanted, names)), -1
            for place, column in enumerate(reading.columns):  # it is told: a column taken for the time is none
                reading = with_role(reading, place, "left_out") if column.role == "time" else reading
        else:
            k = _column(names, wanted)
            reading = with_role(guess.reading, k, role)
        guess = Guess(reading, guess.why, tuple(doubt for doubt in guess.doubts if doubt.column != k))
    for doubt in guess.doubts:
        _said(f"{printable(path.name)}: {printable(doubt.text)}")
    return with_fields(found.log, reading=guess.reading)


def _between_rows(wanted: str, names: Sequence[str]) -> float:
    """Time between rows, s. Raises CommandError where it is neither that nor a column."""
    try:
        found = parse(wanted, Quantity.DURATION)
    except UnitError:
        known = ", ".join(printable(name) or str(k + 1) for k, name in enumerate(names))
        raise CommandError(
            f"“{printable(wanted)}” is neither a column nor a time between rows such as “2 s”; columns are: {known}."
        ) from None
    if not SHORTEST_ROW_S <= found <= LONGEST_ROW_S:
        low, high = (show(end, Quantity.DURATION) for end in (SHORTEST_ROW_S, LONGEST_ROW_S))
        raise CommandError(f"“{printable(wanted)}” between rows cannot be; it is from {low} to {high}: “--time=2s”.")
    return found


def _column(names: Sequence[str], wanted: str) -> int:
    if wanted in names:
        return names.index(wanted)
    if wanted.isdigit() and 1 <= int(wanted) <= len(names):
        return int(wanted) - 1
    known = ", ".join(printable(name) or str(k + 1) for k, name in enumerate(names))
    raise CommandError(f"There is no column “{printable(wanted)}”; there are: {known}.")


def _data(log: Log) -> LogData:
    data = read_log(log)
    if data.faults.text:
        _said(f"{log.file}: {data.faults.text}.")
    return data


def _observed(log: Log, left_out: Sequence[LogSpan] = ()) -> Observed:
    return observed(log.name, _data(log), left_out=left_out)


def _spans(skipped: Sequence[str] | None) -> list[LogSpan]:
    """Spans that are left out, s from the first row. Raises CommandError."""
    found = []
    for text in skipped or ():
        try:
            begin, end = (parse(part, Quantity.DURATION) for part in re.split("[-–…]", text))
        except (ValueError, UnitError):
            begin = end = 0.0
        if not 0 <= begin < end:
            raise CommandError(f"--skip {printable(text)} is no span: write where it begins and ends, 2:00:00-2:04:00.")
        found.append(LogSpan(from_s=begin, to_s=end))
    return found


@app.command()
def read(log: _LogFile, as_json: Json = False) -> None:
    """What each column of a log is, and why."""
    found = open_path(log)
    try:
        data, fault = read_log(found.log), ""
    except FileError as error:
        data, fault = None, str(error)
    if as_json:
        print_json("read", _read_json(found, data, fault))
        return
    reading = found.log.reading
    delimiter = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars", " ": "blanks"}[reading.delimiter]
    shape = f"{delimiter} between fields" if reading.shape == "table" else SHAPE_WORDS[reading.shape]
    decimal = "decimal comma" if reading.decimal == "," else "decimal point"
    print(f"{printable(log.name)}: {shape}, {decimal}, {reading.encoding}, values from line {reading.first_row + 1}")
    for k, (column, why) in enumerate(zip(reading.columns, found.guess.why, strict=True)):
        form = f", {FORM_WORDS[column.form]}" if column.form else ""
        print(f"  {k + 1} {printable(column.name) or '(no name)'}: {ROLE_WORDS[column.role]}{form}: {printable(why)}")
    for doubt in found.guess.doubts:
        ways = "; or: ".join(label for label, _ in doubt.choices)
        print(f"  in doubt: {printable(doubt.text)}" + (f" ({printable(ways)})" if ways else ""))
    if data is not None:
        low, high = (show(float(v), Quantity.TEMPERATURE) for v in (data.measured_degC.min(), data.measured_degC.max()))
        print(f"  {counted(data.time_s.size, 'row')} over {show(data.duration_s, Quantity.DURATION)}, {low} to {high}")
        if data.faults.text:
            print(f"  {data.faults.text}")
    else:
        print(f"  {fault}")


def _read_json(found: Opened, data: LogData | None, fault: str) -> dict[str, Any]:
    reading = found.log.reading
    made: dict[str, Any] = {
        "shape": reading.shape, "delimiter": reading.delimiter, "decimal": reading.decimal,
        "encoding": reading.encoding, "first_row": reading.first_row,
        "columns": [
            {"name": column.name, "role": column.role, "form": column.form or None, "why": why}
            for column, why in zip(reading.columns, found.guess.why, strict=True)
        ],
        "doubts": [
            {"column": None if doubt.column < 0 else doubt.column + 1, "text": doubt.text,
             "choices": [label for label, _ in doubt.choices]}
            for doubt in found.guess.doubts
        ],
    }  # fmt: skip
    if data is None:
        return {**made, "error": fault}
    return {
        **made, "rows": int(data.time_s.size), "duration_s": data.duration_s, "interval_s": data.interval_s,
        "lowest_degC": float(data.measured_degC.min()), "highest_degC": float(data.measured_degC.max()),
        "rows_that_need_care": data.faults.counts, "rows_skipped": data.faults.skipped,
    }  # fmt: skip


@app.command()
def fit(  # noqa: PLR0913 - its options are those that architecture.md gives it
    logs: Annotated[list[Path], typer.Argument(metavar="LOG…", help="Logs that share gain, lags, dead time.")],
    time: Annotated[str | None, typer.Option(help="Its column, or the time between rows, such as “2 s”.")] = None,
    temperature: Annotated[str | None, _Column] = None,
    drive: Annotated[str | None, _Column] = None,
    model: Annotated[
        str | None, typer.Option(help="one_lag, two_lags, integrating, or a project whose rig is fitted; else the best")
    ] = None,
    validate: Annotated[list[Path] | None, typer.Option(help="A log that it is only checked on.")] = None,
    robust: Annotated[bool, typer.Option("--robust", help="Let outliers count less.")] = False,
    skip: _Skip = None,
    as_json: Json = False,
) -> None:  # fmt: skip
    """Gain, lags and dead time from logs, with their ranges and how far to trust them."""
    kind: Kind | None = next((each for each in KINDS if each == model), None)
    rig = None if model is None or kind is not None else _rig_of(model)
    columns: dict[Role, str | None] = {"time": time, "temperature": temperature, "drive": drive}
    left_out = _spans(skip)
    seen = [_observed(_opened(path, columns), left_out) for path in logs]
    if rig is not None:
        with progress("fitting"):
            made = fit_rig(rig, seen)
        if as_json:
            print_json("fit", _rig_json(made))
        else:
            print(_rig_text(made))
        return
    checks = [_observed(_opened(path, columns)) for path in validate or []]
    with progress("fitting"):
        found = report(seen, kind, checks, robust=robust)
    if as_json:
        print_json("fit", _fit_json(found, seen))
    else:
        print(_fit_text(found))


def _rig_of(model: str) -> Rig:
    """The rig of a project. Raises CommandError where there is neither a model nor a file of that name."""
    path = Path(model)
    if path.suffix != SUFFIX:
        raise CommandError(
            f"There is no model “{printable(model)}”; there are: {', '.join(KINDS)}, and any project file."
        )
    return load(path).rig


def _fit_json(found: FitReport, seen: Sequence[Observed]) -> dict[str, Any]:
    made, quick = found.fit, two_points(seen[0])
    rest = made.logs[0].rest_degC
    values = {name: v.value for name, v in made.values.items()}
    return {
        "model": made.kind,
        **{name: values.get(name) for name in ("gain_K", "lag_s", "lag2_s", "rise_K_per_s")},
        "dead_time_s": values["dead_time_s"],
        "rest_degC": rest.value,
        "ci95": {**{name: [v.low, v.high] for name, v in made.values.items()}, "rest_degC": [rest.low, rest.high]},
        "rms_K": made.rms_K,
        "worst_K": made.worst_K,
        "explained": made.explained,
        "autocorrelation": made.autocorrelation,
        "aic": made.aic,
        "seen": found.seen,
        "prefers": found.prefers,
        "others": {kind: {"aic": other.aic, "rms_K": other.rms_K} for kind, other in found.others.items()},
        "two_points": None if quick is None else
        {"gain_K": quick.gain_K, "lag_s": quick.lag_s, "dead_time_s": quick.dead_time_s},
        "validation": [{"log": c.log.name, "rms_K": c.rms_K, "worst_K": c.worst_K} for c in found.checks],
        "verdict": found.verdict(),
        "warnings": found.warnings(),
    }  # fmt: skip


def _ranged(name: str, value: Estimate) -> str:
    title, quantity = _SAID[name]
    return f"{title} {show(value.value, quantity)} ({show(value.low, quantity)} … {show(value.high, quantity)})"


def _fit_text(found: FitReport) -> str:
    made: ResponseFit = found.fit
    lines = [f"{KINDS[made.kind]}: " + ", ".join(_ranged(name, v) for name, v in made.values.items())]
    lines.append(
        f"misses by {show(made.rms_K, Quantity.DIFFERENCE)} rms, {show(made.worst_K, Quantity.DIFFERENCE)} at worst; "
        f"explains {100 * made.explained:.0f} %" + (f"; saw {100 * found.seen:.0f} %" if found.seen is not None else "")
    )
    lines += [f"on {check.log.name}: {show(check.rms_K, Quantity.DIFFERENCE)} rms, "
              f"{show(check.worst_K, Quantity.DIFFERENCE)} at worst" for check in found.checks]  # fmt: skip
    lines += [f"worth knowing: {text}" for text in found.warnings()]
    lines.append(f"how far to trust it: {found.verdict()}")
    return "\n".join(lines)


def _rig_json(made: RigFit) -> dict[str, Any]:
    return {
        "model": "rig",
        "values": {p.text: v.value for p, v in zip(made.free, made.values, strict=True)},
        "ci95": {p.text: [v.low, v.high] for p, v in zip(made.free, made.values, strict=True)},
        "told": {p.text: t for p, t in zip(made.free, made.told, strict=True)},
        "alike": [list(pair) for pair in made.alike],
        "rms_K": made.rms_K,
        "worst_K": made.worst_K,
        "aic": made.aic,
    }


def _rig_text(made: RigFit) -> str:
    lines = []
    for p, v in zip(made.free, made.values, strict=True):
        lines.append(f"{p.text}: {v.value:.4g} ({v.low:.4g} … {v.high:.4g}), was {p.value:.4g}")
    lines.append(
        f"misses by {show(made.rms_K, Quantity.DIFFERENCE)} rms, {show(made.worst_K, Quantity.DIFFERENCE)} at worst"
    )
    lines += [f"worth knowing: “{a}” and “{b}” act alike in this log" for a, b in made.alike]
    return "\n".join(lines)


@app.command()
def compare(file: File, log: _LogFile, skip: _Skip = None, as_json: Json = False) -> None:
    """What has changed of a project's rig, told from a log of it now."""
    project, left_out = load(file), _spans(skip)
    opened = _opened(log)
    data = _data(opened)
    with progress("comparing"):
        settings = settings_in(project, data)
        energy_J = None if data.energy_J is None else float(data.energy_J[-1])
        found = compare_rig(project.rig, observed(opened.name, data, left_out=left_out), energy_J)
    if as_json:
        changes = [
            {"what": c.what, "size": c.size.value, "size_95": [c.size.low, c.size.high], "text": c.text()}
            for c in found.changes
        ]
        print_json("compare", {
            "verdict": found.verdict(settings), "changes": changes, "instead": list(found.instead),
            "expected_rms_K": found.expected.rms_K, "explained_rms_K": found.explained.rms_K,
            "controller": None if settings is None else
            {"candidate": settings.candidate, "apart": settings.apart, "same": settings.same},
            "energy_J": found.energy_J, "expected_energy_J": found.expected_energy_J,
        }, project)  # fmt: skip
        return
    print(found.verdict(settings))
    if settings is not None:
        print(f"  {settings.text}")
    print(f"  as it was, it would miss this log by {show(found.expected.rms_K, Quantity.DIFFERENCE)} rms; "
          f"with what changed, by {show(found.explained.rms_K, Quantity.DIFFERENCE)}")  # fmt: skip
    if found.expected_energy_J is not None:
        now, then = (show(e, Quantity.ENERGY) for e in (found.energy_J, found.expected_energy_J))
        print(f"  energy: {now}; as it was, the same temperatures would have taken {then}")
