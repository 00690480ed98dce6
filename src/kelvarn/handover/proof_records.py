"""What came of a proof."""

from dataclasses import dataclass

from kelvarn.sentence import figures, joined, say
from kelvarn.units import counted

from .carry import Real


@dataclass(frozen=True)
class Difference:
    """Where a program decides otherwise than the engine.

    Attributes:
        figure: that differs first, by name.
        sample: of the rows of a check; row: what the board read.
        engine, program: the two figures.
        around: samples before and after: seconds, reading, and the two figures.
    """

    figure: str
    sample: int
    row: tuple[float, ...]
    engine: float
    program: float
    around: tuple[tuple[float, float, float, float], ...] = ()

    @property
    def says(self) -> str:
        """What differs, in words."""
        return f"sample {self.sample}: {self.figure} is {self.engine!r} here and {self.program!r} there"


@dataclass(frozen=True)
class Compared:
    """What comparing decisions found.

    Attributes:
        samples: compared; differing: of them; first: the first that differs.
        largest: by how much a number of the program is off at most: 0 with doubles, little with 32 bits.
        reasons: with 32 bits, samples at which the law names another reason for the same drive; they do not differ.
        edges: with 32 bits, samples at which the reading, or the drive, is so near an edge that rounding decides the
            side; they do not differ, and are told.
    """

    samples: int = 0
    differing: int = 0
    first: Difference | None = None
    largest: float = 0.0
    reasons: int = 0
    edges: int = 0

    def __add__(self, other: "Compared") -> "Compared":
        """This, then that."""
        return Compared(
            self.samples + other.samples, self.differing + other.differing, self.first or other.first,
            max(self.largest, other.largest), self.reasons + other.reasons, self.edges + other.edges,
        )  # fmt: skip


@dataclass(frozen=True)
class Check:
    """A check of a proof.

    Attributes:
        name, what: what it is called, and what was put through.
        found: by it.
        left: why it was not done, in a sentence; empty where it was.
        told: what differed first, of a check that was kept in words only.
    """

    name: str
    what: str = ""
    found: Compared = Compared()
    left: str = ""
    told: str = ""

    @property
    def text(self) -> str:
        """What was put through, and what is to be said of it besides whether anything differs."""
        others = (
            f"; in {self.found.reasons} the law names another reason for the same drive" if self.found.reasons else ""
        )
        if self.found.edges:
            others += f"; {counted(self.found.edges, 'sample')} on an edge to a millionth, where 32 bits round"
        return f"{self.what}{others}"

    @property
    def says(self) -> str:
        """What differs first, in words, as it is known or was told; empty where nothing does."""
        return self.found.first.says if self.found.first is not None else self.told


@dataclass(frozen=True)
class Measured:
    """What was measured of a program on a chip: what, how much, in what unit."""

    what: str
    value: float
    unit: str

    @property
    def text(self) -> str:
        """It, such as "program 20,514 bytes"."""
        number = f"{self.value:,.0f}" if self.value >= 1000.0 else f"{self.value:.4g}"
        return joined(" ", (self.what, figures(number, self.unit)))


@dataclass(frozen=True)
class Proof:
    """What came of a proof.

    Attributes:
        fingerprint: of the state that it is of.
        candidate, trial, real: what was proved.
        checks: one by one.
        not_reached: lines of `control.c` that nothing reached.
        lines: of that file.
        measured: of the program on chips.
        on: where it ran: host, this computer, or chips.
    """

    fingerprint: str
    candidate: str
    trial: str
    real: Real
    checks: tuple[Check, ...]
    not_reached: tuple[str, ...]
    lines: int
    measured: tuple[Measured, ...] = ()
    on: tuple[str, ...] = ("host",)

    @property
    def differing(self) -> int:
        """Decisions that differ."""
        return sum(check.found.differing for check in self.checks)

    @property
    def differs(self) -> bool:
        """Whether any decision differs."""
        return self.differing > 0

    @property
    def samples(self) -> int:
        """Decisions that were compared."""
        return sum(check.found.samples for check in self.checks)

    def verdict(self) -> str:
        """What was found, in a sentence."""
        if self.differs:
            first = next(check for check in self.checks if check.found.differing)
            return say(
                "{differing} of {samples} decisions differ, first in “{name}”.",
                differing=figures(f"{self.differing:,}", ""),
                samples=figures(f"{self.samples:,}", ""),
                name=first.name,
            )
        left = sum(bool(check.left) for check in self.checks)
        samples = figures(f"{self.samples:,}", "")
        if left:
            return say("No difference in {samples} decisions; {left} of {all} checks were not done.", samples=samples,
                       left=left, all=len(self.checks))  # fmt: skip
        return say("No difference in {samples} decisions.", samples=samples)
