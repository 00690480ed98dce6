"""The files of a maker board with 8 or 32 bits: its pins, and what it does with them."""

from collections.abc import Iterator
from typing import Any

from kelvarn.engine.inputs import PermitInput, Said
from kelvarn.engine.plant import Drive, DriveKind
from kelvarn.model.guards import Alarm, Hours, PriceBelow
from kelvarn.model.probes import Probe
from kelvarn.model.wiring import WiringBoard
from kelvarn.sentence import say

from .board_files import BOARDS, BoardName, plain, render, swaps
from .carry import Carried
from .faults import HandoverError
from .wiring.pins import PinPlan, kind_of, pin_plan

_BITS = {"maker8": 10, "maker32": 12}
_WIRED: dict[BoardName, WiringBoard] = {"maker8": "maker8", "maker32": "maker32"}
_MOST_OUTPUTS, _ANALOG_PINS = 4, 6
_DUTY = "a duty, on a pin that can have one"
_WIRE = "digital, steps of 1/16 K"


def maker_files(carried: Carried, board: BoardName) -> dict[str, str]:
    """Files of the board by name.

    Raises:
        HandoverError: the candidate needs what the board does not have.
    """
    check_board(carried, board)
    rig, pins = carried.project.rig, pin_plan(carried.project, _WIRED[board])
    drives = carried.known.rows[Drive]
    duties = [drive.kind == DriveKind.PWM for drive in drives]
    outputs = [
        {"name": drive.name, "duty": duty, "pin": pin, "what": _DUTY if duty else "on or off"}
        for drive, duty, pin in zip(rig.drives, duties, pins.outputs, strict=True)
    ]  # fmt: skip
    probes = list(probes_of(rig.probes, board, pins, _BITS[board]))
    kinds = {each["kind"] for each in probes}
    alarms = [guard for guard in rig.guards if isinstance(guard, Alarm)]
    of = {
        "outputs": outputs, "contactor": needed(pins.contactor), "probes": probes,
        "loads": None if pins.loads is None else needed(pins.loads),
        "kinds": {kind: kind in kinds for kind in ("analog", "wire", "couple")}, "reset": needed(pins.reset),
        "spi": tuple(needed(pin) for pin in pins.converters) or None, "bits": _BITS[board],
        "permits": [{"name": permit.name, "pin": needed(pin)}
                    for permit, pin in zip(rig.permits, pins.permits, strict=True)],
        "outlets": ["TRIPPED", *sorted({alarm.outlet.upper() for alarm in alarms})],
        "signals": list(signals_of(alarms)), "inputs": list(_inputs(carried)), "swaps": swaps(rig),
    }  # fmt: skip
    of["pin_names"] = list(_pin_names(of))
    return {
        "pins.h": render("pins.h.jinja", **of),
        "board_maker.cpp": render("board_maker.cpp.jinja", **of),
        "program.ino": plain("program.ino"),
    }


def c_text(text: str) -> str:
    """A text of the user's inside quotes of C: nothing in it ends them."""
    return "".join(each if each.isalnum() or each in " .,-_+()" else " " for each in text)


def needed(pin: str) -> str:
    """A pin that there must be. Raises HandoverError where the board has none left."""
    if not pin:
        raise HandoverError(
            say("The board has too few pins for this rig: take the simulated board as a pattern for yours.")
        )
    return pin


def check_board(carried: Carried, board: BoardName) -> None:
    """Raise HandoverError where a candidate needs what no board of this kind has."""
    rig, title = carried.project.rig, BOARDS[board].title
    if carried.real == "double" and not BOARDS[board].doubles:
        raise HandoverError(say("The {title} has no numbers of 64 bits: choose 32 bits.", title=title))
    lacks: dict[Any, str] = {PriceBelow: "a network that tells the price"}
    if board != "linux":
        lacks[Hours] = "a clock of the day"
        if carried.trial.plan.week:
            raise HandoverError(
                say("The plan goes by parts of the day, and the {title} has no clock of the day.", title=title)
            )
    for part, needs in lacks.items():
        for each in rig.permits:
            if isinstance(each, part):
                raise HandoverError(
                    say("“{part}” needs {needs}, which the {title} has not.", part=each.name, needs=needs, title=title)
                )
    if len(rig.drives) > _MOST_OUTPUTS:
        raise HandoverError(
            say(
                "The {title} has {most} outputs that can have a duty; the rig has more drives.",
                title=title,
                most=_MOST_OUTPUTS,
            )
        )


