"""The control laws, one sample at a time: the one definition for simulation, live loop and proofs.

A law lives in a module of its own: its settings as a record and how they follow from the model, its state, its codes,
its step in two halves, its sentences. `ask` reads a sample and asks for a drive; `took` tells the law what was really
given (integrator, last drive, rate limit), so that whatever overrides it is bumpless. Here is the list of them, and
which one is asked. Laws are written for heating: a cooling drive uses them with setpoint and measured temperature
negated, which mirrors every edge and sign.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from kelvarn.model.candidate import Controller, Hand

from ..compiled import part
from ..decision import Decision
from ..records import Table, table
from . import by_hand, on_off, pid


@dataclass(slots=True)
class Law:
    """Which law it is: its place in `LAWS`."""

    kind: int


class Laws(NamedTuple):
    """Settings and state of every law, of which only one is used."""

    law: Table[Law]
    on_off: Table[on_off.OnOff]
    on_off_state: Table[on_off.State]
    pid: Table[pid.Pid]
    pid_state: Table[pid.State]
    by_hand: Table[by_hand.ByHand]


LAWS: tuple[Any, ...] = (on_off, pid, by_hand)
_ON_OFF, _PID, _BY_HAND = range(3)


@part
def ask(laws: Laws, r: float, y: float, h: float, out: Decision) -> None:
    """Let the law in use read a sample.

    Args:
        laws: settings and state.
        r, y: setpoint and measured temperature, degC (negated for a cooling drive).
        h: time to the next sample, s.
        out: written: drive asked and proposed, terms, delay left, code.
    """
    if laws.law[0].kind == _PID:
        pid.ask(laws.pid[0], laws.pid_state[0], r, y, h, out)
    elif laws.law[0].kind == _ON_OFF:
        on_off.ask(laws.on_off[0], laws.on_off_state[0], r, y, out)
    else:
        by_hand.ask(laws.by_hand[0], out)


@part
def took(laws: Laws, given: float, h: float, out: Decision) -> None:
    """Tell the law in use which drive was given of what it asked; arguments as for `ask`."""
    if laws.law[0].kind == _PID:
        pid.took(laws.pid[0], laws.pid_state[0], given, h, out)
    elif laws.law[0].kind == _ON_OFF:
        on_off.took(laws.on_off[0], laws.on_off_state[0], given, h)


def laws_of(controller: Controller | Hand, make: Callable[[type[Any], Sequence[Any]], Any] = table) -> Laws:
    """Settings of a controller, and its state before the first sample.

    Args:
        controller: its model.
        make: makes a table of a record type and rows of it; `rows` for use without a compiler.
    """
    kind = next(place for place, law in enumerate(LAWS) if isinstance(controller, law.MODEL))
    found: list[Any] = [make(Law, [Law(kind)])]
    for law in LAWS:
        found.append(
            make(law.SETTINGS, [law.settings_of(controller if isinstance(controller, law.MODEL) else law.USUAL)])
        )
        if law.STATE is not None:
            found.append(make(law.STATE, [law.STATE()]))
    return Laws(*found)


def rows(_record: type[Any], those: Sequence[Any]) -> list[Any]:
    """Records as they are, for use without a compiler."""
    return list(those)


def law_module(controller: Controller | Hand) -> Any:
    """The module of a controller's law."""
    return next(law for law in LAWS if isinstance(controller, law.MODEL))
