"""What is wrong with a wiring: each a sentence with its numbers, at the part that it is of."""

from collections.abc import Iterator
from typing import NamedTuple

from kelvarn.model.drives import Fan, Pwm, Relay
from kelvarn.model.probes import Probe
from kelvarn.model.wiring import ProbeWiring
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

from .circuit import FUSES_A, Circuit, Switched, lead_for
from .pins import kind_of

HOT_DEGC = {"transistor_low": 110.0, "transistor_high": 110.0, "solid_state": 80.0}
"""How warm a switch may get for long, by its kind. A transistor's resistance rises by about half until 150 °C, which is
not reckoned in: what lies between makes room for that."""
SUPPLY, BOARD = "Supply", "Board"
_MOST_DROP_SHARE, _VOLTS_SPARE, _FUSE_SPARE = 0.05, 1.2, 1.1
_WEAK_OHM, _LEAK_A = 1e6, 1e-5
_LONG_WIRE_M, _LONG_ANALOG_M = 3.0, 2.0
_MOST_SELF_HEAT_K, _W_PER_K_IN_AIR = 0.5, 0.002
_SLOWEST_FAN_HZ = 18_000.0
_RELAY_HZ, _HALF_WAVES_S = 0.2, 0.02


class Warned(NamedTuple):
    """Something that is wrong.

    Attributes:
        part: of which part.
        text: what, with its numbers, and what would do.
    """

    part: str
    text: str


def warnings_of(circuit: Circuit) -> list[Warned]:
    """All that is wrong, those of outputs first."""
    found = [Warned(each.drive.name, text) for each in circuit.switched for text in _of_output(circuit, each)]
    found += _of_supply(circuit)
    found += [Warned(probe.name, text) for probe, wiring, pin in circuit.probes
              for text in _of_probe(circuit, probe, wiring, pin)]  # fmt: skip
    for signal in circuit.signals:
        if signal.takes_mA > circuit.board.pin_mA:
            text = say("It takes {takes}; a pin of this board gives {gives} for long: put a transistor in between.",
                       takes=figures(f"{signal.takes_mA:g}", "mA"),
                       gives=figures(f"{circuit.board.pin_mA:g}", "mA"))  # fmt: skip
            found.append(Warned(signal.outlet, text))
    found += _of_pins(circuit)
    return found


def _of_output(circuit: Circuit, each: Switched) -> Iterator[str]:
    output, board = each.output, circuit.board
    if output.kind in ("transistor_low", "transistor_high", "fan", "valve", "relay_module") and each.on_mains:
        enclosed = output.kind == "relay_module" and output.rated_V >= output.load_V
        if not enclosed:
            yield (f"{output.load_V:g} V can kill, and nothing separates it from the board: take a solid-state "
                   f"relay or a "
                   "contactor in an enclosure, wired by somebody who may.")  # fmt: skip
    if output.kind == "transistor_high" and output.load_V > circuit.logic_V + 0.5:
        yield (f"On the high side a pin of {circuit.logic_V:g} V cannot switch {output.load_V:g} V off: it "
               f"needs a driver, "
               "or the transistor on the low side.")  # fmt: skip
    if output.kind.startswith("transistor") and output.opens_at_V > circuit.logic_V:
        yield (f"A pin of this board gives {circuit.logic_V:g} V; this transistor opens fully only at "
               f"{output.opens_at_V:g} V: it would carry {each.amperes:.1f} A half open and burn. Take one that opens "
               f"fully at {0.9 * circuit.logic_V:.1f} V, or a driver in between.")  # fmt: skip
    least_V = output.load_V * (1.0 if output.kind in ("relay_module", "fan", "valve") else _VOLTS_SPARE)
    if output.rated_V < least_V:
        yield (f"It stands {output.rated_V:g} V; with {output.load_V:g} V it should stand {least_V:.0f} V.")
    if output.rated_A < each.amperes:
        yield f"It carries {output.rated_A:g} A; {each.amperes:.1f} A flow."
    yield from _of_heat(circuit, each)
    if output.input_mA > board.pin_mA:
        coil = "the coil" if output.bare_coil else "its input"
        yield (f"{output.input_mA:g} mA for {coil}; a pin of this board gives {board.pin_mA:g} mA for long: put a "
               "transistor in between, or take a module.")  # fmt: skip
    inductive = output.bare_coil or (isinstance(each.drive, Fan) and output.kind.startswith("transistor"))
    if inductive and not output.diode:
        yield ("Its coil has no diode: when it is switched off its voltage rises until something breaks. Put "
               "one across it, "
               "the ring to plus.")  # fmt: skip
    yield from _of_level(circuit, each)
    yield from _of_speed(each)
    yield from _of_lead(each)


