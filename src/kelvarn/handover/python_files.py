"""The files of a program in Python: for a board with MicroPython, a small computer, and the board that is not there."""

import textwrap
from collections.abc import Callable, Iterator
from typing import Any

from kelvarn.engine.inputs import PermitInput, Said
from kelvarn.engine.plant import Drive, DriveKind
from kelvarn.model.guards import Alarm, Hours

from .adjusting import Adjusting, adjusting, with_ranges
from .board_files import BoardName, adjusts, plain, python_inputs, render, row_types, swaps
from .carry import DECIDED, Carried
from .files import STORE_EVERY_MS, YEARS, is_urgent, setting_comment
from .line_files import python_line_file
from .maker import check_board, needed, probes_of, signals_of
from .translate.wording import SettingLine
from .wiring.pins import pin_plan

_MOST_BITS = 16


def python_files(carried: Carried, board: BoardName) -> dict[str, str]:
    """All files of a program in Python by name, but for what goes with them.

    Raises:
        HandoverError: the candidate cannot be carried over, or needs what the board does not have.
    """
    of_board = {"board.py": _simulated(carried)} if board == "simulated" else _of_board(carried, board)
    return {**program_in_python(carried, board), **of_board}


def program_in_python(carried: Carried, board: str) -> dict[str, str]:
    """Files of a program in Python by name, but for those of its board; raises as `python_files` does."""
    made = adjusting(carried)
    return {
        "settings.py": _settings(carried, made), "control.py": carried.python.body,
        "program.py": _program(carried, made), "line.py": python_line_file(carried, board),
        "store.py": render("store.py.jinja", adjusted=made.adjusted, probes=len(carried.project.rig.probes)),
    }  # fmt: skip


def _settings(carried: Carried, made: Adjusting) -> str:
    lines, live = with_ranges(carried.lines(), made), {each.line.name: each for each in made.adjusted}
    rows = []
    for line in lines:
        wrapped = textwrap.wrap(setting_comment(line, live.get(line.name)), 98)
        rows.append({"comment": "\n".join(f"# {each}" for each in wrapped), "name": line.name, "text": _text(line)})
    conditions = [
        f"{line.low!r} <= {line.name} <= {line.high!r}"
        for line in lines
        if line.edited and line.low is not None and line.high is not None
    ] + carried.python.fits
    return render(
        "settings.py.jinja", lines=rows, conditions=conditions or ["True"],
        seconds=any("SECONDS_OF" in str(line.value) for line in lines),
        roots=any("SQRT_OF" in str(line.value) for line in lines),
        adjusted=[{"name": each.line.name, "lowest": each.lowest, "highest": each.highest, "step": each.step}
                  for each in made.adjusted],
        follows=[{"name": line.name, "text": line.value} for line in lines if isinstance(line.value, str)],
        fingerprint=carried.fingerprint,
        title=_quoted(f"“{carried.candidate.name}” for “{carried.project.name}”"),
    )  # fmt: skip


def _text(line: SettingLine) -> str:
    return line.value if isinstance(line.value, str) else repr(line.value)


def _quoted(text: str) -> str:
    """A text of the user's inside a docstring: nothing in it ends that."""
    return text.replace("\\", "/").replace('"', "'")


def _program(carried: Carried, made: Adjusting) -> str:
    stored = carried.sources.stored
    urgent = tuple(k for k, each in enumerate(stored) if is_urgent(carried, each.record, each.row, each.name))
    # A table of which all is constant is the program's own.
    kept = [name for name in ("probes", "curves") if name in carried.pruned.params[_read_probe_of(carried)]]
    return render(
        "program.py.jinja", title=_quoted(f"{carried.candidate.name}, {carried.project.name}"),
        adjusted=made.adjusted, years=YEARS, store_every_ms=STORE_EVERY_MS,
        urgent=repr(urgent), probes=len(carried.project.rig.probes),
        drives=len(carried.project.rig.drives), first="".join(f"self.device.{name}, " for name in kept),
    )  # fmt: skip


