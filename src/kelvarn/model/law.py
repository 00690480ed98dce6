"""What every law says of itself: its strategies, which settings are shown where, and the temperatures it acts at."""

from abc import abstractmethod
from typing import ClassVar, NamedTuple, Self

from .fields import ModelBase


class Way(NamedTuple):
    """Which way the drives of a rig go.

    Attributes:
        sign: 1 where a drive heats, −1 where all cool.
        both: some heat and some cool.
    """

    sign: int
    both: bool = False

    @property
    def cools(self) -> bool:
        """Whether all drives cool."""
        return self.sign < 0


class Near(NamedTuple):
    """What a new law is laid round: the setpoint of the trial shown, and which way the drives go."""

    setpoint_degC: float
    way: Way


class Edge(NamedTuple):
    """A temperature at which a law does something.

    Attributes:
        path: the setting behind it, inside the law.
        degC: where it is.
        does: what the law does there.
        up: its grip points to where the drive is more.
    """

    path: tuple[str | int, ...]
    degC: float
    does: str
    up: bool


class LawBase(ModelBase):
    """What every law says of itself.

    Attributes:
        strategies: what people call it, as on the buttons; one law may be several.
        switches: it is either on or off.
        has_steps: it goes from one step of drive to the next.
    """

    strategies: ClassVar[tuple[str, ...]] = ()
    switches: ClassVar[bool] = False
    has_steps: ClassVar[bool] = False

    @property
    def strategy(self) -> str:
        """What people call it as it is set."""
        return self.strategies[0]

    @classmethod
    @abstractmethod
    def begins_as(cls, strategy: str, near: Near) -> Self:
        """The law as a new candidate of a strategy has it."""

    @abstractmethod
    def as_strategy(self, strategy: str) -> Self:
        """The law by another of its strategies; its settings stay."""

    @property
    def choices(self) -> tuple[str, ...]:
        """Settings that say how the others are written; they stand above the rulers."""
        return ()

    @property
    def rulers(self) -> tuple[str, ...]:
        """Settings shown on rulers."""
        return ()

    @property
    def more(self) -> tuple[str, ...]:
        """Settings behind the fold."""
        return ()

    @property
    def more_words(self) -> str:
        """What stands behind the fold, in a few words."""
        return ""

    def edges(self, setpoint_degC: float, way: Way) -> tuple[Edge, ...]:
        """Where it does something at once."""
        del setpoint_degC, way
        return ()

    def edges_worked_out(self, setpoint_degC: float, way: Way) -> tuple[float, float] | None:
        """Where it switches on and off, degC, where its settings say something else; None where they say it."""
        del setpoint_degC, way
        return None

    @property
    def delays_s(self) -> float:
        """How long after a reading it may take until the drive is what is asked for."""
        return 0.0

    @property
    def step_count(self) -> int:
        """How many steps are set in a table of their own."""
        return 0

    def edge_value(self, path: tuple[str | int, ...], degC: float, setpoint_degC: float, way: Way) -> float:
        """What the setting behind an edge is when the edge is put at a temperature."""
        raise NotImplementedError  # asked only of laws with edges, and each of those says it

    def range_of_drive(self, way: Way) -> tuple[float, float]:
        """The least and the most drive that it ever asks for; the least is below 0 where it cools."""
        return (-1.0 if way.both else 0.0), 1.0

    def check(self, way: Way) -> None:
        """Raise ValueError, a clause about the law, where its settings are the wrong way round for the drives."""

    def empty_words(self, name: str) -> str | None:
        """What an empty field stands for; None where its declaration says it."""
        del name
        return None

    @property
    def idle(self) -> frozenset[str]:
        """Settings that do not act as it is set."""
        return frozenset()
