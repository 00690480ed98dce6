"""What rules over a law: which guard or permit is on at a sample, and which of several rules.

The order stands in `Ruler`: the lower number rules. A thermal cut-off is a switch of its own: the kernel looks at it,
and the controller knows nothing of it.
"""

from .ages import NOT_BEGUN, aged
from .compiled import part
from .decision import Decision
from .guard_records import RULERS, Does, Guard, Guarding, GuardKind, GuardState, Ruler, Timing, Watches
from .inputs import Inputs, Reading, Said
from .records import Table

# Plain numbers for compiled code:
_GUARD = int(Ruler.GUARD)
_PERMIT = int(Ruler.PERMIT)
_PROBE_FAULT = int(Ruler.PROBE_FAULT)
_OVERRIDE = int(Ruler.OVERRIDE)
_STANDS_STILL = int(Ruler.STANDS_STILL)
_NO_READING = int(Ruler.NO_READING)
_STOPPED = int(Ruler.STOPPED)


@part
def code_of(ruler: int, place: int) -> int:
    """Guard code."""
    return ruler + RULERS * place


@part
def _lasts(state: GuardState, is_so: bool, passed_ms: int, after_ms: int) -> bool:
    """Whether something has been so for long enough."""
    if not is_so:
        state.age_ms = NOT_BEGUN
        return False
    state.age_ms = aged(state.age_ms, passed_ms) if state.age_ms >= 0 else 0
    return state.age_ms >= after_ms


@part
def _watch_level(guard: Guard, state: GuardState, held: Reading, nearer_K: float, passed_ms: int, reset: bool) -> None:
    """A trip, or an alarm at a level, that is moved nearer; before the first reading nothing is beyond it."""
    if not held.valid:
        return
    beyond = guard.sign * (held.degC - guard.level_degC) + max(nearer_K, 0.0)
    if _lasts(state, beyond >= 0.0, passed_ms, guard.after_ms):
        state.active = True
    elif beyond < -guard.hysteresis_K and (reset or not guard.latches):
        state.active = False


@part
def _watch_probe(guard: Guard, state: GuardState, reading: Reading, degC: float, passed_ms: int) -> None:
    """Whether the control probe is seen to be faulty; a reading that is missing is a fault."""
    state.seen_ms = aged(state.seen_ms, passed_ms)
    if not state.armed or degC != state.from_degC:
        state.armed, state.from_degC, state.seen_ms = True, degC, 0
    still = guard.still_ms > 0 and state.seen_ms >= guard.still_ms
    beyond = reading.at_end or not reading.valid
    state.active = _lasts(state, beyond, passed_ms, guard.after_ms) or still


@part
def _watch_rise(
    guard: Guard, state: GuardState, ahead: float, y: float, passed_ms: int, given: float, reset: bool
) -> None:
    """Much drive without an answer; `ahead` and `y` in the direction in which the drive acts.

    What is given now was so since the last sample: that is where the time and the rise count from.
    """
    state.armed = given >= guard.at_least and ahead >= guard.away_K
    if state.age_ms < 0 or not state.armed or y - state.from_degC >= guard.rise_K:
        state.from_degC, state.age_ms = y, 0
    else:
        state.age_ms = aged(state.age_ms, passed_ms)
    if state.active and reset:
        state.active, state.age_ms, state.from_degC = False, 0, y
    elif state.armed and state.age_ms >= guard.after_ms:
        state.active = True


@part
def _watch_on_time(guard: Guard, state: GuardState, passed_ms: int, given: float) -> None:
    """The longest time on, and the break after it."""
    if state.active:
        state.seen_ms = aged(state.seen_ms, passed_ms)
        if state.seen_ms >= guard.rest_ms:
            state.active, state.age_ms = False, 0
    elif given == 0.0 or state.age_ms < 0:
        state.age_ms = 0
    else:
        state.age_ms = aged(state.age_ms, passed_ms)
        if state.age_ms >= guard.after_ms:
            state.active, state.seen_ms = True, 0


