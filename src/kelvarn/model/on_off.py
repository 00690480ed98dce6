"""On/off with hysteresis, in four notations."""

from typing import Literal, Self

from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .bodies import temperature
from .fields import field, number
from .law import Edge, LawBase, Near, Way

Notation = Literal["edges", "band", "cuts", "share"]
NOTATIONS: dict[Notation, str] = {
    "edges": "each edge alone",
    "band": "± band",
    "cuts": "cut-in, cut-out",
    "share": "± % of setpoint",
}
_SAME_K = 1e-9


class OnOff(LawBase):
    """On/off with hysteresis. For a cooling drive the edges are mirrored round the setpoint.

    Where some drives heat and some cool, cooling mirrors heating round a point that lies a dead band above the
    setpoint.
    """

    strategies = ("On/off",)
    switches = True
    law: Literal["on_off"] = "on_off"
    notation: Notation = field(
        "edges",
        "Written as",
        "How its edges are given.",
        words={str(word): said for word, said in NOTATIONS.items()},
    )
    below_K: float = number(
        1.0, Quantity.DIFFERENCE, 0.0, 500.0, "Switches on below the setpoint by",
        "On when this far short of the setpoint.",
        cools="Switches on above the setpoint by", more="wider swing, fewer switchings", ruler=(0.05, 20.0), log=True,
    )  # fmt: skip
    above_K: float = number(
        1.0, Quantity.DIFFERENCE, 0.0, 500.0, "Switches off above the setpoint by",
        "Off when this far past the setpoint.",
        cools="Switches off below the setpoint by", more="wider swing, fewer switchings", ruler=(0.05, 20.0), log=True,
    )  # fmt: skip
    band_K: float = number(
        1.0, Quantity.DIFFERENCE, 0.0, 500.0, "Hysteresis, each way",
        "On so far short of the setpoint, off so far past it.",
        more="wider swing, fewer switchings", ruler=(0.05, 20.0), log=True,
    )  # fmt: skip
    band_share: float = number(
        0.02, Quantity.DRIVE, 0.0, 0.9, "Hysteresis, each way",
        "On and off this share of the setpoint in °C away from it.",
        more="wider swing, fewer switchings", ruler=(0.001, 0.2), log=True,
    )  # fmt: skip
    cut_in_degC: float = temperature(20.0, "Cut-in", "On at this temperature, whatever the setpoint.")
    cut_out_degC: float = temperature(22.0, "Cut-out", "Off at this temperature, whatever the setpoint.")
    dead_band_K: float = number(
        4.0, Quantity.DIFFERENCE, 0.0, 500.0, "Dead band to cooling",
        "Where a rig both heats and cools: how far above heating its cooling stands.",
    )  # fmt: skip
    shortest_on_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest on", "Once on, it stays on this long."
    )
    shortest_off_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Restart delay", "Once off, and after power-up, it stays off this long.",
    )  # fmt: skip
    confirm_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Confirm delay", "An edge must stay passed this long before it counts.",
    )  # fmt: skip
    decide_every_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Decides every", "Time between decisions; 0 means at each reading.",
    )  # fmt: skip
    once: bool = field(False, "Once only", "Off at the setpoint, and stays off until reset.")

    @property
    def strategy(self) -> str:
        return "on/off"

    @classmethod
    def begins_as(cls, strategy: str, near: Near) -> Self:
        del strategy
        return cls(cut_in_degC=near.setpoint_degC - near.way.sign, cut_out_degC=near.setpoint_degC + near.way.sign)

    def as_strategy(self, strategy: str) -> Self:
        return self

    @property
    def choices(self) -> tuple[str, ...]:
        return ("notation",)

    @property
    def rulers(self) -> tuple[str, ...]:
        return {
            "edges": ("below_K", "above_K"),
            "band": ("band_K",),
            "cuts": ("cut_in_degC", "cut_out_degC"),
            "share": ("band_share",),
        }[self.notation]

    @property
    def more(self) -> tuple[str, ...]:
        return "shortest_on_s", "shortest_off_s", "confirm_s", "decide_every_s", "once", "dead_band_K"

    @property
    def more_words(self) -> str:
        return say("times, delays")

    @property
    def idle(self) -> frozenset[str]:
        written = {"below_K", "above_K", "band_K", "band_share", "cut_in_degC", "cut_out_degC"}
        return frozenset(written - set(self.rulers))

    def on_off_degC(self, setpoint_degC: float, way: Way) -> tuple[float, float]:
        """Where it switches on and off at a setpoint, in degC."""
        match self.notation:
            case "edges":
                below, above = self.below_K, self.above_K
            case "band":
                below = above = self.band_K
            case "share":
                below = above = self.band_share * abs(setpoint_degC)
            case "cuts":
                return self.cut_in_degC, self.cut_out_degC
        return setpoint_degC - way.sign * below, setpoint_degC + way.sign * above

    def written_as(self, notation: Notation, near: Near) -> Self:
        """The same law in another notation.

        Args:
            notation: the other one.
            near: the setpoint at which it is the same, where one notation follows the setpoint and the other not.

        Raises:
            ValueError: it cannot be written so; one sentence.
        """
        setpoint, sign = near.setpoint_degC, near.way.sign
        on, off = self.on_off_degC(setpoint, near.way)
        below, above = sign * (setpoint - on), sign * (off - setpoint)
        if notation != "cuts" and min(below, above) < -_SAME_K:
            raise ValueError(say("Both edges lie on one side of the setpoint, which only cut-in and cut-out can say."))
        if notation in ("band", "share") and abs(below - above) > _SAME_K:
            raise ValueError(say("Its edges are not equally far from the setpoint; a band is the same on both sides."))
        if notation == "share" and setpoint == 0:
            raise ValueError(say("A share of a setpoint of 0 °C is no band."))
        found = {
            "edges": {"below_K": max(below, 0.0), "above_K": max(above, 0.0)},
            "band": {"band_K": max(below, 0.0)},
            "cuts": {"cut_in_degC": on, "cut_out_degC": off},
            "share": {"band_share": max(below, 0.0) / abs(setpoint or 1.0)},
        }[notation]
        kept = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**kept, "notation": notation, **found})

    def edges(self, setpoint_degC: float, way: Way) -> tuple[Edge, ...]:
        on, off = self.on_off_degC(setpoint_degC, way)
        first, last = self.rulers[0], self.rulers[-1]
        if self.once and self.notation != "cuts":
            return (Edge((first,), on, "switches on", up=True),)
        found = [Edge((first,), on, "switches on", up=True), Edge((last,), off, "switches off", up=False)]
        if way.both:
            apart = way.sign * self.dead_band_K
            found.append(Edge(("dead_band_K",), 2 * setpoint_degC - on + apart, "switches cooling on", up=False))
        return tuple(found)

    @property
    def delays_s(self) -> float:
        return self.shortest_on_s + self.shortest_off_s + self.confirm_s + self.decide_every_s

    def edges_worked_out(self, setpoint_degC: float, way: Way) -> tuple[float, float] | None:
        if self.notation == "cuts":
            return None
        on_degC, off_degC = self.on_off_degC(setpoint_degC, way)
        return on_degC, setpoint_degC if self.once else off_degC

    def edge_value(self, path: tuple[str | int, ...], degC: float, setpoint_degC: float, way: Way) -> float:
        name = path[0]
        if name in ("cut_in_degC", "cut_out_degC"):
            return degC
        if name == "dead_band_K":
            on, _ = self.on_off_degC(setpoint_degC, way)
            return max(way.sign * (degC - 2 * setpoint_degC + on), 0.0)
        distance = way.sign * (degC - setpoint_degC)
        if name == "below_K":
            distance = -distance
        if name == "band_K":
            distance = abs(distance)
        if name == "band_share":
            return abs(distance) / max(abs(setpoint_degC), _SAME_K)
        return max(distance, 0.0)

    def check(self, way: Way) -> None:
        if self.notation != "cuts" or way.sign * (self.cut_out_degC - self.cut_in_degC) >= 0:
            return
        cut_in, cut_out = (show(x, Quantity.TEMPERATURE) for x in (self.cut_in_degC, self.cut_out_degC))
        side, acts = ("below", "heats") if way.sign > 0 else ("above", "cools")
        raise ValueError(
            say("cuts in at {cut_in} and out at {cut_out}; a drive that {acts} must cut in {side} cut-out",
                cut_in=cut_in, cut_out=cut_out, acts=acts, side=side)
        )  # fmt: skip
