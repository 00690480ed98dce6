"""A project's wiring made whole: what is not said is proposed; with what flows where, and how warm switches get.

Sources: heat in a transistor is I²·R while it is on, and half of V·I for the time that each switching takes; heat in a
solid-state relay is I times its drop. Leads: DIN VDE 0298-4, flexible leads in free air at 30 °C; below 0.75 mm² ten
amperes a mm². Copper: 0.0178 Ω·mm²/m at 20 °C.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from kelvarn.model.drives import AnyDrive, Fan, Pwm, Relay, SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Alarm, CutOff, Hours
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.wiring import MAINS_V, MOST_A, Output, ProbeWiring, Signal, Wiring

from .boards import BOARD_PINS, Board
from .pins import pin_plan

COPPER_OHM_MM2_PER_M = 0.0178
_LEADS_A = ((0.75, 12.0), (1.0, 15.0), (1.5, 18.0), (2.5, 26.0), (4.0, 34.0), (6.0, 44.0), (10.0, 61.0), (16.0, 82.0))
_THIN_A_PER_MM2 = 10.0
_INPUT_FARAD = 2e-9
"""Of a transistor's input, as is usual for tens of amperes; with its resistor it gives the time of a switching."""
AIR_DEGC = 40.0
"""Of the air round switches in a box, if the surroundings are not warmer."""
_FAN_PWM_HZ, _SLOWEST_CONTROL_HZ = 25_000.0, 18_000.0
_MAINS = 230.0
CONTACTOR = "drives' contactor"


@dataclass(frozen=True)
class Switched:
    """A drive with its switch.

    Attributes:
        output: the switch.
        drive: what it switches.
        pin: of the board; empty where it has none left.
        amperes: that flow at full drive.
        pwm_Hz: with which it is switched; None where slowly.
        watts: heat in the switch at full drive.
        degC: how warm the switch gets.
        lead_A: what the lead may carry; lead_drop_V: what is lost on it, both ways.
        on_mains: whether its load can kill.
    """

    output: Output
    drive: AnyDrive
    pin: str
    amperes: float
    pwm_Hz: float | None
    watts: float
    degC: float
    lead_A: float
    lead_drop_V: float
    on_mains: bool

    @property
    def heats(self) -> bool:
        """Whether it is a heater, which a thermal cut-off is for."""
        return self.drive.acts == "heats" and self.drive.heated_body is not None


@dataclass(frozen=True)
class Circuit:
    """All of a wiring.

    Attributes:
        board: its kind; logic_V: what its pins give.
        wiring: as it is said.
        switched: drives, in the order of the rig.
        probes: with their wiring and pin.
        signals: of alarms; one without a pin is not wired.
        others: further pins that the program uses: name and pin.
        cut_off: of the rig, in the lead of the heaters; None where there is none.
        outside_degC: of the air round the switches.
    """

    board: Board
    logic_V: float
    wiring: Wiring
    switched: tuple[Switched, ...]
    probes: tuple[tuple[Probe, ProbeWiring, str], ...]
    signals: tuple[Signal, ...]
    others: tuple[tuple[str, str], ...]
    cut_off: CutOff | None
    outside_degC: float

    @property
    def supply_A(self) -> float:
        """What flows from the supply at most: of all loads that are not on mains."""
        return sum(each.amperes for each in self.switched if not each.on_mains)

    @property
    def heaters(self) -> list[Switched]:
        """Those that a thermal cut-off is for."""
        return [each for each in self.switched if each.heats]

    def pins(self) -> Iterator[tuple[str, str]]:
        """What uses each pin: what, and the pin."""
        yield from ((each.drive.name, each.pin) for each in self.switched)
        yield from ((probe.name, pin) for probe, _, pin in self.probes)
        yield from ((f"{signal.outlet} of alarms", signal.pin) for signal in self.signals if signal.pin)
        yield from self.others


def lead_A(mm2: float) -> float:
    """What a lead may carry for long, A."""
    if mm2 < _LEADS_A[0][0]:
        return _THIN_A_PER_MM2 * mm2
    return next(amperes for least, amperes in reversed(_LEADS_A) if mm2 >= least)


def lead_for(amperes: float) -> float:
    """The thinnest usual lead that may carry so much, mm²."""
    thin = (0.25, 0.5)
    usual = (*thin, *(mm2 for mm2, _ in _LEADS_A))
    return next((mm2 for mm2 in usual if lead_A(mm2) >= amperes), _LEADS_A[-1][0])


