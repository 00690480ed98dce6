"""A device of Kelvarn on a broker, as who watches it from elsewhere sees it: its topics."""

import json
import math
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

from kelvarn.handover.points import plain_number
from kelvarn.sentence import say

from .address import LinkAddress
from .broker import ORDERS, Broker
from .faults import LinkError
from .spoken import About, Told

_ANSWERS_WITHIN_S, _THERE_WITHIN_S, _MOST_SAMPLES = 0.9, 3.0, 10_000
_PLAIN = ("t_ms", "reading_degC", "setpoint_degC", "asked_pct", "given_pct", "law", "guard", "flags")
_RARE = ("alarm", "tripped", "late", "heat_s", "edits")


class BrokerSource:
    """A device of Kelvarn on a broker; a `Source`.

    Args:
        address: kind mqtt or mqtts, with the base of its topics.
        clock: seconds that only go on.

    Raises:
        LinkError: the broker cannot be reached, or nothing of a device is there.
    """

    def __init__(self, address: LinkAddress, clock: Callable[[], float] = time.monotonic) -> None:
        self._base, self._clock, self._where = address.base, clock, str(address)
        self._lock = threading.Condition()
        self._kept: dict[str, Any] = {}
        self._samples: deque[dict[str, Any]] = deque(maxlen=_MOST_SAMPLES)
        self._answers: dict[str, str] = {}
        self._began, self._count = clock(), 0
        self._broker = Broker(address, self._take, (f"{self._base}/#",))
        self._broker.begin()
        with self._lock:
            found = self._lock.wait_for(lambda: {"about", "points", "state"} <= set(self._kept), _THERE_WITHIN_S)
        if not found:
            self._broker.close()
            raise LinkError(
                say("{where}: the broker answers, but there is no device of Kelvarn at {base}.", where=self._where,
                    base=self._base)
            )  # fmt: skip

    def _take(self, topic: str, payload: bytes, kept: bool) -> None:
        name = topic.removeprefix(f"{self._base}/")
        with self._lock:
            if name == "state":
                self._kept["state"] = payload == b"online"
            elif name == "answer" and not kept:
                told = _json(payload)
                if told is not None and isinstance(told.get("id"), str):
                    self._answers[told["id"]] = "" if told.get("ok") is True else str(told.get("why") or "no")
            elif name == "sample":
                told = _json(payload)
                if isinstance(told, dict) and not kept:
                    self._samples.append(told)
            elif name in ("about", "points") or name.startswith("point/"):
                found = _json(payload)
                if found is not None:
                    self._kept[name] = found
            self._lock.notify_all()

    def _here(self) -> None:
        if not self._broker.is_open:
            raise LinkError(say("{where} is lost: the broker is gone.", where=self._where))
        if not self._kept["state"]:
            raise LinkError(say("{where}: the broker says that the device is offline.", where=self._where))

    def about(self) -> About:
        """As `Source.about`."""
        self._here()
        with self._lock:
            found = self._kept["about"]
        try:
            program, rig, state, board = (str(found[name]).split()[0] for name in ("program", "rig", "state", "board"))
            return About(program, rig, state, board, int(self._clock() - self._began), int(found["interval_ms"]))
        except (KeyError, ValueError, TypeError, IndexError):
            raise LinkError(say("{where} tells nothing that is known of itself.", where=self._where)) from None

    def points(self) -> list[str]:
        """As `Source.points`."""
        self._here()
        with self._lock:
            found = self._kept["points"]
        try:
            return [
                f"{each['name']} {each['unit']} {_text(each['low'])} {_text(each['high'])} {_text(each['step'])} "
                f"{'rw' if each['writes'] else 'r'} {self._who(each['name'])} {'stored' if each['stored'] else '-'}"
                for each in found
            ]  # fmt: skip
        except (KeyError, ValueError, TypeError):
            raise LinkError(say("{where} tells of its points as nothing that is known.", where=self._where)) from None

    def _who(self, name: str) -> str:
        told = self._kept.get(f"point/{name}", {})
        words = str(told.get("who", "-")).split()
        return words[0] if words else "-"

    def values(self) -> list[str]:
        """As `Source.values`."""
        self._here()
        with self._lock:
            told = [(name.removeprefix("point/"), value) for name, value in self._kept.items() if "/" in name]
        return [f"{name} {_text(value.get('value'))} {value.get('unit', '-')} 0 {int(value.get('value') is not None)}"
                for name, value in told]  # fmt: skip

    def samples(self) -> list[Told]:
        """As `Source.samples`."""
        self._here()
        with self._lock:
            found = list(self._samples)
            self._samples.clear()
        return [told for told in map(_told, found) if told is not None]

    def order(self, words: list[str]) -> str:
        """As `Source.order`."""
        self._here()
        self._count += 1
        said: dict[str, str] = {"who": "Kelvarn", "id": f"{id(self):x}-{self._count}"}
        match words:
            case ["set", name, value]:
                to, said = f"set/{name}", {**said, "value": value}
            case ["set", name, value, "was", was]:
                to, said = f"set/{name}", {**said, "value": value, "was": was}
            case ["hold", drive, value, seconds, token]:
                to, said = f"hold/{drive}", {**said, "value": value, "seconds": seconds, "token": token}
            case [word, *_] if word in ORDERS:
                to, said = "order", {**said, "order": " ".join(words)}
            case _:
                return "this is not told over this kind of link"
        self._broker.order(f"{self._base}/{to}", json.dumps(said))
        with self._lock:
            if not self._lock.wait_for(lambda: said["id"] in self._answers, _ANSWERS_WITHIN_S):
                raise LinkError(say("{where} does not answer.", where=self._where))
            return self._answers.pop(said["id"])

    def close(self) -> None:
        """As `Source.close`."""
        self._broker.close()


def _told(told: dict[str, Any]) -> Told | None:
    """A sample from its payload; None where it is of something else."""
    try:
        plain = " ".join(_text(told[name]) for name in _PLAIN)
        rare = " ".join(_text(told[name]) for name in _RARE)
        probes = tuple(_text(value) for value in told["probes"].values())
        return Told(int(told["seq"]), (plain, rare), probes, tuple(_text(v) for v in told["outputs"].values()))
    except (KeyError, ValueError, TypeError, AttributeError):
        return None


def _json(payload: bytes) -> Any:
    """What a payload says; None where it is no JSON."""
    try:
        return json.loads(payload)
    except (ValueError, RecursionError):
        return None


def _text(value: object) -> str:
    """A number as lines have it; - where it is none."""
    if value is None or isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        return "-"
    return str(value) if isinstance(value, int) else plain_number(value, 6)
