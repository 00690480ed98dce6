"""How a device is wired: the board's pins, the switch of each drive, supply and lead, probes, signals."""

from typing import Literal

from kelvarn.sentence import say
from kelvarn.units import Quantity

from .fields import ModelBase, Name, OneLine, field, number

SwitchKind = Literal["transistor_low", "transistor_high", "relay_module", "solid_state", "fan", "valve", "appliance"]
SWITCH_WORDS: dict[SwitchKind, str] = {
    "transistor_low": "transistor, low side", "transistor_high": "transistor, high side",
    "relay_module": "relay module", "solid_state": "solid-state relay", "fan": "fan with four wires",
    "valve": "motor valve", "appliance": "the appliance's own switch",
}  # fmt: skip
WiringBoard = Literal["maker8", "maker32", "micropython", "linux"]
BOARD_WORDS: dict[WiringBoard, str] = {
    "maker8": "8-bit maker board", "maker32": "32-bit maker board", "micropython": "MicroPython board",
    "linux": "small computer",
}  # fmt: skip
MOST_A = 1000.0
"""Beyond which nobody wires a switch of this kind."""
MOST_V = 1e5
"""As much as a drive's supply may have."""
MAINS_V = 60.0
"""From this voltage on a load can kill, and is only switched by what separates it from the board."""


class Output(ModelBase):
    """The switch between a pin and a drive, and the lead to it."""

    drive: Name = field(..., "Drive", "The drive that it switches.")
    kind: SwitchKind = field(
        "transistor_low", "Kind", "What switches it.", words={str(kind): words for kind, words in SWITCH_WORDS.items()}
    )
    pin: OneLine = field("", "Pin", "Of the board.", empty="as proposed", max_length=10)
    load_V: float = number(24.0, Quantity.VOLTAGE, 0.1, MOST_V, "Load's supply", "Voltage across it at full drive.")
    rated_V: float = number(60.0, Quantity.VOLTAGE, 0.1, 2 * MOST_V, "Stands", "Voltage that the switch stands.")
    rated_A: float = number(30.0, Quantity.CURRENT, 0.001, MOST_A, "Carries", "Current that the switch carries.")
    opens_at_V: float = number(
        4.5, Quantity.VOLTAGE, 0.5, 30.0, "Opens fully at", "Voltage at its input from which on it is fully on."
    )
    on_ohm: float = number(
        0.008, Quantity.RESISTANCE, 0.0, 100.0, "Resistance when on", "Of a transistor, at that voltage."
    )
    drop_V: float = number(1.2, Quantity.VOLTAGE, 0.0, 10.0, "Drop when on", "Of a solid-state relay.")
    to_air_K_per_W: float = number(
        62.0, Quantity.NUMBER, 0.05, 500.0, "To the air, K/W", "From its inside to the air; 62 is a bare TO-220."
    )
    gate_ohm: float = number(220.0, Quantity.RESISTANCE, 0.0, 1e6, "Input resistor", "Between the pin and its input.")
    hold_ohm: float | None = number(
        10_000.0, Quantity.RESISTANCE, 10.0, 1e7, "Holds it off", "From its input to the level at which it is off.",
        empty="nothing",
    )  # fmt: skip
    input_mA: float = number(
        5.0,
        Quantity.NUMBER,
        0.0,
        2000.0,
        "Input takes, mA",
        "That the pin must give: of a module, an SSR, a coil.",
    )
    bare_coil: bool = field(False, "Bare coil", "Whether the pin drives a relay's coil without a module.")
    diode: bool = field(True, "Diode", "Whether a diode lies across the coil or motor.")
    pwm_Hz: float | None = number(
        None, Quantity.NUMBER, 0.01, 1e7, "PWM frequency, Hz", "Of the pin.", empty="as built"
    )
    lead_mm2: float = number(1.5, Quantity.NUMBER, 0.05, 50.0, "Lead, mm²", "Copper of the lead to the load.")
    lead_m: float = number(0.8, Quantity.LENGTH, 0.0, 100.0, "Lead's length", "One way.")
    fuse_A: float | None = number(None, Quantity.CURRENT, 0.01, 1000.0, "Fuse", "Of this load.", empty="none")


class ProbeWiring(ModelBase):
    """How a probe reaches the board."""

    probe: Name = field(..., "Probe", "Which.")
    pin: OneLine = field("", "Pin", "Of the board.", empty="as proposed", max_length=10)
    pull_up_ohm: float | None = number(
        4700.0, Quantity.RESISTANCE, 100.0, 1e6, "Pull-up", "From its data wire to the supply.", empty="none"
    )
    lead_m: float = number(0.5, Quantity.LENGTH, 0.0, 200.0, "Lead's length", "One way.")
    capacitor_nF: float | None = number(
        None, Quantity.NUMBER, 0.1, 1e5, "Capacitor, nF", "At the pin, against noise.", empty="none"
    )


class Signal(ModelBase):
    """Something that an alarm drives: a lamp, a buzzer."""

    outlet: Name = field(..., "Outlet", "Of which alarms.")
    pin: OneLine = field("", "Pin", "Of the board.", empty="not wired", max_length=10)
    takes_mA: float = number(10.0, Quantity.NUMBER, 0.1, 5000.0, "Takes, mA", "Current that the pin must give.")


SeenBy = Literal["outputs", "cut_off", "levels", "place", "leads", "mains"]
BY_HAND: dict[SeenBy, str] = {
    "outputs": say("each output, its load unplugged"),
    "cut_off": say("the cut-off, with a hot-air gun"),
    "levels": say("each pin while the board starts"),
    "place": say("a dry place, air comes to it"),
    "leads": say("leads clear of fans and heat"),
    "mains": say("mains only by who may"),
}
"""What nobody but whoever wires it can see to."""


class Wiring(ModelBase):
    """All of it; parts of the rig that are not named are wired as proposed."""

    board: WiringBoard = field(
        "maker8", "Board", "Which kind of board.", words={str(board): title for board, title in BOARD_WORDS.items()}
    )
    logic_V: float | None = number(
        None, Quantity.VOLTAGE, 1.0, 30.0, "Level of a pin", "What it gives when high.", empty="as built"
    )
    supply_V: float = number(24.0, Quantity.VOLTAGE, 1.0, 1000.0, "Supply", "Of the loads that are not on mains.")
    supply_A: float | None = number(
        None, Quantity.CURRENT, 0.01, 1000.0, "Supply gives", "At most.", empty="not chosen yet"
    )
    cut_off_A: float = number(15.0, Quantity.CURRENT, 0.01, 1000.0, "Cut-off carries", "Current of its contact.")
    outputs: tuple[Output, ...] = field((), "Switches", "Of the drives.", max_length=30)
    probes: tuple[ProbeWiring, ...] = field((), "Probes", "How they reach the board.", max_length=60)
    signals: tuple[Signal, ...] = field((), "Signals", "What alarms drive.", max_length=30)
    seen_to: tuple[SeenBy, ...] = field((), "Seen to", "What was tried by hand.", max_length=len(BY_HAND))
