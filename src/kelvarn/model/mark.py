"""Measures that can be asked for, and marks: limits set on them."""

from dataclasses import dataclass
from typing import Literal

from pydantic import model_validator

from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .fields import ModelBase, Name, OneLine, field, number


@dataclass(frozen=True)
class MeasureKind:
    """What a measure is.

    `scope` says what it belongs to: one setpoint window, one event, the whole run, or one body over the run.
    """

    title: str
    quantity: Quantity
    scope: Literal["window", "event", "run", "body"]
    text: str


_D, _T, _N = Quantity.DIFFERENCE, Quantity.DURATION, Quantity.NUMBER

MEASURES: dict[str, MeasureKind] = {
    "overshoot_K": MeasureKind("Overshoot", _D, "window", "How far it goes past the setpoint after a change."),
    "overshoot_pct": MeasureKind("Overshoot, %", _N, "window", "Overshoot in per cent of the setpoint change."),
    "rise_s": MeasureKind("Rise time", _T, "window", "From a tenth to nine tenths of the way."),
    "settling_s": MeasureKind("Settled", _T, "window", "From the change until inside the band for good."),
    "steady_error_K": MeasureKind("Steady error", _D, "window", "Mean distance over the window's last tenth."),
    "swing_K": MeasureKind("Swing", _D, "window", "Highest less lowest over the window's last quarter."),
    "swing_period_s": MeasureKind("Swing period", _T, "window", "Time of one swing, in the last quarter."),
    "iae_Ks": MeasureKind("IAE", Quantity.ERROR_AREA, "window", "Integral of the absolute error."),
    "ise_K2s": MeasureKind("ISE, K²·s", _N, "window", "Integral of the squared error."),
    "itae_Ks2": MeasureKind("ITAE, K·s²", _N, "window", "Integral of time times absolute error."),
    "tracking_max_K": MeasureKind("Tracks within", _D, "window", "Largest distance from a ramp after first reach."),
    "tracking_rms_K": MeasureKind("Tracking, rms", _D, "window", "Rms distance from a ramp after first reach."),
    "sag_K": MeasureKind("Sag", _D, "event", "Largest departure after an event, from where it stood when it began."),
    "recovery_s": MeasureKind("Recovery", _T, "event", "From an event's start until back inside the band for good."),
    "trip_s": MeasureKind("Trips within", _T, "event", "From an event's start until a trip or a cut-off acts."),
    "act_s": MeasureKind(
        "Time until the goal is lost", _T, "event", "From an event's start, until it is no longer kept."
    ),
    "energy_J": MeasureKind("Energy", Quantity.ENERGY, "run", "Heat moved by the drive."),
    "mean_drive": MeasureKind("Mean drive", Quantity.DRIVE, "run", "Mean of the demanded drive."),
    "time_at_limit_s": MeasureKind("Time at limit", _T, "run", "How long the drive was held at one of its limits."),
    "travel": MeasureKind("Drive travel", _N, "run", "Sum of all changes of the demanded drive (0…1)."),
    "switch_ons_per_h": MeasureKind("Switching", Quantity.PER_HOUR, "run", "Switch-ons in an hour."),
    "shortest_on_s": MeasureKind("Shortest on", _T, "run", "Shortest complete on-time."),
    "shortest_off_s": MeasureKind("Shortest off", _T, "run", "Shortest complete off-time."),
    "steps_per_h": MeasureKind("Starts of a step", Quantity.PER_HOUR, "run", "Steps of a curve taken in an hour."),
    "worst_over_K": MeasureKind("Worst over", _D, "run", "Largest distance above the setpoint once it was reached."),
    "worst_under_K": MeasureKind("Worst under", _D, "run", "Largest distance below the setpoint once it was reached."),
    "inside_share": MeasureKind("Inside the goal", Quantity.DRIVE, "run", "Share of the time inside the goal."),
    "relay_life_years": MeasureKind("Relay life", Quantity.YEARS, "run", "Rated operations over switch-ons in a year."),
    "most_ice_kg": MeasureKind("Most ice", Quantity.MASS, "run", "Most ice that lies on all that ices together."),
    "ice_left_kg": MeasureKind("Ice at the end", Quantity.MASS, "run", "Ice that lies there at the end."),
    "ready_s": MeasureKind("Ready", _T, "run", "From when on all that matters stays inside its band."),
    "alarms": MeasureKind("Alarms", _N, "run", "How often an alarm began."),
    "alarm_s": MeasureKind("Time in alarm", _T, "run", "How long any alarm was on."),
    "trips": MeasureKind("Trips", _N, "run", "How often a trip or a thermal cut-off acted."),
    "hottest_degC": MeasureKind("Hottest", Quantity.TEMPERATURE, "body", "Highest temperature of a body."),
    "coldest_degC": MeasureKind("Coldest", Quantity.TEMPERATURE, "body", "Lowest temperature of a body."),
    "limit_margin_K": MeasureKind("Margin to limit", _D, "body", "What is left to the nearer limit of a body."),
    "beyond_limit_s": MeasureKind("Beyond its limit", _T, "body", "How long a body is beyond a limit."),
}

