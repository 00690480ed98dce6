"""The commands `practice`, `points`, `watch` and `record`: devices on a line; imported when they run."""

import contextlib
import os
import select
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from kelvarn.files.faults import printable
from kelvarn.files.project_file import load
from kelvarn.units import Quantity, parse

from .common import CandidateName, CommandError, File, Json, TrialName, candidate_named, print_json, trial_named

if TYPE_CHECKING:
    from kelvarn.link.device import Device
    from kelvarn.link.listener import Listener
    from kelvarn.link.practice.rig import PracticeRig
    from kelvarn.link.practice.serve import Outlet
    from kelvarn.link.recording import Recorder
    from kelvarn.link.shared import SharedView

app = typer.Typer()

Link = Annotated[str, typer.Argument(help="serial:/dev/ttyUSB0, tcp://HOST:PORT, modbus-…, mqtt://HOST/TOPIC.")]
_KEYS = "abcdefghijklmnopstuvwxyz"  # of what may happen; q and r are taken
_FASTEST = 1000.0
_LOOKS_S = 0.2


@app.command()
def practice(  # noqa: PLR0913 - one for each option
    file: File,
    candidate: CandidateName = None,
    trial: TrialName = None,
    speed: Annotated[float, typer.Option(help="How much faster than real time.")] = 1.0,
    serial: Annotated[bool, typer.Option("--serial", help="Reached as a serial line (usual).")] = False,
    tcp: Annotated[int | None, typer.Option(help="Reached by TCP at this port instead; 0 takes a free one.")] = None,
    modbus_tcp: Annotated[int | None, typer.Option(help="Reached by Modbus TCP at this port instead.")] = None,
    modbus_rtu: Annotated[bool, typer.Option("--modbus-rtu", help="Reached as a line that speaks Modbus.")] = False,
    mqtt: Annotated[str | None, typer.Option(help="Passed on to the broker at HOST:PORT besides.")] = None,
    obeys: Annotated[bool, typer.Option("--obeys", help="Its own loop is off: it does what it is told.")] = False,
    python: Annotated[bool, typer.Option("--python", help="The program in Python, also where C could be.")] = False,
) -> None:
    """Be a device that is not there: the rig of a project with the candidate's program as its brain, on a line."""
    if not 0.01 <= speed <= _FASTEST:
        raise CommandError(f"--speed can be from 0.01 to {_FASTEST:g}, not {speed:g}.")
    if sum((serial, tcp is not None, modbus_tcp is not None, modbus_rtu)) > 1:
        raise CommandError("Give one of --serial, --tcp, --modbus-tcp and --modbus-rtu.")
    is_bus = modbus_rtu or modbus_tcp is not None
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
    rig = PracticeRig(carried, PythonBrain(carried) if python else None)
    if is_bus and rig.brain.language != "C":
        raise CommandError("On Modbus the program is in C: install a compiler (apt install gcc).")
    outlet = _outlet(tcp, modbus_tcp, is_bus=is_bus)
    if obeys:
        rig.hear(f"{with_sum('mode obeys')}\n".encode())
    print(f"{outlet.where}", flush=True)
    print(f"“{printable(law.name)}” in {rig.brain.language}, {speed:g} times as fast as real time. Ctrl+C ends it.",
          file=sys.stderr, flush=True)  # fmt: skip
    try:
        _serve(rig, outlet, speed, mqtt)
    finally:
        outlet.close()
        rig.close()


def _outlet(tcp: int | None, modbus_tcp: int | None, *, is_bus: bool) -> "Outlet":
    from kelvarn.link.practice.bus_outlet import BusTcpOutlet
    from kelvarn.link.practice.serve import SerialOutlet, TcpOutlet

    try:
        if modbus_tcp is not None:
            return BusTcpOutlet(modbus_tcp)
        return SerialOutlet(is_bus=is_bus) if tcp is None else TcpOutlet(tcp)
    except OSError as error:
        raise CommandError(f"The line cannot be opened: {error.strerror}; name another port.") from None


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

    with _until_ended() as goes_on, _keys(rig) as look, _passed_on(outlet, mqtt):
        PracticeServer(rig, outlet, speed).run(lambda: look() and goes_on())


