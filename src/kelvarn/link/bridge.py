"""Passes a device on to a broker: its points become topics, and what is written there becomes lines."""

import json
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from kelvarn.handover.points import OUTPUT, PROBE

from .address import LinkAddress
from .broker import ORDERS, Broker
from .device import Device, Refusal
from .faults import LinkError
from .lines import Sample, Value
from .listener import LinkState, Listener
from .wire import Wire, open_wire

_TEXT, _LONGEST = 40, 60


class Bridge:
    """A device on a broker.

    Args:
        device: where the device is.
        broker: where the broker is; its base is that of the topics, if it has one.
        opens: what opens a wire.
        clock: seconds that only go on.
    """

    def __init__(
        self, device: LinkAddress, broker: LinkAddress, opens: Callable[[LinkAddress], Wire] = open_wire,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self.base = ""
        self._listener = Listener(device, self._take, self._changed, opens, clock)
        self._listener.try_once()
        found = self._listener.identity
        assert found is not None
        self.base = broker.base or f"kelvarn/{found.rig}/{found.program}"
        self._who: dict[str, str] = {}
        self._told: dict[str, str] = {}
        self._edits: int | None = None
        self._broker = Broker(
            broker, self._order, tuple(f"{self.base}/{each}" for each in ("set/+", "hold/+", "order")),
            will=f"{self.base}/state",
        )  # fmt: skip
        self._broker.on_open = self._tell_all
        self._broker.begin(waits=True)
        self._listener.begin()

    def _tell_all(self) -> None:
        """What the broker keeps; anew whenever it has come back."""
        found = self._listener.identity
        if found is None:
            return
        self._told = {}
        about = {"program": found.program, "rig": found.rig, "state": found.state, "board": found.board,
                 "interval_ms": round(found.interval_s * 1000)}  # fmt: skip
        self._broker.say(f"{self.base}/about", json.dumps(about), keeps=True)
        points = [point._asdict() for point in self._listener.points]
        self._broker.say(f"{self.base}/points", json.dumps(points), keeps=True)
        self._tell_values(self._listener.values)

    def _tell_values(self, values: dict[str, Value]) -> None:
        for name, value in values.items():
            told = {"value": value.value, "unit": value.unit, "who": self._who.get(name, "-")}
            text = json.dumps(told)
            if self._told.get(name) != text:
                self._told[name] = text
                self._broker.say(f"{self.base}/point/{name}", text, keeps=True)

    def _changed(self, state: LinkState, _text: str) -> None:
        if self.base:
            told = "online" if state in (LinkState.OPEN, LinkState.OPENING) else "offline"
            self._broker.say(f"{self.base}/state", told, keeps=True)

    def _take(self, sample: Sample) -> None:
        if self._edits is not None and sample.edits != self._edits:
            threading.Thread(target=self._read_values, name="values", daemon=True).start()
        self._edits = sample.edits
        names = [point.name for point in self._listener.points]
        probes = [name for name in names if name.startswith(PROBE)]
        outputs = [name for name in names if name.startswith(OUTPUT)]
        flags = (sample.ready | sample.stopped << 1 | sample.drives_cut << 2 | sample.loads_cut << 3
                 | sample.mode << 4 | sample.held << 6 | sample.nudged << 7)  # fmt: skip
        told: dict[str, Any] = {
            "seq": sample.seq, "t_ms": sample.t_ms, "reading_degC": sample.reading_degC,
            "setpoint_degC": sample.setpoint_degC, "asked_pct": round(100 * sample.asked, 2),
            "given_pct": round(100 * sample.given, 2), "law": sample.law, "guard": sample.guard, "flags": flags,
            "alarm": sample.alarm, "tripped": sample.tripped, "late": sample.late, "heat_s": sample.heat_s,
            "edits": sample.edits,
            "probes": {name: sample.probes_degC.get(k) for k, name in enumerate(probes)},
            "outputs": {name: round(100 * sample.outputs.get(k, 0.0), 1) for k, name in enumerate(outputs)},
        }  # fmt: skip
        self._broker.say(f"{self.base}/sample", json.dumps(told))

    def _read_values(self) -> None:
        device = self._listener.device
        if device is not None:
            with suppress(LinkError):  # the listener says so
                self._tell_values(device.values())

    # What is written.

    def _order(self, topic: str, payload: bytes, kept: bool) -> None:
        """Take an order, on the broker's thread; the device is asked on another one."""
        to = topic.removeprefix(f"{self.base}/")
        try:
            said = _read(payload)
        except ValueError as error:
            self._answer(to, {}, f"{error}")
            return
        if kept:
            self._answer(to, said, "the broker had kept it: an order is for now")
            return
        try:
            line = line_of(to, said)
        except ValueError as error:
            self._answer(to, said, str(error))
            return
        threading.Thread(target=self._do, args=(to, said, line), name="order", daemon=True).start()

    def _do(self, to: str, said: dict[str, Any], line: str) -> None:
        device: Device | None = self._listener.device
        why = ""
        try:
            if device is None:
                raise LinkError("the device is not there")
            if line == "stop":
                device.stop()
            else:
                device.order(line)
        except (Refusal, LinkError) as error:
            why = str(error)
        if not why and to.startswith("set/"):
            self._who[to.removeprefix("set/")] = str(said.get("who", "?"))[:_TEXT]
            self._read_values()
        self._answer(to, said, why)

    def _answer(self, to: str, said: dict[str, Any], why: str) -> None:
        told = {"to": to, "ok": not why, "why": why, "id": said.get("id"), "who": str(said.get("who", "?"))[:_TEXT]}
        self._broker.say(f"{self.base}/answer", json.dumps(told))

    def close(self) -> None:
        """Let go of both."""
        self._listener.close()
        self._broker.close()


def _read(payload: bytes) -> dict[str, Any]:
    """What a payload says: a number or text alone, or JSON. Raises ValueError with what is wrong."""
    try:
        text = payload.decode("ascii").strip()
    except UnicodeDecodeError:
        raise ValueError("it is no plain text") from None
    if text.startswith("{"):
        try:
            said = json.loads(text, parse_float=str, parse_int=str, parse_constant=lambda _: "-")
        except (ValueError, RecursionError):
            raise ValueError("it is no JSON") from None
        return dict(said)
    return {"value": text, "order": text}


def line_of(to: str, said: dict[str, Any]) -> str:
    """The line that something written to a topic is.

    Args:
        to: the topic, below the base.
        said: what was written, numbers as text.

    Raises:
        ValueError: it is none; says why.
    """
    kind, _, name = to.partition("/")
    if kind == "order":
        words = str(said.get("order", "")).split()
        if not words or words[0] not in ORDERS or len(words) > 4:
            raise ValueError(f"order one of: {', '.join(ORDERS)}")
        parts = words
    elif kind == "set":
        was = ["was", said["was"]] if "was" in said else []
        parts = ["set", name, said.get("value", ""), *was]
    else:
        parts = ["hold", name, said.get("value", ""), said.get("seconds", ""), said.get("token", "")]
    if not all(isinstance(part, str) and part and part.isascii() and part.isprintable() and " " not in part
               and "*" not in part for part in parts):  # fmt: skip
        raise ValueError("say value, and of a lease seconds and token too, as numbers")
    line = " ".join(parts)
    if len(line) > _LONGEST:
        raise ValueError("it is too long")
    return line
