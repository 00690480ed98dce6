"""A log: a file as it came, how it is read, and which part of it counts."""

from typing import Literal

from pydantic import model_validator
from pydantic.json_schema import SkipJsonSchema

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .fields import ModelBase, Name, Notes, OneLine, field, number
from .probes import Converter

MOST_LOGS = 24
MOST_FITS = 24
MOST_VALUES = 100
MOST_COLUMNS = 200
MOST_SPANS = 60
MOST_NOTES = 200
"""Spans of a log that are left out, and notes at its moments."""
SHORTEST_ROW_S, LONGEST_ROW_S = 1e-4, 86400.0
"""What may lie between two rows."""
_LONGEST_S = 1e9

Role = Literal[
    "time", "temperature", "drive", "surroundings", "setpoint", "reference", "energy", "note", "left_out"
]  # fmt: skip
Form = Literal[
    "s", "ms", "us", "ns", "min", "h", "clock", "elapsed", "span", "date_time", "days",
    "degC", "degF", "K", "tenths", "hundredths", "milli_degC", "milli_K", "counts",
    "share", "percent", "of_255", "of_1023", "of_4095", "watts", "words",
    "Wh", "kWh", "J",
    "",
]  # fmt: skip

HEAT_FORMS: tuple[Form, ...] = ("degC", "degF", "K", "tenths", "hundredths", "milli_degC", "milli_K", "counts")
FORMS: dict[Role, tuple[Form, ...]] = {
    "time": ("s", "ms", "us", "ns", "min", "h", "clock", "elapsed", "span", "date_time", "days"),
    "temperature": HEAT_FORMS,
    "drive": ("percent", "share", "of_255", "of_1023", "of_4095", "watts", "words"),
    "surroundings": HEAT_FORMS,
    "setpoint": HEAT_FORMS,
    "reference": HEAT_FORMS,
    "energy": ("Wh", "kWh", "J"),
    "note": ("",),
    "left_out": ("",),
}
"""What the values of a column of each role may be."""
ROLE_WORDS: dict[str, str] = {
    "time": "time", "temperature": "temperature", "drive": "drive", "surroundings": "surroundings",
    "setpoint": "setpoint", "reference": "reference", "energy": "energy", "note": "note", "left_out": "left out",
}  # fmt: skip
FORM_WORDS: dict[str, str] = {
    "s": "seconds", "ms": "milliseconds", "us": "microseconds", "ns": "nanoseconds", "min": "minutes", "h": "hours",
    "clock": "time of day, h:min:s", "elapsed": "min:s since start", "span": "1h 2m 3s since start",
    "date_time": "date and time", "days": "days, as spreadsheets count",
    "degC": "°C", "degF": "°F", "K": "kelvin", "tenths": "tenths of a °C", "hundredths": "hundredths of a °C",
    "milli_degC": "thousandths of a °C", "milli_K": "millikelvin", "counts": "raw counts of a converter",
    "share": "0…1", "percent": "0…100 %", "of_255": "0…255", "of_1023": "0…1023", "of_4095": "0…4095",
    "watts": "watts", "words": "words for on and off", "Wh": "Wh", "kWh": "kWh", "J": "J", "": "",
}  # fmt: skip
SHAPE_WORDS: dict[str, str] = {
    "table": "rows of fields", "pairs": "“key: value” lines", "json": "JSON lines",
    "named": "a value a row, with its name",
}  # fmt: skip
WRAP: dict[str, float] = {"ms": 2.0**32, "us": 2.0**32}
"""Where counters of boards begin anew."""


class LogColumn(ModelBase):
    """What a column of a log is taken for."""

    name: OneLine = field("", "Name", "What the file calls it.", max_length=200)
    role: Role = field("left_out", "Role", "What it holds.", words=ROLE_WORDS)
    form: Form = field("", "Form", "What its values are.", words=FORM_WORDS)

    @model_validator(mode="after")
    def _form_fits(self) -> "LogColumn":
        if self.form not in FORMS[self.role]:
            raise ValueError(
                say("a {role} cannot be {form}", role=ROLE_WORDS[self.role],
                    form=FORM_WORDS[self.form] or "without a form")
            )  # fmt: skip
        return self


