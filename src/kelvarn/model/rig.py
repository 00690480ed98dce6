"""The rig: bodies, links, drive, probe and surroundings."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kelvarn.units import Quantity

from .fields import SURROUNDINGS, Name, Part, number, other
from .names import check_unique

MAX_BODIES = 16
COLDEST_DEGC = -273.0
HOTTEST_DEGC = 3000.0


def temperature(default: object, title: str, text: str) -> float:
    """A temperature field over the whole range the model allows."""
    found: float = number(default, Quantity.TEMPERATURE, COLDEST_DEGC, HOTTEST_DEGC, title, text)
    return found


class Body(Part):
    """Something with one temperature and a heat capacity."""

    name: Name = other(..., "Name", "What the body is called.")
    capacity_J_per_K: float = number(
        ..., Quantity.CAPACITY, 0.01, 1e10, "Heat capacity", "Heat it takes to warm the body by one kelvin."
    )
    start_degC: float | None = temperature(
        None, "Starts at", "Temperature at a cold start; empty means that of the surroundings."
    )
    limit_degC: float | None = temperature(
        None, "Rated limit", "Hottest the body may get; empty means no limit is known."
    )


class Link(Part):
    """A way for heat between two bodies, or between a body and the surroundings."""

    a: Name = other(..., "From", "One end: a body.")
    b: Name = other(..., "To", "The other end: a body or the surroundings.")
    conductance_W_per_K: float = number(
        ..., Quantity.CONDUCTANCE, 0.0, 1e6, "Conductance", "Heat that flows per kelvin between the two ends."
    )

    def joins(self, first: str, second: str) -> bool:
        """Whether the link joins these two, in either order."""
        return {self.a, self.b} == {first, second}


class DriveBase(Part):
    """What every kind of drive has."""

    name: Name = other("Heater", "Name", "What the drive is called.")
    body: Name = other(..., "Acts on", "The body that it heats or cools.")
    power_W: float = number(
        ..., Quantity.POWER, 0.001, 1e7, "Power", "Heat it gives or takes at full drive and nominal supply."
    )
    acts: Literal["heats", "cools"] = other("heats", "Effect", "Whether full drive heats or cools the body.")
    dead_time_s: float = number(
        0.0,
        Quantity.DURATION,
        0.0,
        86400.0,
        "Dead time",
        "Time until a change of the drive reaches the body.",
    )


class Relay(DriveBase):
    """A switch that is on or off; a demand of half or more switches it on."""

    kind: Literal["relay"] = "relay"
    shortest_on_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest on", "Once on, the relay stays on this long."
    )
    shortest_off_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest off", "Once off, the relay stays off this long."
    )
    rated_operations: float = number(
        100_000.0, Quantity.NUMBER, 1.0, 1e12, "Rated operations", "Switch-ons that the relay is rated for."
    )


class SlowWindow(DriveBase):
    """Time-proportioned switching: on for the demanded share of each window, as for solid-state relays."""

    kind: Literal["slow_window"] = "slow_window"
    window_s: float = number(
        2.0, Quantity.DURATION, 0.02, 3600.0, "Window", "Time over which the duty is made of one pulse."
    )
    shortest_pulse_s: float = number(
        0.0, Quantity.DURATION, 0.0, 3600.0, "Shortest pulse", "Shorter pulses and gaps are left out."
    )
    resolution_s: float = number(
        0.01, Quantity.DURATION, 0.0, 60.0, "Pulse steps", "Pulses are whole multiples of this; 0 for any."
    )

    @model_validator(mode="after")
    def _pulse_fits(self) -> "SlowWindow":
        if self.shortest_pulse_s > self.window_s / 2:
            raise ValueError(
                f"shortest pulse must be at most half the window ({self.window_s / 2:g} s), "
                f"not {self.shortest_pulse_s:g} s"
            )
        if self.resolution_s > self.window_s:
            raise ValueError(
                f"pulse steps must be at most the window ({self.window_s:g} s), not {self.resolution_s:g} s"
            )
        return self


class Pwm(DriveBase):
    """Fast switching whose mean power is what the load sees."""

    kind: Literal["pwm"] = "pwm"
    steps: int = number(255, Quantity.NUMBER, 1, 65535, "Steps", "Levels between off and full, 255 for 8 bits.")
    floor: float = number(
        0.0,
        Quantity.DRIVE,
        0.0,
        0.95,
        "Floor",
        "Below this demand the output is off: the load would not move.",
    )
    top: float = number(1.0, Quantity.DRIVE, 0.05, 1.0, "Top", "The output never goes above this duty.")

    @model_validator(mode="after")
    def _floor_below_top(self) -> "Pwm":
        if self.floor >= self.top:
            raise ValueError(f"floor must be below top ({self.top:g}), not {self.floor:g}")
        return self


Drive = Annotated[Relay | SlowWindow | Pwm, Field(discriminator="kind")]


class Probe(Part):
    """What measures the temperature, with its faults of everyday."""

    name: Name = other("Probe", "Name", "What the probe is called.")
    body: Name = other(..., "Sits in", "The body whose temperature it follows.")
    lag_s: float = number(0.0, Quantity.DURATION, 0.0, 86400.0, "Lag", "Time constant with which it follows its body.")
    noise_K: float = number(0.0, Quantity.DIFFERENCE, 0.0, 100.0, "Noise", "Root mean square of its random scatter.")
    resolution_K: float = number(
        0.0, Quantity.DIFFERENCE, 0.0, 50.0, "Steps", "Readings are whole multiples of this; 0 for any."
    )
    interval_s: float = number(
        1.0,
        Quantity.DURATION,
        0.01,
        3600.0,
        "Read every",
        "Time between readings; the controller acts on each.",
    )


class Surroundings(Part):
    """What lies outside and takes the heat in the end."""

    temperature_degC: float = temperature(20.0, "Temperature", "How warm the surroundings are.")


class Rig(Part):
    """The thing to control."""

    bodies: tuple[Body, ...] = other(..., "Bodies", "What has a temperature.", min_length=1, max_length=MAX_BODIES)
    links: tuple[Link, ...] = other((), "Links", "Ways for heat.", max_length=200)
    drives: tuple[Drive, ...] = other(..., "Drives", "What heats or cools.", min_length=1, max_length=1)
    probes: tuple[Probe, ...] = other(..., "Probes", "What measures.", min_length=1, max_length=1)
    surroundings: Surroundings = other(Surroundings(), "Surroundings", "What lies outside.")

    @property
    def drive(self) -> Relay | SlowWindow | Pwm:
        """The drive the controller commands."""
        return self.drives[0]

    @property
    def probe(self) -> Probe:
        """The control probe."""
        return self.probes[0]

    def body_index(self, name: str) -> int:
        """Where the body of this name stands; the surroundings come after the last body."""
        if name == SURROUNDINGS:
            return len(self.bodies)
        return [body.name for body in self.bodies].index(name)

    @model_validator(mode="after")
    def _names_fit(self) -> "Rig":
        names = [body.name for body in self.bodies]
        check_unique(names, "body")
        if any(name.lower() == SURROUNDINGS for name in names):
            raise ValueError(f"a body may not be called “{SURROUNDINGS}”; that is what lies outside")
        for link in self.links:
            for end in (link.a, link.b):
                if end != SURROUNDINGS and end not in names:
                    raise ValueError(f"a link names the body “{end}”, which does not exist")
            if link.a == link.b:
                raise ValueError(f"a link joins “{link.a}” to itself; it needs two different ends")
        seen: set[frozenset[str]] = set()
        for link in self.links:
            pair = frozenset((link.a, link.b))
            if pair in seen:
                raise ValueError(f"two links join “{link.a}” and “{link.b}”; add their conductances into one")
            seen.add(pair)
        for part, title in ((self.drive, "drive"), (self.probe, "probe")):
            if part.body not in names:
                raise ValueError(f"{title} “{part.name}” names the body “{part.body}”, which does not exist")
        return self