Direction = Literal["at_most", "at_least", "within"]
_WORDS: dict[Direction, str] = {
    "at_most": say("at most {limit}"), "at_least": say("at least {limit}"), "within": say("within ±{limit}"),
}  # fmt: skip
_SIGNS: dict[Direction, str] = {"at_most": "≤ {limit}", "at_least": "≥ {limit}", "within": "±{limit}"}


class Mark(ModelBase):
    """A limit on a measure: met or not."""

    measure: OneLine = field(..., "Measure", "What is judged.")
    limit: float = number(..., Quantity.NUMBER, -1e15, 1e15, "Limit", "In the base unit of the measure.")
    direction: Direction = field("at_most", "Must be", "At most, at least, or within ± the limit.")
    event: Name | None = field(None, "Event", "The event it is about, for sag and recovery.")
    body: Name | None = field(None, "Body", "The body it is about, for hottest and margin.")
    stage: Name | None = field(
        None, "Stage", "The named setpoint whose stage it is about; empty: the stage in which it is worst.",
        empty="where it is worst",
    )  # fmt: skip
    why: OneLine = field("", "Because", "Why it is asked.", max_length=200)

    @model_validator(mode="after")
    def _fits_measure(self) -> "Mark":
        if self.measure not in MEASURES:
            raise ValueError(
                say("“{measure}” is not a measure; known are {known}", measure=self.measure, known=", ".join(MEASURES))
            )
        scope = self.kind.scope
        if (self.event is None) == (scope == "event"):
            raise ValueError(
                say("a mark on {measure} {needs} event", measure=self.measure,
                    needs=say("needs") if scope == "event" else say("takes no"))
            )  # fmt: skip
        if (self.body is None) == (scope == "body"):
            raise ValueError(
                say("a mark on {measure} {needs} body", measure=self.measure,
                    needs=say("needs") if scope == "body" else say("takes no"))
            )  # fmt: skip
        if self.stage is not None and scope != "window":
            raise ValueError(say("a mark on {measure} takes no stage", measure=self.measure))
        return self

    @property
    def kind(self) -> MeasureKind:
        """What its measure is."""
        return MEASURES[self.measure]

    def limit_text(self, scale: Scale = Scale.CELSIUS, *, short: bool = False) -> str:
        """Its limit, such as "at most 1.5 K", or "≤ 1.5 K" where room is short."""
        words = _SIGNS if short else _WORDS
        return say(words[self.direction], limit=show(self.limit, self.kind.quantity, scale))

    def spelled(self, band_K: float, scale: Scale = Scale.CELSIUS) -> str:
        """Its name where there is room: with the band in which it counts as settled."""
        if self.measure not in ("settling_s", "recovery_s"):
            return self.title
        return f"{self.title}, inside ±{show(band_K, Quantity.DIFFERENCE, scale)} for good"

    @property
    def title(self) -> str:
        """Its name on screen."""
        name = self.event or self.stage or self.body
        measure = say(self.kind.title)
        return say("{measure}: {name}", measure=measure, name=name) if name is not None else measure