class LogReading(ModelBase):
    """How a file is read: the shape of its text, and what its columns are."""

    encoding: Literal["utf-8", "utf-8-sig", "utf-16", "cp1252"] = field("utf-8", "Encoding", "How letters are kept.")
    shape: Literal["table", "pairs", "json", "named"] = field(
        "table", "Shape", "Rows of fields, “key: value” lines of a serial monitor, JSON objects, or a value a row.",
        words=SHAPE_WORDS,
    )  # fmt: skip
    delimiter: Literal[",", ";", "\t", "|", " "] = field(",", "Delimiter", "What stands between fields.")
    decimal: Literal[".", ","] = field(".", "Decimal", "What stands before decimals.")
    first_row: int = number(0, Quantity.NUMBER, 0, 10_000_000, "First row", "Rows before the first with values.")
    columns: tuple[LogColumn, ...] = field((), "Columns", "What they are.", max_length=MOST_COLUMNS)
    interval_s: float | None = number(
        None,
        Quantity.DURATION,
        SHORTEST_ROW_S,
        LONGEST_ROW_S,
        "Row every",
        "Time between rows, where no column says it.",
    )
    full_W: float | None = number(
        None, Quantity.POWER, 1e-3, 1e7, "Full power", "What full drive is, where the drive is in watts."
    )
    full_counts: float = number(1023.0, Quantity.NUMBER, 1.0, 2.0**32, "Full scale", "Highest count of the converter.")
    falls: bool = field(True, "Falls", "Whether counts of an NTC fall as it warms: the NTC is the lower half.")
    converter: Converter = field(Converter(), "Converter", "What raw counts come from.")
    on_word: OneLine = field("", "On", "The word for on, where it is none that is known.", max_length=40)
    day_first: bool = field(True, "Day first", "Whether 3/4 is the third of April.")


class LogSpan(ModelBase):
    """A stretch of a log, counted from its first row."""

    from_s: float = number(..., Quantity.DURATION, 0.0, _LONGEST_S, "From", "Where it begins.")
    to_s: float = number(..., Quantity.DURATION, 0.0, _LONGEST_S, "To", "Where it ends.")
    why: OneLine = field("", "Why", "Why it is left out.", max_length=80)

    @model_validator(mode="after")
    def _in_order(self) -> "LogSpan":
        if self.to_s <= self.from_s:
            raise ValueError(
                say("a span must end after it begins ({start} s), not at {to} s", start=figures(f"{self.from_s:g}", ""),
                    to=figures(f"{self.to_s:g}", ""))
            )  # fmt: skip
        return self


class LogNote(ModelBase):
    """A note at a moment of a log."""

    at_s: float = number(..., Quantity.DURATION, 0.0, _LONGEST_S, "At", "The moment.")
    text: OneLine = field(..., "Note", "What is worth keeping of it.", max_length=200)


class Log(ModelBase):
    """A recorded table of time, temperature and drive."""

    name: Name = field(..., "Name", "What the log is called.")
    file: OneLine = field("", "File", "The name of the file that it came from.", max_length=250)
    reading: LogReading = field(LogReading(), "Reading", "How it is read.")
    use: Literal["fit", "check", "aside"] = field(
        "fit", "Use", "Whether models are fitted to it, checked on it, or neither.",
        words={"fit": "fitted to", "check": "checks the fit", "aside": "not used"},
    )  # fmt: skip
    confirmed: bool = field(False, "Looked at", "Whether somebody has looked at how it is read and found it right.")
    used: LogSpan | None = field(None, "Span used", "The part that counts; empty: all of it.")
    left_out: tuple[LogSpan, ...] = field((), "Left out", "Spans that do not count.", max_length=MOST_SPANS)
    moments: tuple[LogNote, ...] = field((), "Notes at moments", "What happened when.", max_length=MOST_NOTES)
    notes: Notes = field("", "Notes", "Whatever is worth keeping.")
    raw: SkipJsonSchema[bytes] = field(
        b"", "Raw", "The file as it came; kept beside the document, not in it.", exclude=True, repr=False
    )


class FittedValue(ModelBase):
    """A value of a fitted model, with its 95 % interval."""

    what: OneLine = field(..., "What", "Which value, as files write it.", max_length=120)
    value: float = number(..., Quantity.NUMBER, -1e12, 1e12, "Value", "In its base unit.")
    low: float = number(..., Quantity.NUMBER, -1e12, 1e12, "Low", "Lower end of its 95 % interval.")
    high: float = number(..., Quantity.NUMBER, -1e12, 1e12, "High", "Upper end of its 95 % interval.")


class KeptFit(ModelBase):
    """A fitted model that was used in the rig; it does not follow what becomes of the logs."""

    name: Name = field(..., "Name", "What it is called.")
    kind: Literal["one_lag", "two_lags", "integrating", "rig"] = field("one_lag", "Kind", "Which model.")
    logs: tuple[Name, ...] = field((), "Logs", "What it was fitted to.", max_length=MOST_LOGS)
    values: tuple[FittedValue, ...] = field((), "Values", "What was found.", max_length=MOST_VALUES)
    rms_K: float = number(..., Quantity.DIFFERENCE, 0.0, 1e6, "Misses by", "Root mean square of the residual.")
