"""Listens to a device for hours: opens its link, asks who it is, watches it, and begins anew whenever it is lost."""

import threading
import time
from collections.abc import Callable
from contextlib import suppress
from enum import Enum

from kelvarn.handover.points import OUTPUT, PLAIN, PROBE
from kelvarn.sentence import say

from .address import LinkAddress
from .device import Device, Identity
from .faults import LinkError
from .lines import Sample, TalkPoint, Value
from .wire import Wire, open_wire

_AGAIN_S = 1.0
_LOOKS_S = 0.25
_SILENT_SAMPLES, _SILENT_S = 3.0, 2.0
_READS_EVERY_S = 5.0
_ENDS_S = 5.0
_OF_SAMPLES = frozenset(point.name for point in PLAIN)


class LinkState(Enum):
    """How a link is."""

    CLOSED = "closed"
    OPENING = "opening"
    OPEN = "open"
    LOST = "lost"


class Listener:
    """A link that is kept open.

    Nothing is ordered by it: it asks who is there, what there is to read, and watches.

    Args:
        address: of the device.
        on_sample: called with each sample, from a thread of its own.
        on_change: called when the state changes, with what is to be said of that.
        opens: what opens a wire.
        clock: seconds that only go on.
    """

    def __init__(
        self, address: LinkAddress, on_sample: Callable[[Sample], None],
        on_change: Callable[[LinkState, str], None] | None = None, opens: Callable[[LinkAddress], Wire] = open_wire,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self.address, self._opens, self._clock = address, opens, clock
        self._on_sample, self._on_change = on_sample, on_change or (lambda _state, _text: None)
        self.state, self.trouble = LinkState.CLOSED, ""
        self.device: Device | None = None
        self.identity: Identity | None = None
        self.points: tuple[TalkPoint, ...] = ()
        self.values: dict[str, Value] = {}
        self._heard_s = self._read_s = clock()
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._run, name="listener", daemon=True)

    def begin(self) -> None:
        """Begin to listen, in a thread of its own."""
        self._thread.start()

    def try_once(self) -> None:
        """Open it now, so that what is wrong is known at once; `begin` then goes on.

        Raises:
            LinkError: it cannot be opened, or what answers is no program of Kelvarn.
        """
        self._open()

    def close(self) -> None:
        """Let go of the device."""
        self._ends.set()
        if self._thread.is_alive() and threading.current_thread() is not self._thread:
            self._thread.join(_ENDS_S)
        self._let_go()
        self._tell(LinkState.CLOSED, "")

    def _run(self) -> None:
        while not self._ends.is_set():
            if self.device is None:
                try:
                    self._open()
                except LinkError as error:
                    self._let_go()
                    self._tell(LinkState.LOST, error.said)
                    self._ends.wait(_AGAIN_S)
                    continue
            self._ends.wait(_LOOKS_S)
            device = self.device
            if device is not None and device.lost:
                self._tell(LinkState.LOST, device.lost)
                self._let_go()
            elif self._clock() - self._heard_s > self._silent_after_s():
                self._watch_again()
            elif self.extras and self._clock() - self._read_s > _READS_EVERY_S:
                self._read_values()
        self._let_go()  # of what was being opened while it was closed

    @property
    def extras(self) -> tuple[TalkPoint, ...]:
        """What it measures besides: points that are neither of samples nor settings, read every few seconds."""
        return tuple(
            point for point in self.points
            if not point.writes and point.name not in _OF_SAMPLES and not point.name.startswith((PROBE, OUTPUT))
        )  # fmt: skip

    def age_s(self, name: str) -> float | None:
        """How old the value of a point is, s: by what the device said and since then; None where it has none."""
        value = self.values.get(name)
        return None if value is None or value.value is None else value.age_s + self._clock() - self._read_s

    def _silent_after_s(self) -> float:
        return _SILENT_S + _SILENT_SAMPLES * (self.identity.interval_s if self.identity is not None else 1.0)

    def _watch_again(self) -> None:
        """It says nothing any more: it has begun anew, and knows nothing of who watched it."""
        device = self.device
        if device is None:
            return
        try:
            self._ask(device)
        except LinkError as error:
            self._tell(LinkState.LOST, error.said)
            self._let_go()

    def _open(self) -> None:
        self._tell(LinkState.OPENING, "")
        device = Device(self._opens(self.address), self._take, clock=self._clock)
        try:
            self._ask(device)
        except LinkError:
            device.close()
            raise
        self.device = device

    def _ask(self, device: Device) -> None:
        found = device.hello()
        if self.identity is not None and found.state != self.identity.state:
            raise LinkError(
                say("Another device answers at {address}: its program is of state {state}, not {known}.",
                    address=self.address, state=found.state, known=self.identity.state)
            )  # fmt: skip
        self.points, self.values = tuple(device.points()), device.values()
        self.identity, self._heard_s = found, self._clock()  # known before the first sample comes
        device.ask("watch 1")
        self._read_s = self._heard_s
        self._tell(LinkState.OPEN, "")

    def read_again(self) -> None:
        """Ask for all values once more, in a thread of its own: somebody has changed one."""
        threading.Thread(target=self._read_values, name="values", daemon=True).start()

    def _read_values(self) -> None:
        device = self.device
        if device is not None:
            with suppress(LinkError):  # the next sample tells of it
                self.values = device.values()
                self._read_s = self._clock()

    def _take(self, sample: Sample) -> None:
        self._heard_s = self._clock()
        self._on_sample(sample)

    def _let_go(self) -> None:
        device, self.device = self.device, None
        if device is not None:
            device.close()

    def _tell(self, state: LinkState, text: str) -> None:
        if self._ends.is_set() and state is not LinkState.CLOSED:
            return
        if (state, text) != (self.state, self.trouble):
            self.state, self.trouble = state, text
            self._on_change(state, text)
