"""Orders to a device, said one after another by a thread of their own, and a lease that is kept as long as wanted."""

import queue
import threading
from collections.abc import Callable

from kelvarn.link.device import Device, Refusal
from kelvarn.link.faults import LinkError
from kelvarn.link.lines import Answer
from kelvarn.sentence import say

LEASE_S = 6
"""Of what is held: the device ends it so long after Kelvarn fell silent."""
_RENEWED = 3  # times in a lease

Then = Callable[[Answer | None, str], None]
"""Told the answer; or None, and why there is none."""


class Orders:
    """Says orders to a device.

    Args:
        device: gives the device; None while there is no link.
        token: by which it holds leases, 1…65535.
        renew_s: how often what is held is said again.
    """

    def __init__(self, device: Callable[[], Device | None], token: int, renew_s: float = LEASE_S / _RENEWED) -> None:
        self._device, self.token, self._renew_s = device, token, renew_s
        self._waiting: queue.Queue[tuple[str, Then] | None] = queue.Queue()
        self._kept: dict[str, str] = {}
        self._thread = threading.Thread(target=self._run, name="orders", daemon=True)
        self._ends = threading.Event()
        self._thread.start()

    def say(self, line: str, then: Then | None = None) -> None:
        """Say a line; `then` is called from a thread of its own."""
        self._waiting.put((line, then or (lambda _answer, _why: None)))

    def hold(self, drive: str, value: str, then: Then | None = None) -> None:
        """Hold something until `release` of it: all, an output, setpoint, limits."""
        line = f"hold {drive} {value} {LEASE_S} {self.token}"
        self._kept[_what(drive)] = line
        self.say(line, then)

    def release(self, drive: str = "all") -> None:
        """Let it be: its lease runs out by itself."""
        self._kept.pop(_what(drive), None)

    def release_all(self) -> None:
        """Let all be."""
        self._kept.clear()

    def stop(self) -> None:
        """Say stop at once, past whatever waits; nothing is held any more, and what waits is not said.

        Raises:
            LinkError: there is no link.
        """
        self.release_all()
        while not self._waiting.empty():
            try:
                self._waiting.get_nowait()
            except queue.Empty:
                break
        device = self._device()
        if device is None:
            raise LinkError(say("There is no link; what is held ends by itself."))
        device.stop()

    def _run(self) -> None:
        while not self._ends.is_set():
            try:
                asked = self._waiting.get(timeout=self._renew_s)
            except queue.Empty:
                self._renew()
                continue
            if asked is None:
                return
            self._say(*asked)

    def _renew(self) -> None:
        for line in list(self._kept.values()):
            self._say(line, lambda _answer, _why: None)

    def _say(self, line: str, then: Then) -> None:
        device = self._device()
        if device is None:
            then(None, say("There is no link."))
            return
        try:
            then(device.order(line), "")
        except Refusal as refusal:
            then(None, say("The device says no: {answer}.", answer=refusal.args[0]))
        except LinkError as error:
            then(None, error.said)

    def close(self) -> None:
        """Hold nothing any more, and end."""
        self.release_all()
        self._ends.set()
        self._waiting.put(None)
        self._thread.join(5.0)


def _what(drive: str) -> str:
    """Which lease it is."""
    return drive if drive in ("setpoint", "limits") else "drive"
