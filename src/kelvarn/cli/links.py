"""The commands `practice`, `points`, `watch` and `record`: devices on a line; imported when they run."""

import contextlib
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from kelvarn.files.faults import printable
from kelvarn.units import Quantity, parse

from .common import CommandError, Json, print_json, until_ended

if TYPE_CHECKING:
    from kelvarn.link.device import Device
    from kelvarn.link.listener import Listener
    from kelvarn.link.recording import Recorder
    from kelvarn.link.shared import SharedView

app = typer.Typer()

Link = Annotated[str, typer.Argument(help="serial:/dev/ttyUSB0, tcp://HOST:PORT, modbus-…, mqtt://HOST/TOPIC.")]
_LOOKS_S = 0.2


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
def bridge(
    link: Link,
    broker: Annotated[str, typer.Argument(help="HOST:PORT, mqtt://HOST:PORT/TOPIC or mqtts://HOST:PORT/TOPIC.")],
) -> None:
    """Pass a device on to an MQTT broker: its points become topics, and what is written there orders of its line."""
    from kelvarn.link.address import broker_address, link_address
    from kelvarn.link.bridge import Bridge

    address = link_address(link)
    print(address.warns, file=sys.stderr)
    where = broker_address(broker)
    made = Bridge(address, where)
    try:
        print(f"{where.kind}://{where.place}:{where.number}/{made.base}", flush=True)
        with until_ended() as goes_on:
            while goes_on():
                time.sleep(_LOOKS_S)
    finally:
        made.close()


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
        with until_ended() as goes_on:
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
