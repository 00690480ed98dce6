"""What came of a proof."""

from dataclasses import dataclass

from .carry import Real


@dataclass(frozen=True)
class Difference:
    """Where a program decides otherwise than the engine.

    Attributes:
        what: figure that differs first, by name.
        sample: of the rows of a check; row: what the board read.
        engine, program: the two figures.
    """

    what: str
    sample: int
    row: tuple[float, ...]
    engine: float
    program: float


@dataclass(frozen=True)
class Check:
    """A check of a proof.

    Attributes:
        name, what: what it is called, and what was put through.
        samples: compared; differing: of them; first: the first that differs.
        left: why it was not done, in a sentence; empty where it was.
        largest: by how much a number of the program is off at most: 0 with doubles, little with 32 bits.
    """

    name: str
    what: str
    samples: int = 0
    differing: int = 0
    first: Difference | None = None
    left: str = ""
    largest: float = 0.0


@dataclass(frozen=True)
class Proof:
    """What came of a proof.

    Attributes:
        fingerprint: of the state that it is of.
        candidate, trial, real: what was proved.
        checks: one by one.
        not_reached: lines of `control.c` that nothing reached.
        lines: of that file.
    """

    fingerprint: str
    candidate: str
    trial: str
    real: Real
    checks: tuple[Check, ...]
    not_reached: tuple[str, ...]
    lines: int

    @property
    def differs(self) -> bool:
        """Whether any decision differs."""
        return any(check.differing for check in self.checks)

    @property
    def samples(self) -> int:
        """Decisions that were compared."""
        return sum(check.samples for check in self.checks)

    def verdict(self) -> str:
        """What was found, in a sentence."""
        differing = sum(check.differing for check in self.checks)
        if differing:
            first = next(check for check in self.checks if check.differing)
            return f"{differing:,} of {self.samples:,} decisions differ, first in “{first.name}”."
        left = sum(bool(check.left) for check in self.checks)
        open_ones = f"; {left} of {len(self.checks)} checks were not done" if left else ""
        return f"No difference in {self.samples:,} decisions{open_ones}."
