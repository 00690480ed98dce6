"""Devices of others met over a real broker and a bus: watched, never ordered; what is wrong with a map is said."""

import json
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest

from kelvarn.handover.points import points_of
from kelvarn.handover.register_map import as_json, register_map
from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.bench.session import Session
from kelvarn.link.faults import LinkError
from kelvarn.link.foreign_links import map_of
from kelvarn.link.practice.bus_outlet import BusTcpOutlet
from kelvarn.link.wire import open_wire
from tests.core.test_line import carried_of
from tests.core.test_link import wait_until
from tests.core.test_outside import broker, gcc, mosquitto, served

__all__ = ["broker"]
HEAD = "name,table,address,words,signed,scale,unit,low,high,order,role\n"


def session_at(where: str) -> Session:
    made = Session(carried_of(), link_address(where))
    made.begin()
    return made


def wait_for(session: Session, is_so: object) -> None:
    def look() -> bool:
        session.poll()
        return bool(is_so())  # type: ignore[operator]

    wait_until(look, 30.0)


@pytest.fixture
def oven(broker: LinkAddress) -> Iterator[str]:
    """A device of somebody else: JSON at a broker, several messages a second."""
    ends = threading.Event()

    def tell() -> None:
        told, k = ["mosquitto_pub", "-p", str(broker.number), "-t", "shed/oven", "-m"], 0
        while not ends.wait(0.1):
            k += 1
            said = {"temp": 61.5 + k % 2, "target": 60, "heater": k % 2 == 0, "vcc": 4.97, "uptime": k}
            subprocess.run([*told, json.dumps(said)], check=True)

    thread = threading.Thread(target=tell)
    thread.start()
    yield f"mqtt://127.0.0.1:{broker.number}/shed/oven?json"
    ends.set()
    thread.join()


@mosquitto
def test_a_device_that_tells_json_is_watched_and_takes_no_order(oven: str) -> None:
    session = session_at(oven)
    wait_for(session, lambda: session.history.count > 3)
    last = session.last
    assert last is not None
    assert last.reading_degC in (61.5, 62.5)
    assert last.setpoint_degC == 60.0
    assert last.given in (0.0, 1.0)
    assert not session.is_ours
    assert "only watched" in session.order("mode hand")
    assert {point.name for point in session.listener.extras} == {"vcc", "uptime"}
    assert session.listener.values["vcc"].value == pytest.approx(4.97)
    session.close()


@mosquitto
def test_what_tells_no_temperature_is_said_with_what_it_told(broker: LinkAddress) -> None:
    tell = ["mosquitto_pub", "-p", str(broker.number), "-t", "shed/door", "-r", "-m", '{"battery": 91, "rssi": -70}']
    subprocess.run(tell, check=True)
    with pytest.raises(LinkError, match=r"none of its values is known as a temperature; it told battery, rssi"):
        open_wire(link_address(f"mqtt://127.0.0.1:{broker.number}/shed/door?json"))


@gcc
def test_a_device_with_a_map_of_its_own_is_watched_and_a_swapped_order_is_noticed(tmp_path: Path) -> None:
    rows = {row.name: row for row in register_map(points_of(carried_of()))}
    roles = {points_of(carried_of()).probes[0].name: "reading", "setpoint": "setpoint", "given": "drive", "late": ""}

    def table(order: str) -> str:
        lines = []
        for name, role in roles.items():
            row = rows[name]
            lines.append(f"{name},input,{row.address},2,yes,{row.scale},-,{row.low},{row.high},{order},{role}")
        return HEAD + "\n".join(lines) + "\n"

    outlet = BusTcpOutlet(0)
    with served(outlet):
        for order in ("low", "high"):
            (tmp_path / f"{order}.csv").write_text(table(order))
        with pytest.raises(LinkError, match="its words the other way make"):
            open_wire(link_address(f"{outlet.where}?map={tmp_path / 'low.csv'}".replace("#1", "")))
        session = session_at(f"{outlet.where.replace('#1', '')}?map={tmp_path / 'high.csv'}")
        wait_for(session, lambda: session.history.count > 3)
        last = session.last
        assert last is not None
        assert last.setpoint_degC == 60.0
        assert last.given == 1.0
        assert last.reading_degC is not None
        assert "only watched" in session.order("stop")
        session.close()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "has no rows"), (HEAD, "has no rows"), (HEAD + "a,coil,1,1,,,,,,,reading\n", "row 1: its table"),
        (HEAD + "a,input,x,1,,,,,,,reading\n", "row 1"), (HEAD + "a,input,1,3,,,,,,,reading\n", "1 or 2 words"),
        (HEAD + "a,input,1,1,,0,,,,,reading\n", "scale"), (HEAD + "a,input,1,1,,,,5,1,,reading\n", "low below high"),
        (HEAD + "a,input,1,2,,,,,,,reading\nb,input,2,1,,,,,,,\n", "b and a overlap at 2"),
        (HEAD + "a,input,1,1,,,,,,,\n", "no row has the role reading"), ("{", "cannot be read"),
        ('{"registers": 5}', "has no rows"), ('{"registers": [5]}', "row 1"),
        (HEAD + "a,input,1,1,,,,,,middle,reading\n", "order"),
    ],
)  # fmt: skip
def test_a_map_that_is_none_is_one_sentence(text: str, says: str, tmp_path: Path) -> None:
    (tmp_path / "map.csv").write_text(text)
    with pytest.raises(LinkError, match=says):
        map_of(tmp_path / "map.csv")
    with pytest.raises(LinkError, match="cannot be read"):
        map_of(tmp_path / "none.csv")


def test_a_map_may_be_json_too(tmp_path: Path) -> None:
    told = json.loads(as_json(register_map(points_of(carried_of()))[:4]))
    told["registers"][0]["role"] = "reading"
    (tmp_path / "map.json").write_text(json.dumps(told))
    rows = map_of(tmp_path / "map.json")
    assert [row.address for row in rows] == [0, 2, 4, 6]
    assert rows[0].value([0, 60_000]) == 60.0
    assert rows[1].value([65_535, 64_536]) == -1.0
    for text in ("tcp://h:1?json", "mqtt://h/a?map=x", "modbus-tcp://h:1?map=", "serial:/dev/x?json"):
        with pytest.raises(LinkError):
            link_address(text)
    assert str(link_address("modbus-tcp://h:502?map=oven.csv")) == "modbus-tcp://h:502#1?map=oven.csv"
