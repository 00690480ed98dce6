"""Where a fan stands and from where it starts, told by whoever listens to it; what is found is what was put out.

The duty falls until it stands, then rises until it starts. Where starting takes more than turning, it is then kicked
from standstill, longer each time, until it goes on turning just above where it stood.
"""

from dataclasses import dataclass
from enum import Enum
from typing import NamedTuple

from kelvarn.link.lines import Sample
from kelvarn.model.drives import Fan
from kelvarn.sentence import say

_RESTS_S, _LISTENS_S, _LONGEST_KICK_S = 6.0, 5.0, 5.0
_ABOVE = 0.02  # where it stood: held after a kick
_SHORTEST_S, _SAMPLES = 70.0, 60


class SweepPhase(Enum):
    """What goes on."""

    DOWN, UP, REST, KICK, LISTEN, OVER = range(6)

    @property
    def asks(self) -> str:
        """What whoever listens may say now; empty where nothing is asked."""
        return _ASKS.get(self, "")


_ASKS = {
    SweepPhase.DOWN: "it stands now", SweepPhase.UP: "it starts now", SweepPhase.LISTEN: "it goes on turning",
}  # fmt: skip


class FanFound(NamedTuple):
    """What a sweep found, by duty put out; None where it was not found.

    Attributes:
        stalls_below, starts_from: duties, 0…1.
        kick_start_s: for how long full duty starts it; 0 where none is needed.
    """

    stalls_below: float | None
    starts_from: float | None
    kick_start_s: float | None


@dataclass
class Sweep:
    """Duty down until a fan stands, up until it starts, then kicked.

    Attributes:
        fan: what is known of it: floor and kick-start are the device's own and come between.
        output: which output it is, and `holds` the point of it.
        interval_s: between samples.
        name, ended: as of `Task`.
        phase: what goes on.
    """

    fan: Fan
    output: int
    holds: str
    interval_s: float
    name: str = say("fan sweep")
    ended: str = ""

    def __post_init__(self) -> None:
        self.phase = SweepPhase.DOWN
        self.found = FanFound(None, None, None)
        self._duty, self._put_out = 1.0, 0.0
        self._lowest = 1.0  # that was put out, turning
        self._before_s = self._since_s = 0.0
        self._kick_s = 0.0
        self._heard_at: float | None = None
        self._down_s = max(_SHORTEST_S, _SAMPLES * self.interval_s)

    @property
    def most_heat_s(self) -> float:
        """As `Task.most_heat_s`."""
        kicks = _LONGEST_KICK_S / self.interval_s + 1
        return 3.0 * self._down_s + kicks * (_LONGEST_KICK_S + _RESTS_S + _LISTENS_S + 3 * self.interval_s)

    def heard(self) -> None:
        """Whoever listens says what `phase` asks for."""
        if self.phase.asks:
            self._heard_at = self._put_out

    def _take_heard(self, heard_at: float) -> None:
        """Take what was said while so much was put out; by now it is known whether anything still is."""
        if self.phase is SweepPhase.DOWN:
            self._stands(heard_at)
        elif self.phase is SweepPhase.UP:
            self._starts(heard_at)
        elif self.phase is SweepPhase.LISTEN:
            self.found = self.found._replace(kick_start_s=self._kick_s)
            self._end(f"a kick-start of {self._kick_s:g} s is enough")

    def _stands(self, heard_at: float) -> None:
        if self._put_out <= 0.0:  # the device switched it off: it never came to where it stands by itself
            self._end(
                f"it turns down to {100 * self._lowest:.0f} %, where the device switches it off: to find where it"
                " stands, take floor and off-below away at Rig and hand the program over anew"
            )
            return
        self.found = self.found._replace(stalls_below=heard_at)
        if self.fan.kick_start_s > 0.0:
            self._end(
                f"it stands below {100 * heard_at:.0f} %; from where it starts is hidden by the kick-start of "
                f"{self.fan.kick_start_s:g} s that the device gives it"
            )
        else:
            self._go(SweepPhase.UP)

    def _starts(self, heard_at: float) -> None:
        stalls = self.found.stalls_below or 0.0
        self.found = self.found._replace(starts_from=heard_at)
        if heard_at <= stalls + _ABOVE:
            self.found = self.found._replace(kick_start_s=0.0)
            self._end("it starts where it stands: it needs no kick-start")
        else:
            self._go(SweepPhase.REST)

    def _go(self, phase: SweepPhase) -> None:
        self.phase, self._since_s = phase, self._before_s

    def _end(self, why: str) -> None:
        stalls, starts, _ = self.found
        said = [] if stalls is None or starts is None else [
            f"it stands below {100 * stalls:.0f} % and starts from {100 * starts:.0f} %"
        ]  # fmt: skip
        self.phase, self.ended = SweepPhase.OVER, "; ".join([*said, why])

    def drive(self, sample: Sample, time_s: float) -> float | None:
        """As `Task.drive`."""
        passed_s, self._before_s = time_s - self._before_s, time_s
        self._put_out = sample.outputs.get(self.output, 0.0)
        if self._heard_at is not None:
            self._take_heard(self._heard_at)
            self._heard_at = None
        since_s = time_s - self._since_s
        match self.phase:
            case SweepPhase.DOWN:
                self._lowest = min(self._lowest, self._put_out or 1.0)
                self._duty = max(self._duty - passed_s / self._down_s, 0.0)
                if self._duty == 0.0 and self._put_out == 0.0:
                    self._stands(0.0)
            case SweepPhase.UP:
                self._duty = min(self._duty + passed_s / self._down_s, 1.0)
                if self._duty >= 1.0 and self._put_out >= 0.99:
                    self._end("it did not start again, as far as was said")
            case SweepPhase.REST:
                self._duty = 0.0
                if since_s >= _RESTS_S:
                    self._kick_s += self.interval_s
                    self._duty = 1.0
                    self._go(SweepPhase.KICK)
            case SweepPhase.KICK if since_s >= self._kick_s - self.interval_s / 2:
                self._duty = (self.found.stalls_below or 0.0) + _ABOVE
                self._go(SweepPhase.LISTEN)
            case SweepPhase.LISTEN if since_s >= _LISTENS_S + self.interval_s:
                if self._kick_s + self.interval_s > max(_LONGEST_KICK_S, 2 * self.interval_s):
                    self._end(f"a kick-start of {self._kick_s:g} s was not enough")
                else:
                    self._go(SweepPhase.REST)
        return None if self.phase is SweepPhase.OVER else self._duty
