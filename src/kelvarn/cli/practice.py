"""The command `practice`: a device that is not there, on a line, a bus, at a broker; imported when it runs."""

import contextlib
import os
import select
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from kelvarn.files.faults import printable
from kelvarn.files.project_file import load

from .common import CandidateName, CommandError, File, TrialName, candidate_named, trial_named, until_ended

if TYPE_CHECKING:
    from kelvarn.link.practice.rig import PracticeRig
    from kelvarn.link.practice.serve import Outlet

app = typer.Typer()

_KEYS = "abcdefghijklmnopstuvwxyz"  # of what may happen; q and r are taken
_FASTEST = 1000.0


@app.command()
def practice(  # noqa: PLR0913 - one for each option
    file: File,
    candidate: CandidateName = None,
    trial: TrialName = None,
    speed: Annotated[float, typer.Option(help="How much faster than real time.")] = 1.0,
    serial: Annotated[bool, typer.Option("--serial", help="Reached as a serial line (usual).")] = False,
    tcp: Annotated[int | None, typer.Option(help="Reached by TCP at this port instead; 0 takes a free one.")] = None,
    modbus_tcp: Annotated[int | None, typer.Option(help="Reached by Modbus TCP at this port instead.")] = None,
    modbus_rtu: Annotated[
        Path | None, typer.Option(help="Reached as a line that speaks Modbus, by this name; - takes a free one.")
    ] = None,
    mqtt: Annotated[str | None, typer.Option(help="Passed on to the broker at HOST:PORT besides.")] = None,
    obeys: Annotated[bool, typer.Option("--obeys", help="Its own loop is off: it does what it is told.")] = False,
    python: Annotated[bool, typer.Option("--python", help="The program in Python, also where C could be.")] = False,
) -> None:
    """Be a device that is not there: the rig of a project with the candidate's program as its brain, on a line."""
    if not 0.01 <= speed <= _FASTEST:
        raise CommandError(f"--speed can be from 0.01 to {_FASTEST:g}, not {speed:g}.")
    if sum((serial, tcp is not None, modbus_tcp is not None, modbus_rtu is not None)) > 1:
        raise CommandError("Give one of --serial, --tcp, --modbus-tcp and --modbus-rtu.")
    is_bus = modbus_rtu is not None or modbus_tcp is not None
    if is_bus and (python or mqtt is not None):
        raise CommandError(
            "On Modbus the program is in C and not passed on to a broker: leave --python and --mqtt out."
        )
    for port in (tcp, modbus_tcp):
        if port is not None and not 0 <= port < 65536:
            raise CommandError(f"A port is from 0 to 65535, not {port}.")
    project = load(file)
    law = candidate_named(project, candidate, candidate is None and project.chosen is not None)
    from kelvarn.handover.carry import Carried
    from kelvarn.link.lines import with_sum
    from kelvarn.link.practice.brain import PythonBrain
    from kelvarn.link.practice.rig import PracticeRig

    carried = Carried(project, law, trial_named(project, trial))
    with contextlib.closing(PracticeRig(carried, PythonBrain(carried) if python else None)) as rig:
        if is_bus and rig.brain.language != "C":
            raise CommandError("On Modbus the program is in C: install a compiler (apt install gcc).")
        with contextlib.closing(
            _outlet(tcp, modbus_tcp, None if modbus_rtu == Path("-") else modbus_rtu, is_bus=is_bus)
        ) as outlet:
            if obeys:
                rig.hear(f"{with_sum('mode obeys')}\n".encode())
            print(f"{outlet.where}", flush=True)
            print(f"“{printable(law.name)}” in {rig.brain.language}, {speed:g} times as fast as real time."
                  " Ctrl+C ends it.", file=sys.stderr, flush=True)  # fmt: skip
            _serve(rig, outlet, speed, mqtt)


def _outlet(tcp: int | None, modbus_tcp: int | None, named: Path | None, *, is_bus: bool) -> "Outlet":
    from kelvarn.link.practice.bus_outlet import BusTcpOutlet
    from kelvarn.link.practice.serve import SerialOutlet, TcpOutlet

    try:
        if modbus_tcp is not None:
            return BusTcpOutlet(modbus_tcp)
        return SerialOutlet(named, is_bus=is_bus) if tcp is None else TcpOutlet(tcp)
    except OSError as error:
        other = "port" if named is None else "file"
        why = os.strerror(error.errno or 0)  # Python's own says the address as a tuple
        raise CommandError(f"The line cannot be opened: {why}; name another {other}.") from None


@contextlib.contextmanager
def _passed_on(outlet: "Outlet", broker: str | None) -> Iterator[None]:
    """Pass what answers there on to a broker, as long as it is served."""
    if broker is None:
        yield
        return
    from kelvarn.link.address import broker_address, link_address
    from kelvarn.link.bridge import Bridge
    from kelvarn.link.faults import LinkError

    made: list[Bridge] = []

    def begin() -> None:
        try:
            made.append(Bridge(link_address(outlet.where), broker_address(broker)))
            print(f"{broker_address(broker)}/{made[0].base}", flush=True)
        except LinkError as error:
            print(f"kelvarn: {error}", file=sys.stderr, flush=True)

    thread = threading.Thread(target=begin, name="bridge", daemon=True)  # it is asked while it is served
    thread.start()
    try:
        yield
    finally:
        thread.join(10.0)
        for bridge in made:
            bridge.close()


def _serve(rig: "PracticeRig", outlet: "Outlet", speed: float, mqtt: str | None) -> None:
    """Go on until it is ended; on a terminal, keys switch on and off what may happen."""
    from kelvarn.link.practice.serve import PracticeServer

    with until_ended() as goes_on, _keys(rig) as look, _passed_on(outlet, mqtt):
        PracticeServer(rig, outlet, speed).run(lambda: look() and goes_on())


@contextlib.contextmanager
def _keys(rig: "PracticeRig") -> Iterator[Callable[[], bool]]:
    """Take keys of the terminal: q ends it, r presses reset, others switch what is listed."""
    if not (sys.stdin.isatty() and sys.stderr.isatty()):
        yield lambda: True
        return
    import termios
    import tty

    names = dict(zip(_KEYS, rig.happenings, strict=False))
    for key, (happening, _) in names.items():
        print(f"  {key}  {printable(happening.text)}", file=sys.stderr)
    print("  r  reset is pressed      q  end", file=sys.stderr)
    before = termios.tcgetattr(sys.stdin)
    tty.setcbreak(sys.stdin)

    def look() -> bool:
        while select.select([sys.stdin], [], [], 0)[0]:
            key = os.read(sys.stdin.fileno(), 1).decode("ascii", "replace")
            if key in ("q", ""):
                return False
            if key == "r":
                rig.press_reset()
            elif key in names:
                is_on = rig.switch(names[key][0].name)
                print(f"{'on ' if is_on else 'off'} {printable(names[key][0].text)}", file=sys.stderr)
        return True

    try:
        yield look
    finally:
        termios.tcsetattr(sys.stdin, termios.TCSADRAIN, before)
