"""The control laws, one sample at a time: the one definition for simulation, live loop and proofs.

A law lives in a module of its own: its settings as a record and how they follow from the model, its state, its codes,
its step in two halves; what it says of a sample is in `words/laws/`. `ask` reads a sample and asks for a drive; `took`
tells the law what was really given (integrator, last drive, rate limit), so that whatever overrides it is bumpless.
Here is the list of them, and which one is asked. Laws are written for heating: a cooling drive uses them with setpoint
and measured temperature negated, which mirrors every edge and sign.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid

from ..ages import NOT_BEGUN
from ..compiled import part
from ..decision import Decision
from ..inputs import Said
from ..records import Table, table
from . import by_hand, curve, on_off, pid
from .static import StaticCurve


@dataclass(slots=True)
class Law:
    """Which law it is: its place in `LAWS`."""

    kind: int


class Laws(NamedTuple):
    """Settings and state of every law, of which only one is used."""

    law: Table[Law]
    on_off: Table[on_off.OnOffRecord]
    on_off_state: Table[on_off.State]
    curve: Table[curve.CurveRecord]
    curve_steps: Table[curve.Step]
    curve_state: Table[curve.State]
    pid: Table[pid.PidRecord]
    pid_state: Table[pid.State]
    by_hand: Table[by_hand.ByHand]


LAWS: tuple[Any, ...] = (on_off, curve, pid, by_hand)
_ON_OFF, _CURVE, _PID, _BY_HAND = range(4)
_USUAL_ON_OFF, _USUAL_CURVE, _USUAL_PID, _USUAL_FIXED = OnOff(), Curve(), Pid(), Fixed()


@part
def ask(laws: Laws, r: float, y: float, passed_ms: int, h: float, out: Decision) -> None:
    """Let the law in use read a sample.

    Args:
        laws: settings and state.
        r, y: setpoint and measured temperature, degC (negated for a cooling drive).
        passed_ms: time since the sample before; 0 at the first one.
        h: the same in s; at the first one, to the next.
        out: written: drive asked and proposed, terms, delay left, code.
    """
    if laws.law[0].kind == _PID:
        pid.ask(laws.pid[0], laws.pid_state[0], r, y, h, out)
    elif laws.law[0].kind == _ON_OFF:
        on_off.ask(laws.on_off[0], laws.on_off_state[0], r, y, passed_ms, out)
    elif laws.law[0].kind == _CURVE:
        curve.ask(laws.curve[0], laws.curve_steps, laws.curve_state[0], y, h, out)
    else:
        by_hand.ask(laws.by_hand[0], out)


@part
def retune(laws: Laws, said: Said, y: float) -> None:
    """Change settings of the law in use, without a jump of the drive.

    Args:
        laws: settings and state; both are written.
        said: by which factors they change.
        y: measured temperature, degC (negated for a cooling drive).
    """
    if laws.law[0].kind == _PID:
        pid.retune(laws.pid[0], laws.pid_state[0], said, y)


@part
def took(laws: Laws, given: float, h: float, out: Decision) -> None:
    """Tell the law in use which drive was given of what it asked; arguments as for `ask`."""
    if laws.law[0].kind == _PID:
        pid.took(laws.pid[0], laws.pid_state[0], given, h, out)
    elif laws.law[0].kind == _ON_OFF:
        on_off.took(laws.on_off_state[0], given)
    elif laws.law[0].kind == _CURVE:
        curve.took(laws.curve_state[0], given)


@part
def rearm(laws: Laws) -> None:
    """Reset is pressed: what was done once may be done again."""
    laws.on_off_state[0].done = False


@part
def restart(laws: Laws) -> None:
    """Let the law in use begin anew, as after a power cut; settings that changed stay, and so does "once"."""
    if laws.law[0].kind == _PID:
        state = laws.pid_state[0]
        state.started, state.memory, state.lost, state.speed, state.last_drive = False, 0.0, 0.0, 0.0, 0.0
    elif laws.law[0].kind == _ON_OFF:
        relay = laws.on_off_state[0]
        relay.way, relay.since_ms, relay.passed_ms, relay.decided_ms = 0, 0, NOT_BEGUN, NOT_BEGUN
    elif laws.law[0].kind == _CURVE:
        place = laws.curve_state[0]
        place.started, place.place, place.last_drive = False, 0, 0.0


def laws_of(controller: Controller, way: Way, make: Callable[[type[Any], Sequence[Any]], Any] = table) -> Laws:
    """Settings of a controller, and its state before the first sample.

    Args:
        controller: its model.
        way: which way the drives go.
        make: makes a table of a record type and rows of it; `rows` for use without a compiler.
    """
    of_curve = controller if isinstance(controller, Curve) else _USUAL_CURVE
    of_on_off = controller if isinstance(controller, OnOff) else _USUAL_ON_OFF
    of_pid = controller if isinstance(controller, Pid) else _USUAL_PID
    fixed = controller if isinstance(controller, Fixed) else _USUAL_FIXED
    kind = LAWS.index(law_module(controller))
    return Laws(
        law=make(Law, [Law(kind)]),
        on_off=make(on_off.OnOffRecord, [on_off.settings_of(of_on_off, way)]),
        on_off_state=make(on_off.State, [on_off.State()]),
        curve=make(curve.CurveRecord, [curve.settings_of(of_curve, way)]),
        curve_steps=make(curve.Step, curve.steps_of(of_curve, way)),
        curve_state=make(curve.State, [curve.State()]),
        pid=make(pid.PidRecord, [pid.settings_of(of_pid, way)]),
        pid_state=make(pid.State, [pid.State()]),
        by_hand=make(by_hand.ByHand, [by_hand.settings_of(fixed, way)]),
    )


def rows(_record: type[Any], those: Sequence[Any]) -> list[Any]:
    """Records as they are, for use without a compiler."""
    return list(those)


def law_module(controller: Controller) -> Any:
    """The module of a controller's law."""
    return next(law for law in LAWS if isinstance(controller, law.MODEL))


def static_curve(
    law: Controller, setpoint_degC: float, way: Way, low_degC: float, high_degC: float
) -> StaticCurve | None:
    """The curve of a law between two temperatures; None for one that has no such curve.

    Args:
        law: what is drawn.
        setpoint_degC: around which it acts.
        way: which way the drives go.
        low_degC, high_degC: where the picture ends.
    """
    # From where least drive is called for to where most is.
    ends = (high_degC, low_degC) if way.sign > 0 else (low_degC, high_degC)
    found: StaticCurve | None = law_module(law).static_curve(law, setpoint_degC, way, ends)
    return found