@contextlib.contextmanager
def _until_ended() -> Iterator[Callable[[], bool]]:
    """Until somebody ends it, by Ctrl+C or a signal: what was begun is ended in order."""
    ends = threading.Event()
    before = {}
    if threading.current_thread() is threading.main_thread():
        before = {number: signal.signal(number, lambda *_: ends.set()) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield lambda: not ends.is_set()
    finally:
        for number, old in before.items():
            signal.signal(number, old)


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


@app.command()
def points(link: Link, as_json: Json = False) -> None:
    """List what can be read of a device and written, and what it is now."""
    with _device(link) as device:
        found, listed, values = device.hello(), device.points(), device.values()
    rows = [
        {
            "name": point.name, "value": values[point.name].value if point.name in values else None,
            "unit": point.unit, "low": point.low, "high": point.high, "step": point.step, "writes": point.writes,
            "stored": point.stored, "who": point.who,
        }
        for point in listed
    ]  # fmt: skip
    if as_json:
        print_json("points", {"link": link, "device": found._asdict(), "points": rows})
        return
    print(f"{found.program} on {found.rig}, state {found.state}, {found.board}, up {found.up_s} s")
    for row in rows:
        value = "-" if row["value"] is None else f"{row['value']:.10g}"
        span = f"{row['low']:g} … {row['high']:g}" if row["writes"] else ""
        print(f"{row['name']:24} {value:>14} {row['unit']:6} {span}".rstrip())


@contextlib.contextmanager
def _device(link: str) -> Iterator["Device"]:
    from kelvarn.link.address import link_address
    from kelvarn.link.device import Device
    from kelvarn.link.wire import open_wire

    address = link_address(link)
    print(address.warns, file=sys.stderr)
    device = Device(open_wire(address))
    try:
        yield device
    finally:
        device.close()


@app.command()
def watch(
    link: Link,
    out: Annotated[Path | None, typer.Option(help="Record as well, into this CSV; one that is there goes on.")] = None,
    lasts: Annotated[str | None, typer.Option("--for", help="For how long: 10min, 4h; else until Ctrl+C.")] = None,
    share: Annotated[int | None, typer.Option(help="Let other computers look, at this port; read only.")] = None,
) -> None:
    """Print what a device tells, a CSV row a sample; nothing is ordered by it."""
    _listen(link, out, _lasts_s(lasts), share, prints=True)


@app.command()
def record(
    link: Link,
    file: Annotated[Path, typer.Argument(help="The recording, *.csv; one that is there goes on.")],
    lasts: Annotated[str | None, typer.Option("--for", help="For how long: 10min, 4h; else until Ctrl+C.")] = None,
) -> None:
    """Record what a device tells, on disk each second; it becomes a log at Fit."""
    _listen(link, file, _lasts_s(lasts), None, prints=False)


def _lasts_s(text: str | None) -> float | None:
    if text is None:
        return None
    try:
        seconds = parse(text, Quantity.DURATION)
    except ValueError as error:
        raise CommandError(f"--for: {error}") from None
    if seconds <= 0:
        raise CommandError(f"--for: it must be longer than 0, not {text}.")
    return seconds


def _listen(link: str, out: Path | None, lasts_s: float | None, share: int | None, *, prints: bool) -> None:
    """Listen to a device until the time is over or somebody ends it."""
    from kelvarn.link.address import link_address
    from kelvarn.link.listener import Listener

    if out is not None and out.suffix.lower() != ".csv":
        raise CommandError(f"Let {printable(out)} end in .csv.")
    address = link_address(link)
    print(address.warns, file=sys.stderr)
    take = _Taking(prints=prints)
    listener = Listener(address, take.sample, take.change)
    listener.try_once()
    begun = time.monotonic()
    try:
        take.begin(listener, out, share)
        with _until_ended() as goes_on:
            listener.begin()
            while goes_on() and not take.closed and (lasts_s is None or time.monotonic() - begun < lasts_s):
                time.sleep(_LOOKS_S)
    finally:
        listener.close()
        take.close()


class _Taking:
    """What is done with samples: printed, recorded, shown to others."""

    def __init__(self, *, prints: bool) -> None:
        from kelvarn.link.recording import DeviceTime

        self._prints, self.closed = prints, False
        self._time = DeviceTime()
        self._recorder: Recorder | None = None
        self._view: SharedView | None = None
        self._lock = threading.Lock()
        self._early: list[Any] = []
        self._begun = False
        self._trouble = ""

    def begin(self, listener: "Listener", out: Path | None, share: int | None) -> None:
        """Begin to take, once it is known who is there."""
        from kelvarn.link.recording import Recorder, RecordingError, facts_of
        from kelvarn.link.shared import SharedView

        found = listener.identity
        assert found is not None
        facts = facts_of(listener, found.rig, found.program)
        try:
            self._recorder = None if out is None else Recorder(out, facts)
        except RecordingError as error:
            raise CommandError(str(error)) from None
        if share is not None:
            try:
                self._view = SharedView(f"{found.program}, {found.rig}", time.monotonic, share)
            except (OSError, OverflowError) as error:
                raise CommandError(f"Nobody can be let look at port {share}: {error}.") from None
            print(f"Others may look, read only: http://THIS-COMPUTER:{self._view.port}/{self._view.token}/",
                  file=sys.stderr, flush=True)  # fmt: skip
        if self._prints:
            print("time_s,setpoint_degC,measured_degC,drive,asked,law,guard,stopped", flush=True)
        with self._lock:
            self._begun = True
            early, self._early = self._early, []
        for sample in early:
            self.sample(sample)

    def sample(self, sample: Any) -> None:
        """Take a sample."""
        with self._lock:
            if not self._begun:
                self._early.append(sample)
                return
        time_s = self._time.of(sample)
        if self._recorder is not None:
            self._recorder.add(sample, time_s)
            if self._recorder.trouble != self._trouble:
                self._trouble = self._recorder.trouble
                print(self._trouble or "The disk takes rows again.", file=sys.stderr)
        if self._view is not None:
            self._view.add(sample, time_s)
        if self._prints:
            degC = "" if sample.reading_degC is None else f"{sample.reading_degC:g}"
            try:
                print(f"{time_s:.3f},{sample.setpoint_degC:g},{degC},{sample.given:g},{sample.asked:g},{sample.law},"
                      f"{sample.guard},{int(sample.stopped)}", flush=True)  # fmt: skip
            except OSError:  # nobody reads any more
                self.closed = True

    def change(self, state: Any, text: str) -> None:
        """The link is lost, or there again."""
        if text:
            print(f"{text} Trying again.", file=sys.stderr)
        if self._recorder is not None:
            self._recorder.note(f"link {state.value}", self._time.time_s)

    def close(self) -> None:
        """Keep all."""
        if self._recorder is not None:
            self._recorder.close()
            print(f"{self._recorder.rows} rows in {printable(self._recorder.path)}.", file=sys.stderr)
        if self._view is not None:
            self._view.close()