def _of_heat(circuit: Circuit, each: Switched) -> Iterator[str]:
    most = HOT_DEGC.get(each.output.kind)
    if most is None or each.degC <= most:
        return
    room_K_per_W = (most - circuit.outside_degC) / each.watts
    advice = f"a heatsink that brings it to {room_K_per_W:.2g} K/W"
    if each.output.kind.startswith("transistor"):
        would_W = (most - circuit.outside_degC) / each.output.to_air_K_per_W
        ohm = would_W / max(each.amperes, 1e-9) ** 2
        advice += f", or one with {1000 * ohm:.2g} mΩ"
    yield f"{each.watts:.2g} W in the switch: {show(each.degC, Quantity.TEMPERATURE)}. It needs {advice}."


def _of_level(circuit: Circuit, each: Switched) -> Iterator[str]:
    """What holds it off until the first decision."""
    output, hold = each.output, each.output.hold_ohm
    off = "the supply" if each.drive.active_low else "ground"
    seconds = circuit.board.starts_s
    if hold is None:
        yield (f"Nothing holds it off while the board starts: its pin floats for up to {seconds:g} s. A "
               f"resistor of 10 kΩ "
               f"from its input to {off}.")  # fmt: skip
    elif hold > _WEAK_OHM:
        volts = hold * _LEAK_A
        yield f"{hold / 1e6:.2g} MΩ hold it off too weakly: a leak of 10 µA makes {volts:.0f} V of it. 10 kΩ do."
    elif circuit.logic_V / hold * 1000.0 > circuit.board.pin_mA:
        yield (f"{hold:g} Ω take {circuit.logic_V / hold * 1000.0:.0f} mA of the pin while it is on, more than "
               f"{circuit.board.pin_mA:g} mA: 10 kΩ do.")  # fmt: skip
    elif output.kind.startswith("transistor") and output.gate_ohm > 0.0 and hold < 9 * output.gate_ohm:
        volts = circuit.logic_V * hold / (hold + output.gate_ohm)
        if volts < output.opens_at_V <= circuit.logic_V:
            yield (f"{output.gate_ohm:g} Ω and {hold:g} Ω leave {volts:.1f} V of the pin's {circuit.logic_V:g} "
                   f"V; it opens "
                   f"fully at {output.opens_at_V:g} V.")  # fmt: skip
    pin = circuit.board.pin(each.pin)
    if pin is not None and pin.at_start:
        yield f"Pin {each.pin} is no pin for it: {pin.at_start}."


def _of_speed(each: Switched) -> Iterator[str]:
    kind, fast = each.output.kind, each.pwm_Hz
    if kind == "fan" and fast is not None and fast < _SLOWEST_FAN_HZ:
        yield (
            f"A fan with four wires wants 25 kHz at its control input; this pin gives {fast:g} Hz: it howls, "
            f"or runs full."
        )
    if kind == "relay_module" and fast is not None and fast > _RELAY_HZ:
        yield f"A relay is not switched {fast:g} times a second: its contacts are worn out in a day."
    if kind == "solid_state" and fast is not None and fast > 1.0 / _HALF_WAVES_S:
        yield f"A solid-state relay switches with the half-waves of the mains, not {fast:g} times a second."


def _of_lead(each: Switched) -> Iterator[str]:
    output, fuse = each.output, each.output.fuse_A
    if each.amperes > each.lead_A:
        yield (f"{each.amperes:.1f} A flow here; {output.lead_mm2:g} mm² carries {each.lead_A:g} A: take "
               f"{lead_for(each.amperes):g} mm² or thicker.")  # fmt: skip
    if each.lead_drop_V > _MOST_DROP_SHARE * output.load_V:
        yield f"{each.lead_drop_V:.1f} V of {output.load_V:g} V are lost on {output.lead_m:g} m of lead, both ways."
    if isinstance(each.drive, Fan):
        return
    if fuse is None:
        yield f"No fuse: {each.amperes:.1f} A flow, and a short would set the lead on fire."
    elif fuse < _FUSE_SPARE * each.amperes:
        better = next((size for size in FUSES_A if size >= 1.15 * each.amperes), FUSES_A[-1])
        yield f"A fuse of {fuse:g} A blows in time: {each.amperes:.1f} A flow. Take {better:g} A, slow."
    elif fuse > each.lead_A:
        yield f"A fuse of {fuse:g} A does not save a lead that carries {each.lead_A:g} A."
    elif fuse > output.rated_A:
        yield f"A fuse of {fuse:g} A does not save a switch that carries {output.rated_A:g} A."