def proposed(drive: AnyDrive, wiring: Wiring, logic_V: float) -> Output:
    """The switch that is usual before a drive, for pins that give so much."""
    opens_at_V = round(min(4.5, 0.9 * logic_V), 2)
    switch = getattr(drive, "switch", None)
    volts = switch.supply_V if switch is not None else wiring.supply_V
    power_W = float(getattr(drive, "power_W", 0.0))
    if isinstance(drive, Fan):
        volts = drive.supply_V or drive.rated_V or wiring.supply_V
        if drive.pwm_Hz is not None and drive.pwm_Hz < _SLOWEST_CONTROL_HZ:  # its supply is switched, not its control
            made = Output(drive=drive.name, load_V=volts, pwm_Hz=drive.pwm_Hz, opens_at_V=opens_at_V)
            return _sized(made, drive.power_W)
        return Output(drive=drive.name, kind="fan", load_V=volts, rated_V=2 * volts, rated_A=5.0, input_mA=2.0,
                      pwm_Hz=drive.pwm_Hz or _FAN_PWM_HZ, lead_mm2=0.5)  # fmt: skip
    if isinstance(drive, Relay):
        volts = _MAINS if power_W > 300.0 else volts
        return _sized(Output(drive=drive.name, kind="relay_module", load_V=volts, rated_V=250.0), power_W)
    if isinstance(drive, SlowWindow) and (volts >= MAINS_V or power_W > 1000.0):
        volts = max(volts, _MAINS)
        return _sized(Output(drive=drive.name, kind="solid_state", load_V=volts, rated_V=600.0, to_air_K_per_W=1.5,
                             input_mA=10.0), power_W)  # fmt: skip
    if isinstance(drive, SlowWindow | Pwm):
        return _sized(Output(drive=drive.name, load_V=volts, opens_at_V=opens_at_V), power_W)
    return _sized(Output(drive=drive.name, kind="valve", load_V=volts, bare_coil=False), power_W)


def _sized(output: Output, power_W: float) -> Output:
    """With lead and fuse for its current."""
    amperes = power_W / output.load_V
    mm2 = lead_for(1.3 * amperes)
    return with_fields(
        output, lead_mm2=mm2, fuse_A=next((fuse for fuse in FUSES_A if fuse >= 1.15 * amperes), None),
        rated_A=min(max(output.rated_A, round(1.5 * amperes, 1)), MOST_A),
    )  # fmt: skip


FUSES_A = (0.5, 1.0, 2.0, 3.15, 4.0, 5.0, 6.3, 8.0, 10.0, 12.0, 16.0, 20.0, 25.0, 32.0, 40.0, 50.0, 63.0)
"""Usual fuses."""


@lru_cache(maxsize=16)
def circuit_of(project: Project) -> Circuit:
    """The wiring of a project, made whole."""
    rig, wiring = project.rig, project.wiring
    board = BOARD_PINS[wiring.board]
    said = {each.drive: each for each in wiring.outputs}
    logic_V = wiring.logic_V or board.logic_V
    outputs = [said.get(drive.name) or proposed(drive, wiring, logic_V) for drive in rig.drives]
    pins = pin_plan(project, wiring.board)
    outside = max(rig.surroundings.temperature_degC, AIR_DEGC)
    switched = tuple(
        _switched(output, drive, pin, board, outside)
        for output, drive, pin in zip(outputs, rig.drives, pins.outputs, strict=True)
    )
    of_probes = {each.probe: each for each in wiring.probes}
    probes = tuple(
        (probe, of_probes.get(probe.name) or ProbeWiring(probe=probe.name), pin)
        for probe, pin in zip(rig.probes, pins.probes, strict=True)
    )
    of_signals = {each.outlet: each for each in wiring.signals}
    outlets = sorted({guard.outlet for guard in rig.guards if isinstance(guard, Alarm)} - {"message"})
    signals = tuple((of_signals.get(outlet) or Signal(outlet=outlet)) for outlet in outlets)
    others = [(CONTACTOR, pins.contactor), ("reset button", pins.reset)]
    others += [] if pins.loads is None else [("contactor of what heats by itself", pins.loads)]
    others += [(f"converters' {name}", pin) for name, pin in zip(("clock", "data"), pins.converters, strict=False)]
    contacts = [permit for permit in rig.permits if wiring.board != "linux" or not isinstance(permit, Hours)]
    others += [(permit.name, pin) for permit, pin in zip(contacts, pins.permits, strict=True)]
    cut_off = next((guard for guard in rig.guards if isinstance(guard, CutOff)), None)
    return Circuit(board, logic_V, wiring, switched, probes, signals, tuple(others), cut_off, outside)


def _switched(output: Output, drive: AnyDrive, pin: str, board: Board, outside_degC: float) -> Switched:
    needs_pwm = isinstance(drive, Pwm | Fan)
    amperes = float(getattr(drive, "power_W", 0.0)) / output.load_V
    if isinstance(drive, Fan) and drive.rated_V is not None:
        amperes = drive.power_W / drive.rated_V
    pwm_Hz = (output.pwm_Hz or getattr(drive, "pwm_Hz", None) or board.pwm_Hz) if needs_pwm else None
    watts = switch_W(output, amperes, pwm_Hz)
    return Switched(
        output=output, drive=drive, pin=pin, amperes=amperes, pwm_Hz=pwm_Hz, watts=watts,
        degC=outside_degC + watts * output.to_air_K_per_W, lead_A=lead_A(output.lead_mm2),
        lead_drop_V=2 * output.lead_m * COPPER_OHM_MM2_PER_M / output.lead_mm2 * amperes,
        on_mains=output.load_V >= MAINS_V,
    )  # fmt: skip


def switch_W(output: Output, amperes: float, pwm_Hz: float | None) -> float:
    """Heat in a switch at full drive, W; while it is switched fast, that of half duty's edges besides."""
    if output.kind == "solid_state":
        return amperes * output.drop_V
    if output.kind not in ("transistor_low", "transistor_high"):
        return 0.0
    edge_s = 2.2 * max(output.gate_ohm, 10.0) * _INPUT_FARAD
    edges_W = 0.5 * output.load_V * amperes * 2 * edge_s * pwm_Hz if pwm_Hz is not None else 0.0
    return amperes * amperes * output.on_ohm + edges_W
