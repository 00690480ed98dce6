"""Guards, alarms and permits: what keeps a rig safe, whatever the law wants. Each kind is declared here, once.

Which of them rules where several want something stands in `engine/guards.py`; how they become records, in
`engine/guarding.py`. A rig is made of guards, so that here it can only be spoken of as `Any`: it is a `Rig`.
"""

from abc import abstractmethod
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field, model_validator

from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .bodies import temperature
from .fields import ModelBase, Name, OneLine, field, number, words_of

DAY_S = 86400.0
Day = Literal["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
DAYS: tuple[Day, ...] = get_args(Day)
_DOES = {
    "off": "the controller asks for no drive",
    "contactor": "a contactor of its own cuts the drives",
    "load": "the load is switched off",
    "full": "the controller asks for full drive",
}
_ACTIONS = {"off": "off", "on": "full on", "fixed": "a fixed duty", "hold": "hold the last drive"}


class RuleBase(ModelBase):
    """What every guard, alarm and permit has.

    Attributes:
        what: the kind as the menu says it; `new_name`: what a new one is called.
    """

    what: ClassVar[str] = ""
    new_name: ClassVar[str] = ""

    name: Name = field(..., "Name", "What it is called.")
    why: OneLine = field("", "Because", "Why it is there, and where its figures come from.", max_length=200)

    @abstractmethod
    def text(self, scale: Scale) -> str:
        """What it does, in a few words."""

    @property
    def final(self) -> bool:
        """Whether, once it has acted, the drives stay off until somebody resets it."""
        return False

    @classmethod
    def begins_as(cls, rig: Any) -> dict[str, Any]:
        """Fields that a new one on a rig begins with."""
        del rig
        return {}

    def shown(self) -> tuple[str, ...]:
        """Fields shown for it, besides its name."""
        return tuple(name for name in type(self).model_fields if name not in ("name", "why", "kind"))

    def check(self, rig: Any) -> None:
        """Raise ValueError where it does not fit a rig, beyond the names it refers to."""


def _seconds(value: float) -> str:
    return show(value, Quantity.DURATION)


class Trip(RuleBase):
    """An over-temperature trip on any probe; it stays until reset by hand, unless it is made to let go by itself."""

    what, new_name = "over-temperature trip", "Trip"
    kind: Literal["trip"] = "trip"
    probe: Name = field(..., "Watches", "The probe that it watches.")
    at_degC: float = temperature(..., "Trips at", "From this reading on it acts.")
    side: Literal["above", "below"] = field("above", "When", "Whether it acts above or below it.")
    delay_s: float = number(0.0, Quantity.DURATION, 0.0, DAY_S, "After", "How long the reading must stay there.")
    does: Literal["off", "contactor", "load", "full"] = field("contactor", "Then", "What it does.", words=_DOES)
    latches: bool = field(True, "Stays tripped", "Whether only a press of reset releases it.")
    hysteresis_K: float = number(
        2.0, Quantity.DIFFERENCE, 0.0, 500.0, "Releases when back by", "Of one that does not stay tripped."
    )

    @property
    def final(self) -> bool:
        return self.latches and self.does in ("off", "contactor")

    def text(self, scale: Scale) -> str:
        return f"{self.probe} {self.side} {show(self.at_degC, Quantity.TEMPERATURE, scale)}: {_DOES[self.does]}"

    @classmethod
    def begins_as(cls, rig: Any) -> dict[str, Any]:
        return {"probe": rig.probe.name, "at_degC": begins_at_degC(rig, 0.5), "does": _usual(rig)}


class CutOff(RuleBase):
    """An independent thermal cut-off on a body: a switch of its own, in no software's hands."""

    what, new_name = "independent thermal cut-off", "Thermal cut-off"
    kind: Literal["cut_off"] = "cut_off"
    body: Name = field(..., "Sits on", "The body that it sits on.")
    at_degC: float = temperature(..., "Opens at", "From this temperature of the body on it is open.")
    resets_K: float | None = number(
        None, Quantity.DIFFERENCE, 0.1, 500.0, "Closes again", "How far back the body must be; empty: never by itself.",
        empty="never",
    )  # fmt: skip
    does: Literal["contactor", "load"] = field(
        "contactor", "Cuts", "What it cuts.", words={"contactor": "the drives", "load": "the load"},
    )  # fmt: skip

    @property
    def final(self) -> bool:
        return self.resets_K is None and self.does == "contactor"

    def text(self, scale: Scale) -> str:
        back = "until reset by hand"
        if self.resets_K is not None:
            back = f"until {show(self.resets_K, Quantity.DIFFERENCE, scale)} below that"
        cuts = "the supply" if self.does == "contactor" else words_of_field(self, "does")
        at = show(self.at_degC, Quantity.TEMPERATURE, scale)
        return f"opens at {at} on {self.body}, cuts {cuts}, stays open {back}"

    @classmethod
    def begins_as(cls, rig: Any) -> dict[str, Any]:
        limited = [body for body in rig.all_bodies if body.limit_degC is not None]
        body = min(limited, key=lambda each: each.limit_degC or 0.0).name if limited else rig.probe.body
        usual = "load" if _usual(rig) == "load" else "contactor"
        return {"body": body, "at_degC": begins_at_degC(rig, 0.8, body), "does": usual}


class ProbeFaultAction(RuleBase):
    """What is given while the control probe is seen to be faulty: at an end of its range, or still for too long."""

    what, new_name = "action at a probe fault", "Probe fault"
    kind: Literal["probe_fault"] = "probe_fault"
    action: Literal["off", "on", "fixed", "hold"] = field("off", "Output then", "What is given.", words=_ACTIONS)
    duty: float = number(0.2, Quantity.DRIVE, -1.0, 1.0, "Fixed duty", "What is given where that is fixed.")
    cycle_s: float | None = number(
        None, Quantity.DURATION, 1.0, DAY_S, "Pulse period",
        "A fixed duty as on and off in turn, for relays; empty: evenly.", empty="evenly",
    )  # fmt: skip
    delay_s: float = number(0.0, Quantity.DURATION, 0.0, DAY_S, "After", "How long the fault must last.")
    still_s: float | None = number(
        None, Quantity.DURATION, 1.0, 30 * DAY_S, "Or unchanged for",
        "A reading that does not change at all for so long is a fault too; empty: it is not.", empty="not watched",
    )  # fmt: skip

    def text(self, scale: Scale) -> str:
        del scale
        text = f"then {_ACTIONS[self.action]}"
        if self.action == "fixed":
            text = show(self.duty, Quantity.DRIVE)
            if self.cycle_s is not None and 0 < self.duty < 1:
                on = self.duty * self.cycle_s
                text += f", as {_seconds(on)} on and {_seconds(self.cycle_s - on)} off"
        return (
            text
            if self.still_s is None
            else f"{text}; also when the reading has stood still for {_seconds(self.still_s)}"
        )

    def shown(self) -> tuple[str, ...]:
        return ("action", *(("duty", "cycle_s") if self.action == "fixed" else ()), "delay_s", "still_s")


class NoRise(RuleBase):
    """Much drive for a while without an answer: heater, probe or thermostat is broken. Off until reset by hand."""

    what, new_name = "no response", "No response"
    kind: Literal["no_rise"] = "no_rise"
    at_least: float = number(
        0.8, Quantity.DRIVE, 0.01, 1.0, "When the drive is at least", "Counts while so much is given, or more."
    )
    for_s: float = number(300.0, Quantity.DURATION, 1.0, DAY_S, "For", "How long it may go without an answer.")
    rise_K: float = number(2.0, Quantity.DIFFERENCE, 0.01, 500.0, "Expected change", "What counts as an answer.")
    away_K: float = number(
        5.0, Quantity.DIFFERENCE, 0.0, 3000.0, "Only when further away than", "Of the setpoint, for it to count.",
    )  # fmt: skip

    @property
    def final(self) -> bool:
        return True

    def text(self, scale: Scale) -> str:
        away, rise = (show(x, Quantity.DIFFERENCE, scale) for x in (self.away_K, self.rise_K))
        return (
            f"drive at {show(self.at_least, Quantity.DRIVE)} or more for {_seconds(self.for_s)}, over {away} from the "
            f"setpoint, and less than {rise} gained: off until reset"
        )


class LinkLost(RuleBase):
    """A watchdog at the drive: what it does once the controller's orders no longer arrive."""

    what, new_name = "watchdog at the drive", "Watchdog"
    kind: Literal["link_lost"] = "link_lost"
    after_s: float = number(10.0, Quantity.DURATION, 0.0, DAY_S, "After", "How long it waits for an order.")
    action: Literal["off", "on", "fixed", "hold"] = field("off", "Output then", "What is given.", words=_ACTIONS)
    duty: float = number(0.2, Quantity.DRIVE, -1.0, 1.0, "Fixed duty", "What is given where that is fixed.")

    def text(self, scale: Scale) -> str:
        del scale
        given = show(self.duty, Quantity.DRIVE) if self.action == "fixed" else _ACTIONS[self.action]
        return f"{given} {_seconds(self.after_s)} after the last order"

    def shown(self) -> tuple[str, ...]:
        return ("after_s", "action", *(("duty",) if self.action == "fixed" else ()))


class LongestOn(RuleBase):
    """The longest time that a drive may be given without a break."""

    what, new_name = "longest on-time", "Longest on"
    kind: Literal["longest_on"] = "longest_on"
    longest_s: float = number(7200.0, Quantity.DURATION, 1.0, 30 * DAY_S, "Longest on", "Then it has a break.")
    rest_s: float = number(300.0, Quantity.DURATION, 1.0, 30 * DAY_S, "Break", "How long the break is.")

    def text(self, scale: Scale) -> str:
        del scale
        return f"off for {_seconds(self.rest_s)} after {_seconds(self.longest_s)}"


class Restart(RuleBase):
    """How the controller comes back after a power cut. Latched trips stay latched whatever it says."""

    what, new_name = "after a power cut", "Restart"
    kind: Literal["restart"] = "restart"
    delay_s: float = number(0.0, Quantity.DURATION, 0.0, DAY_S, "Waits", "How long nothing is given at first.")
    keeps_memory: bool = field(
        False, "Keeps the integral", "Whether the law goes on from where it was, or begins anew."
    )
    setpoint: Literal["clock", "stored", "start", "lost"] = field(
        "clock", "Setpoint", "Where the plan goes on.",
        words={"clock": "goes on by the clock", "stored": "goes on from where it was", "start": "begins anew",
               "lost": "is forgotten: its own default"},
    )  # fmt: skip
    own_degC: float = temperature(20.0, "Its default", "The setpoint where it is forgotten.")

    def text(self, scale: Scale) -> str:
        del scale
        kept = "integral kept" if self.keeps_memory else "integral at 0"
        return f"plan {words_of_field(self, 'setpoint')}, {kept}"

    def shown(self) -> tuple[str, ...]:
        return ("delay_s", "keeps_memory", "setpoint", *(("own_degC",) if self.setpoint == "lost" else ()))


class Alarm(RuleBase):
    """It only reports: high, low, too far from the setpoint, or flat out and still outside."""

    what, new_name = "alarm", "Alarm"
    kind: Literal["alarm"] = "alarm"
    watches: Literal["high", "low", "deviation", "saturated"] = field(
        "high", "Alarm", "What it tells.",
        words={"high": "above a level", "low": "below a level", "deviation": "away from the setpoint, once reached",
               "saturated": "at full drive and still off the setpoint"},
    )  # fmt: skip
    probe: Name = field(..., "Watches", "The probe that it watches.")
    at_degC: float = temperature(60.0, "Level", "Of a high or low one.")
    away_K: float = number(5.0, Quantity.DIFFERENCE, 0.001, 3000.0, "Away", "Of the others: how far is too far.")
    delay_s: float = number(60.0, Quantity.DURATION, 0.0, DAY_S, "After", "How long that must last.")
    hysteresis_K: float = number(1.0, Quantity.DIFFERENCE, 0.0, 500.0, "Hysteresis", "How far back ends it.")
    outlet: Literal["lamp", "sounder", "message"] = field("lamp", "Signalled by", "How it makes itself known.")
    until: Literal["gone", "acknowledged"] = field(
        "gone",
        "Clears when",
        "What ends it.",
        words={"gone": "it is gone", "acknowledged": "it is gone and reset is pressed"},
    )

    def text(self, scale: Scale) -> str:
        if self.watches in ("high", "low"):
            where = (
                f"{'above' if self.watches == 'high' else 'below'} {show(self.at_degC, Quantity.TEMPERATURE, scale)}"
            )
        else:
            where = f"{show(self.away_K, Quantity.DIFFERENCE, scale)} off the setpoint"
            where = f"at full drive and {where}" if self.watches == "saturated" else where
        return f"{self.probe} {where} for {_seconds(self.delay_s)}: {self.outlet}"

    def shown(self) -> tuple[str, ...]:
        level = "at_degC" if self.watches in ("high", "low") else "away_K"
        return ("watches", "probe", level, "delay_s", "hysteresis_K", "outlet", "until")

    @classmethod
    def begins_as(cls, rig: Any) -> dict[str, Any]:
        return {"probe": rig.probe.name, "at_degC": begins_at_degC(rig, 0.3)}


class PermitBase(RuleBase):
    """A condition that must hold for heating or cooling to be allowed: a level, looked at in every sample."""

    allows: Literal["both", "heating", "cooling"] = field(
        "both", "Needed for", "What it allows.", words={"both": "heating and cooling"}
    )


class DoorShut(PermitBase):
    """All doors shut; one that has been open for a while stops it, and it goes on as it closes."""

    what, new_name = "door shut", "Door shut"
    kind: Literal["door_shut"] = "door_shut"
    after_s: float = number(10.0, Quantity.DURATION, 0.0, DAY_S, "Off after", "How long a door may be open.")

    def text(self, scale: Scale) -> str:
        del scale
        return f"off once a door is open for {_seconds(self.after_s)}"


class Hours(PermitBase):
    """Hours of the day on some days of the week."""

    what, new_name = "hours", "Hours"
    kind: Literal["hours"] = "hours"
    from_s: float = number(6 * 3600.0, Quantity.DURATION, 0.0, DAY_S, "From", "Time of day, since midnight.")
    to_s: float = number(
        22 * 3600.0, Quantity.DURATION, 0.0, DAY_S, "To", "Time of day; before the other one: past midnight."
    )
    days: tuple[Day, ...] = field(DAYS, "Days", "Days on which they begin.", min_length=1, max_length=7)

    @model_validator(mode="after")
    def _some(self) -> "Hours":
        if self.from_s == self.to_s:
            raise ValueError(say("hours must not end when they begin"))
        return self

    def text(self, scale: Scale) -> str:
        del scale
        return f"{clock(self.from_s)} … {clock(self.to_s)}, {days_text(self.days)}"


class Signal(PermitBase):
    """Something that is there or not, such as somebody present or a job that runs; events say when it is not."""

    what, new_name = "a signal", "Somebody there"
    kind: Literal["signal"] = "signal"

    def text(self, scale: Scale) -> str:
        del scale
        return "only while it is there"


class PriceBelow(PermitBase):
    """Energy cheaper than a limit; events say what it costs, else it costs nothing."""

    what, new_name = "price below a limit", "Price"
    kind: Literal["price"] = "price"
    limit: float = number(0.3, Quantity.NUMBER, 0.0, 1e6, "Below", "In the unit of the price, per kilowatt-hour.")

    def text(self, scale: Scale) -> str:
        del scale
        return f"only below {self.limit:g} per kWh"


def clock(seconds: float) -> str:
    """A time of day, such as 06:30."""
    minutes = round(seconds / 60)
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def days_text(days: tuple[Day, ...]) -> str:
    """Days in a few words."""
    known = {DAYS: say("every day"), DAYS[:5]: say("Mon to Fri"), DAYS[5:]: say("Sat and Sun")}
    ordered = tuple(day for day in DAYS if day in days)
    return known.get(ordered, ", ".join(ordered))


def words_of_field(part: ModelBase, name: str) -> str:
    """What the value of a choice of a part is called."""
    return words_of(type(part).model_fields[name], getattr(part, name))


def begins_at_degC(rig: Any, share: float, body: str | None = None) -> float:
    """A level this share of the way from where the rig's goal or surroundings end to a body's limit."""
    found = rig.all_bodies[rig.body_index(body or rig.probe.body)]
    warm = rig.goal.high_degC if rig.goal is not None and rig.goal.high_degC is not None else None
    low = warm if warm is not None else rig.surroundings.temperature_degC + 30.0
    high = found.limit_degC if found.limit_degC is not None and found.limit_degC > low else low + 20.0
    return float(f"{low + share * (high - low):.4g}")


def _usual(rig: Any) -> str:
    """What a trip usually does: cut the drives; where these only cool, what heats by itself."""
    return "contactor" if rig.heats else "load"


_AnyGuard = Trip | CutOff | ProbeFaultAction | NoRise | LinkLost | LongestOn | Restart | Alarm
_AnyPermit = DoorShut | Hours | Signal | PriceBelow
Guard = Annotated[_AnyGuard, Field(discriminator="kind")]
Permit = Annotated[_AnyPermit, Field(discriminator="kind")]
GUARD_KINDS: dict[str, type[RuleBase]] = {each.model_fields["kind"].default: each for each in get_args(_AnyGuard)}
PERMIT_KINDS: dict[str, type[PermitBase]] = {each.model_fields["kind"].default: each for each in get_args(_AnyPermit)}
"""Every kind by the word that files have for it, in the order of the menu."""
ONLY_ONE = ("probe_fault", "link_lost", "restart", "longest_on")
"""Guards of which a rig has one at most."""
MOST_GUARDS = 14
"""Each has a bit of a sample's alarm code."""