def _of_supply(circuit: Circuit) -> Iterator[Warned]:
    wiring = circuit.wiring
    if wiring.supply_A is not None and circuit.supply_A > wiring.supply_A:
        yield Warned(
            SUPPLY,
            say(
                "It gives {gives} A; all together take {takes} A.",
                gives=figures(f"{wiring.supply_A:g}", ""),
                takes=figures(f"{circuit.supply_A:.1f}", ""),
            ),
        )
    for each in circuit.switched:
        if (
            not each.on_mains
            and abs(each.output.load_V - wiring.supply_V) > 0.02 * wiring.supply_V
            and not isinstance(each.drive, Fan)
        ):
            yield Warned(
                SUPPLY,
                say(
                    "It gives {supply} V; “{drive}” is made for {load} V.",
                    supply=figures(f"{wiring.supply_V:g}", ""),
                    drive=each.drive.name,
                    load=figures(f"{each.output.load_V:g}", ""),
                ),
            )
    heaters = circuit.heaters
    if not heaters:
        return
    if circuit.cut_off is None:
        text = say("No thermal cut-off in its lead: one that needs no software, for when all else fails. "
                   "Add it to the rig's guards.")  # fmt: skip
        yield Warned(heaters[0].drive.name, text)
        return
    amperes = sum(each.amperes for each in heaters)
    if amperes > wiring.cut_off_A:
        yield Warned(
            "Thermal cut-off",
            say(
                "It carries {cut_off} A; {amperes} A flow through it.",
                cut_off=figures(f"{wiring.cut_off_A:g}", ""),
                amperes=figures(f"{amperes:.1f}", ""),
            ),
        )


def _of_probe(circuit: Circuit, probe: Probe, wiring: ProbeWiring, pin: str) -> Iterator[str]:
    found = circuit.board.pin(pin)
    if probe.converter is not None:
        if found is not None and "analog" not in found.can:
            yield f"Pin {pin} is no analogue input."
        elif probe.converter.bits > circuit.board.analog_bits:
            yield f"It is read with {probe.converter.bits} bits; this board has {circuit.board.analog_bits}."
        fixed = probe.converter.fixed_ohm
        watts = max(((circuit.logic_V / (ohm + fixed)) ** 2 * ohm for ohm in probe.converter.ohms), default=0.0)
        if watts / _W_PER_K_IN_AIR > _MOST_SELF_HEAT_K:
            yield (f"Its own current heats it: {1000 * watts:.2g} mW, about {watts / _W_PER_K_IN_AIR:.1f} K in "
                   f"still air. "
                   "Take a thermistor and a resistor of more ohms.")  # fmt: skip
        if wiring.lead_m > _LONG_ANALOG_M and wiring.capacitor_nF is None:
            yield (
                f"{wiring.lead_m:g} m of lead pick up noise: 100 nF from the pin to ground, at the board, and "
                f"twist the two."
            )
        return
    if kind_of(probe) == "couple":
        return
    if wiring.pull_up_ohm is None:
        yield "Its data wire has no pull-up: 4.7 kΩ to the supply, or it never answers."
    elif wiring.lead_m > _LONG_WIRE_M and wiring.pull_up_ohm > 2500.0:
        yield f"{wiring.pull_up_ohm:g} Ω are too weak for {wiring.lead_m:g} m of lead: 2.2 kΩ."
    elif circuit.logic_V / wiring.pull_up_ohm * 1000.0 > 4.0:
        yield f"{wiring.pull_up_ohm:g} Ω make its data wire carry more than the 4 mA that it can pull down."


def _of_pins(circuit: Circuit) -> Iterator[Warned]:
    users: dict[str, list[str]] = {}
    for what, pin in circuit.pins():
        if not pin:
            yield Warned(
                BOARD, say("No pin is left for {what}: the {board} has too few.", what=what, board=circuit.board.title)
            )
        elif circuit.board.pin(pin) is None:
            yield Warned(BOARD, say("There is no pin {pin} on a {board}.", pin=pin, board=circuit.board.title))
        else:
            users.setdefault(pin, []).append(what)
    for pin, those in users.items():
        if len(those) > 1:
            yield Warned(BOARD, say("Pin {pin} is used twice: {parts}.", pin=pin, parts=" and ".join(those)))
    for each in circuit.switched:
        found = circuit.board.pin(each.pin)
        needs = isinstance(each.drive, Pwm | Fan) and not isinstance(each.drive, Relay)
        if found is not None and needs and "pwm" not in found.can:
            yield Warned(each.drive.name, say("Pin {pin} cannot have a duty: it would be on or off.", pin=each.pin))