def probes_of(probes: tuple[Probe, ...], board: BoardName, pins: PinPlan, bits: int) -> Iterator[dict[str, Any]]:
    """Kind, pin and words of each probe, in the order of the rig, for a board whose converters have so many bits."""
    for number, (probe, pin) in enumerate(zip(probes, pins.probes, strict=True), 1):
        kind = kind_of(probe)
        if probe.converter is not None:
            if probe.converter.bits != bits:
                raise HandoverError(
                    say(
                        "“{probe}” is read with {bits} bits, and the {title} has {own}: set the converter "
                        "of the probe so and try it.",
                        probe=probe.name,
                        bits=probe.converter.bits,
                        title=BOARDS[board].title,
                        own=bits,
                    )
                )
            if not pin and board != "linux":
                raise HandoverError(
                    say("The {title} has too few analogue inputs for this rig.", title=BOARDS[board].title)
                )
            what = "an analogue input, between the thermistor and its resistor"
        elif kind == "couple" and board in _BITS:
            what = "selects its thermocouple converter"
        elif probe.like in ("", _WIRE):
            kind, what = "wire", "a digital sensor on one wire, with 4.7 kΩ to the supply"
        else:
            raise HandoverError(
                say(
                    "“{probe}” is a {like}, which the {title} does not read here: choose a thermistor "
                    "with {bits} bits, a digital probe in steps of 1/16 K or a thermocouple.",
                    probe=probe.name,
                    like=probe.like,
                    title=BOARDS[board].title,
                    bits=bits,
                )
            )
        if kind != "analog" and not probe.like:
            what += " (its type is not stated at Rig)"
        yield {
            "name": probe.name,
            "number": number,
            "kind": kind,
            "pin": pin if board == "linux" else needed(pin),
            "what": what,
        }


def signals_of(alarms: list[Alarm]) -> Iterator[dict[str, str]]:
    """Pins that say something, and when."""
    yield {"name": "TRIPPED", "when": "decision->tripped != 0", "when_python": "decision.tripped != 0"}
    for outlet in sorted({alarm.outlet for alarm in alarms}):
        mask = sum(1 << bit for bit, alarm in enumerate(alarms) if alarm.outlet == outlet)
        yield {"name": outlet.upper(), "when": f"(decision->alarm_code & INT32_C({mask})) != 0",
               "when_python": f"decision.alarm_code & {mask} != 0"}  # fmt: skip


def _inputs(carried: Carried) -> Iterator[str]:
    return input_lines(carried, {"reset": "reset_pressed"}, "gone_ms({0}, PERMIT_{1}_PIN)")


def input_lines(carried: Carried, own: dict[str, str], gone: str) -> Iterator[str]:
    """Lines of C that fill in what pins say, and that nobody says the rest.

    Args:
        carried: the program.
        own: of what is said, what the board has for it.
        gone: what tells for how long the contact of a permit has been open; its place from 0, and from 1.
    """
    for name in Said.__dataclass_fields__:
        if carried.has_input(Said, name):
            yield f"inputs->said.{name} = {own.get(name, str(getattr(Said(), name)).lower())};"
    permits = carried.project.rig.permits
    for place in range(len(permits)):
        if carried.has_input(PermitInput, "gone_ms"):
            index = f"[{place}]" if len(permits) > 1 else ""
            yield f"inputs->asked{index}.gone_ms = {gone.format(place, place + 1)};"


def _pin_names(of: dict[str, Any]) -> Iterator[str]:
    yield from (f"OUTPUT_{k + 1}_PIN" for k in range(len(of["outputs"])))
    yield from (f"PROBE_{k + 1}_PIN" for k in range(len(of["probes"])))
    yield from (f"PERMIT_{k + 1}_PIN" for k in range(len(of["permits"])))
    yield from ("CONTACTOR_PIN", "RESET_PIN", "START_PIN", "READY_PIN")
    yield from (f"{name}_PIN" for name in of["outlets"])
    if of["loads"] is not None:
        yield "LOADS_CONTACTOR_PIN"
    if of["spi"] is not None:
        yield from ("COUPLE_CLOCK_PIN", "COUPLE_DATA_PIN")