@part
def _watch_distance(guard: Guard, state: GuardState, away: float, full: bool, passed_ms: int, reset: bool) -> None:
    """An alarm away from the setpoint, once that was reached; or at full drive and still away."""
    if abs(away) <= guard.away_K:
        state.armed = True
    counts = full if guard.watches == Watches.SATURATED else state.armed
    if _lasts(state, counts and abs(away) > guard.away_K, passed_ms, guard.after_ms):
        state.active = True
    elif (abs(away) <= max(guard.away_K - guard.hysteresis_K, 0.0) or not counts) and (reset or not guard.latches):
        state.active = False


@part
def _given_by(guard: Guard, state: GuardState, last: float) -> float:
    """What a guard that is on gives."""
    if guard.does == Does.FULL:
        return 1.0
    if guard.does == Does.FIXED:
        if guard.cycle_ms == 0:
            return guard.duty
        if state.phase_ms >= guard.on_ms:
            return 0.0
        return 1.0 if guard.duty > 0.0 else -1.0
    return last if guard.does == Does.HOLD else 0.0


@part
def watch(
    guarding: Guarding, inputs: Inputs, held: Table[Reading], timing: Timing, passed_ms: int, out: Decision
) -> None:
    """See what each guard says.

    Args:
        guarding: guards with their settings and state; written.
        inputs: of this sample.
        held: of each probe, what it read last.
        timing: which way the drives go.
        passed_ms: since the sample before.
        out: the decision so far; its setpoint is read.
    """
    control_probe, mirror, reset = timing.control_probe, timing.mirror, inputs.said[0].reset
    now, r, y = guarding.now[0], out.setpoint_degC, held[control_probe].degC
    ahead = mirror * (r - y)
    looked_at = now.blind = False
    for g in range(len(guarding.guards)):
        guard, state = guarding.guards[g], guarding.states[g]
        if guard.cycle_ms > 0:
            state.phase_ms = (state.phase_ms + passed_ms) % guard.cycle_ms
        if guard.kind == GuardKind.TRIP and guard.probe != control_probe and not inputs.readings[guard.probe].valid:
            now.blind = True
        if guard.kind == GuardKind.TRIP or (guard.kind == GuardKind.ALARM and guard.watches <= Watches.LOW):
            _watch_level(guard, state, held[guard.probe], inputs.said[0].nearer_K, passed_ms, reset)
        elif guard.kind == GuardKind.ALARM:
            away = r - held[guard.probe].degC
            most = timing.most if now.given > 0.0 else timing.least
            full = abs(now.given) >= abs(most) - 1e-9 and away * now.given * mirror > 0.0
            _watch_distance(guard, state, away, full, passed_ms, reset)
        elif guard.kind == GuardKind.PROBE_FAULT:
            looked_at = True
            _watch_probe(guard, state, inputs.readings[control_probe], y, passed_ms)
        elif guard.kind == GuardKind.NO_RISE:
            way = -1.0 if now.given < 0.0 else 1.0
            _watch_rise(guard, state, way * ahead, way * mirror * y, passed_ms, abs(now.given), reset)
        elif guard.kind == GuardKind.LINK_LOST:
            state.active = inputs.said[0].order_age_ms >= guard.after_ms
        elif guard.kind == GuardKind.LONGEST_ON:
            _watch_on_time(guard, state, passed_ms, now.given)
        elif guard.kind == GuardKind.RESTART:
            state.active = 0 <= now.returned_ms < guard.after_ms
    if not looked_at and not inputs.readings[control_probe].valid:
        now.blind = True