def _read_probe_of(carried: Carried) -> str:
    return next(each.name for each in carried.known.entries if each.name.endswith(".read_probe"))


def _simulated(carried: Carried) -> str:
    return render(
        "board_simulated.py.jinja", inputs=python_inputs(carried), columns=len(row_types(carried)),
        decided=repr(DECIDED), adjusts=adjusts(carried), drives=len(carried.project.rig.drives),
    )  # fmt: skip


def _of_board(carried: Carried, board: BoardName) -> dict[str, str]:
    rig, linux = carried.project.rig, board == "linux"
    check_board(carried, board)
    pins = pin_plan(carried.project, "linux" if linux else "micropython")

    def of_pin(pin: str) -> int | None:
        """Its number; files of the system have names, and there are as many as one likes."""
        return None if linux else int(needed(pin))

    duties = [drive.kind == DriveKind.PWM for drive in carried.known.rows[Drive]]
    alarms = [guard for guard in rig.guards if isinstance(guard, Alarm)]
    bits = next((probe.converter.bits for probe in rig.probes if probe.converter is not None), _MOST_BITS)
    probes = list(probes_of(rig.probes, board, pins, bits))
    contacts = [permit for permit in rig.permits if not isinstance(permit, Hours)]
    contact_pins = pins.permits[: len(contacts)]
    of: dict[str, Any] = {
        "outputs": [{"name": _quoted(drive.name), "duty": duty, "pin": of_pin(pin)}
                    for drive, duty, pin in zip(rig.drives, duties, pins.outputs, strict=True)],
        "contactor": of_pin(pins.contactor), "reset": of_pin(pins.reset), "probes": probes,
        "loads": None if pins.loads is None else of_pin(pins.loads),
        "permits": [{"name": _quoted(permit.name), "pin": of_pin(pin)}
                    for permit, pin in zip(contacts, contact_pins, strict=True)],
        "kinds": {kind: any(each["kind"] == kind for each in probes) for kind in ("analog", "wire")},
        "analog": [each["kind"] == "analog" for each in probes],
        "signals": list(signals_of(alarms)), "swaps": swaps(rig), "inputs": _of_pins(carried, linux=linux),
    }  # fmt: skip
    for each in probes:
        each.update(name=_quoted(each["name"]), bits=bits, pin=of_pin(each["pin"]))
    name = "linux" if linux else "micropython"
    more = {"deadline.py": plain("deadline.py.jinja")} if linux else {}
    return {
        "board.py": render(f"board_{name}.py.jinja", **of), "pins.py": render(f"pins_{name}.py.jinja", **of),
        "main.py": plain("main.py.jinja"), **more,
    }  # fmt: skip


def input_lines_in_python(carried: Carried, own: dict[str, str], gone: Callable[[int], str]) -> Iterator[str]:
    """Lines that fill in what pins say, and that nobody says the rest.

    Args:
        carried: the program.
        own: of what is said, what the board has for it.
        gone: what tells for how long what a permit asks for has been gone, by its place in the rig.
    """
    for name in Said.__dataclass_fields__:
        if carried.has_input(Said, name):
            yield f"inputs.said[0].{name} = {own.get(name, repr(getattr(Said(), name)))}"
    if carried.has_input(PermitInput, "gone_ms"):
        for row in range(len(carried.project.rig.permits)):
            yield f"inputs.asked[{row}].gone_ms = {gone(row)}"


def _of_pins(carried: Carried, *, linux: bool) -> list[str]:
    """The same where pins say it: permits by hours have none."""
    own = {"reset": "pressed and not Here.was_pressed" if linux else "Here.pressed"}
    if linux:
        own["week_ms"] = "week_ms()"
    permits = carried.project.rig.permits
    contacts = [row for row, permit in enumerate(permits) if not isinstance(permit, Hours)]
    return list(input_lines_in_python(
        carried, own, lambda row: f"gone_ms({contacts.index(row)})" if row in contacts else "-1"
    ))  # fmt: skip