@part
def rule(guarding: Guarding, timing: Timing, said: Said, out: Decision) -> None:
    """Decide what is given: `proposed` unless something stronger than the law rules; the guard code says what does.

    Of guards of one rank the one that gives least rules, whatever their order. A trip that switches the load off
    decides no drive: it stands outside the order, like an alarm. While it is stopped by hand nobody holds the drive,
    and nothing heats, whoever asks for it; what cools goes on.
    """
    now, rank = guarding.now[0], _STANDS_STILL
    out.given, out.guard_code, out.alarm_code = out.proposed, 0, 0
    out.drives_cut = out.loads_cut = False
    out.alone, out.stopped = -1, now.stopped
    if now.stopped:
        now.override = -1
    if now.override >= 0:
        out.given, out.guard_code, rank = said.override_drive, code_of(_OVERRIDE, now.override), _OVERRIDE
    wants = out.given
    if wants == 0.0 and out.delay_left_s > 0.0 and now.override < 0:  # it is missing also while a delay counts
        wants = 1.0 if now.no_heating >= 0 else -1.0
    if (wants > 0.0 and now.no_heating >= 0) or (wants < 0.0 and now.no_cooling >= 0):
        place = now.no_heating if wants > 0.0 else now.no_cooling
        out.given, out.guard_code, rank = 0.0, code_of(_PERMIT, place), _PERMIT
    if now.blind:
        out.given, out.guard_code, rank = 0.0, code_of(_NO_READING, 0), _PROBE_FAULT
    _let_guards_rule(guarding, rank, out)
    if said.order_age_ms >= 0 and not out.drives_cut:
        _keep_last_order(guarding, out)
    if now.override >= 0 and out.guard_code == code_of(_OVERRIDE, now.override):
        out.alone = said.override_alone
    if now.stopped:
        out.drives_cut = out.drives_cut or timing.only_heats
        if timing.mirror > 0.0 and out.given > 0.0:
            out.given, out.guard_code = 0.0, code_of(_STOPPED, 0)


@part
def _let_guards_rule(guarding: Guarding, rank: int, out: Decision) -> None:
    """What guards that are on give, where they are stronger than who rules so far; alarms, trips and what is cut."""
    now, bit = guarding.now[0], 1
    out.tripped = 0
    for g in range(len(guarding.guards)):
        guard, active = guarding.guards[g], guarding.states[g].active
        if guard.kind == GuardKind.ALARM:
            out.alarm_code += bit if active else 0
            bit *= 2
        elif active:
            if guard.kind == GuardKind.TRIP or guard.kind == GuardKind.NO_RISE:
                out.tripped += 1 << guard.place
                out.drives_cut = out.drives_cut or guard.does == Does.CONTACTOR
            if guard.does == Does.LOAD:
                out.loads_cut = True
                continue
            gives = _given_by(guard, guarding.states[g], now.given)
            if guard.rank < rank or (guard.rank == rank and abs(gives) < abs(out.given)):
                out.given, out.guard_code, rank = gives, code_of(guard.rank, guard.place), guard.rank


@part
def _keep_last_order(guarding: Guarding, out: Decision) -> None:
    """No order arrives: the last one stays, until a watchdog at the drive acts."""
    now = guarding.now[0]
    out.given, out.guard_code = now.given, code_of(_STANDS_STILL, 0)
    for g in range(len(guarding.guards)):
        guard = guarding.guards[g]
        if guard.kind == GuardKind.LINK_LOST and guarding.states[g].active:
            out.given, out.guard_code = _given_by(guard, guarding.states[g], now.given), code_of(_GUARD, guard.place)


@part
def begin_anew(guarding: Guarding) -> None:
    """Forget what is not stored: of guards only what latches outlives a power cut."""
    for g in range(len(guarding.guards)):
        state = guarding.states[g]
        state.active = state.active and guarding.guards[g].latches
        state.age_ms, state.seen_ms, state.phase_ms = NOT_BEGUN, 0, 0
        state.from_degC, state.armed = 0.0, False
    now = guarding.now[0]
    now.started, now.given, now.returned_ms = False, 0.0, 0
    now.seen_override, now.let_go, now.lost = -1, False, False
