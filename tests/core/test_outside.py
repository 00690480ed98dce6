"""Practice rigs met over a bus and a broker by real peers: the masters and clients of strangers, and Kelvarn's own."""

import csv
import io
import itertools
import json
import shutil
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import pytest

from kelvarn.handover.points import Mode, points_of
from kelvarn.handover.register_map import as_csv, as_json, register_map
from kelvarn.link.address import LinkAddress, broker_address, link_address
from kelvarn.link.bench.session import Session
from kelvarn.link.bridge import Bridge, line_of
from kelvarn.link.broker import secrets_of
from kelvarn.link.device import Device, Refusal
from kelvarn.link.faults import LinkError
from kelvarn.link.practice.brain import CompiledBrain
from kelvarn.link.practice.bus_outlet import BusTcpOutlet
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import SerialOutlet, TcpOutlet
from kelvarn.link.wire import open_wire
from tests.core.test_line import carried_of
from tests.core.test_link import practised, wait_until

gcc = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
mosquitto = pytest.mark.skipif(shutil.which("mosquitto") is None, reason="mosquitto is not installed: apt install it")


served = partial(practised, brain_of=CompiledBrain)
"""A practice rig in C, on an outlet."""


def test_a_register_map_has_no_overlaps_and_says_the_same_as_table_and_as_json() -> None:
    points = points_of(carried_of())
    rows = register_map(points)
    taken: set[tuple[str, int]] = set()
    for row in rows:
        here = {(row.table, row.address + k) for k in range(max(row.words, 1))}
        assert not here & taken, row
        taken |= here
    assert len({(row.name, row.table) for row in rows}) == len(rows)
    told = {row.name: row for row in rows}
    assert {point.name for point in points.all()} <= set(told)
    table = list(csv.DictReader(io.StringIO(as_csv(rows))))
    listed = json.loads(as_json(rows))["registers"]
    assert [each["name"] for each in table] == [each["name"] for each in listed] == [row.name for row in rows]
    assert (told["ti_s"].table, told["ti_s"].writes, told["ti_s"].low) == ("holding", True, 300.0)


@gcc
@pytest.mark.parametrize("kind", ["tcp", "rtu"])
def test_kelvarn_meets_a_program_on_a_bus_as_on_its_line(kind: str) -> None:
    outlet = BusTcpOutlet(0) if kind == "tcp" else SerialOutlet(is_bus=True)
    with served(outlet) as rig:
        session = Session(carried_of(), link_address(outlet.where), renew_s=0.2)
        session.begin()

        def until(is_so: Callable[[], bool]) -> None:
            def look() -> bool:
                session.poll()
                return is_so()

            wait_until(look)

        until(lambda: session.last is not None)
        assert session.is_ours
        assert session.may_order() == ""
        assert {point.name for point in session.settings} == {"kp_per_k", "ti_s"}
        assert session.order("mode hand") == ""
        until(lambda: session.last is not None and session.last.mode == Mode.HAND)
        assert session.hold("all", "40") == ""
        until(lambda: session.last is not None and session.last.given == 0.4 and session.last.held)
        answers: list[str] = []
        session.order("set ti_s 901", lambda _answer, why: answers.append(why))
        session.order("set ti_s 9999", lambda _answer, why: answers.append(why))
        until(lambda: len(answers) == 2)
        assert answers[0] == ""
        assert "does not take that" in answers[1]
        session.stop()
        until(lambda: session.last is not None and session.last.stopped and session.last.given == 0.0)
        assert rig.levels == (0.0,)
        assert session.last is not None
        assert session.last.drives_cut  # the contactor drops too
        times = session.history.of("time_s")
        assert all(b > a for a, b in itertools.pairwise(times))  # each sample once
        session.close()


@gcc
def test_what_is_wrong_on_a_bus_is_one_sentence() -> None:
    with pytest.raises(LinkError, match="cannot be reached"):
        open_wire(LinkAddress("modbus-tcp", "127.0.0.1", 1))
    with pytest.raises(LinkError, match="is not there"):
        open_wire(link_address("modbus-rtu:/dev/ttyNONE"))
    outlet = BusTcpOutlet(0)
    with served(outlet):
        other = Device(open_wire(link_address(outlet.where.replace("#1", "#9"))))
        with pytest.raises(LinkError, match="lost"):
            other.hello()
        other.close()
        port = link_address(outlet.where).number
        with socket.create_connection(("127.0.0.1", port)) as stranger:
            stranger.sendall(b"GET / HTTP/1.0\r\n\r\n")  # no envelope: it is let go
            stranger.settimeout(60.0)
            assert stranger.recv(10) == b""
        device = Device(open_wire(link_address(outlet.where)))
        assert device.hello().board == "practice"
        with pytest.raises(Refusal, match="not told over this kind"):
            device.order("store")
        device.close()


@gcc
@pytest.mark.skipif(shutil.which("mbpoll") is None, reason="mbpoll is not installed: apt install mbpoll")
def test_the_master_of_a_stranger_reads_and_limits_a_practice_rig() -> None:
    outlet = BusTcpOutlet(0)

    def poll(*words: str) -> str:
        done = subprocess.run(
            ["mbpoll", "-m", "tcp", "-p", str(link_address(outlet.where).number), "-a", "1", "-0", "-1", *words[:-1],
             "127.0.0.1", *words[-1].split()], capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip
        return done.stdout + done.stderr

    ti = 2 * [point.name for point in points_of(carried_of()).settings].index("ti_s")
    decimals = points_of(carried_of()).settings[ti // 2].decimals
    with served(outlet, speed=1.0):
        assert "[0]: \t60000" in poll("-t", "3:int", "-B", "-r", "0", "-c", "2", "")
        assert "Written 1 references" in poll("-t", "4:int", "-B", "-r", str(ti), str(1200 * 10**decimals))
        assert f"[{ti}]: \t{1200 * 10**decimals}" in poll("-t", "4:int", "-B", "-r", str(ti), "-c", "1", "")
        assert "Illegal data value" in poll("-t", "4:int", "-B", "-r", str(ti), str(1 * 10**decimals))
        assert "Written 1 references" in poll("-t", "0", "-r", "0", "1")  # stop
        assert "[1]: \t1" in poll("-t", "1", "-r", "0", "-c", "2", "")


# A broker.


@pytest.fixture
def broker(tmp_path: Path) -> Iterator[LinkAddress]:
    """A real broker, as strangers run it."""
    with begun(tmp_path, "allow_anonymous true") as port:
        yield broker_address(f"127.0.0.1:{port}")


@contextmanager
def begun(folder: Path, *lines: str, port: int = 0) -> Iterator[int]:
    if not port:
        with socket.create_server(("127.0.0.1", 0)) as free:
            port = free.getsockname()[1]
    config = folder / "broker.conf"
    config.write_text("\n".join([f"listener {port} 127.0.0.1", "user root", *lines]))
    process = subprocess.Popen(["mosquitto", "-c", str(config)], stderr=subprocess.DEVNULL)
    try:
        wait_until(lambda: _answers(port))
        yield port
    finally:
        process.terminate()
        process.wait()


def _answers(port: int) -> bool:
    try:
        socket.create_connection(("127.0.0.1", port), timeout=1.0).close()
    except OSError:
        return False
    return True


@contextmanager
def bridged(broker: LinkAddress) -> Iterator[tuple[PracticeRig, Bridge]]:
    outlet = TcpOutlet(0)
    with practised(outlet, carried_of()) as rig:
        made = Bridge(link_address(outlet.where), broker)
        yield rig, made
        made.close()


def client(broker: LinkAddress, *words: str) -> str:
    """What the client of a stranger is told."""
    asks = ["mosquitto_sub", "-p", str(broker.number), "-W", "5", *words]
    return subprocess.run(asks, capture_output=True, text=True, timeout=120, check=False).stdout


def said(broker: LinkAddress, made: Bridge, topic: str, payload: str, *more: str) -> dict[str, object]:
    """Publish something as a stranger, and what came of it."""
    port = str(broker.number)
    asks = ["mosquitto_sub", "-p", port, "-t", f"{made.base}/answer", "-C", "1", "-W", "5", "-d"]
    hears = subprocess.Popen(["stdbuf", "-oL", *asks], stdout=subprocess.PIPE, text=True)
    assert hears.stdout is not None
    while "SUBACK" not in hears.stdout.readline():
        pass
    subprocess.run(["mosquitto_pub", "-p", port, "-t", f"{made.base}/{topic}", "-m", payload, *more], check=True)
    found = next((line for line in hears.stdout if line.startswith("{")), "{}")
    hears.stdout.close()
    hears.wait()
    return dict(json.loads(found))


@mosquitto
def test_the_client_of_a_stranger_sees_a_device_and_is_refused_what_is_out_of_range(broker: LinkAddress) -> None:
    with bridged(broker) as (_, made):
        assert made.base.startswith("kelvarn/")
        assert client(broker, "-t", f"{made.base}/state", "-C", "1") == "online\n"
        assert json.loads(client(broker, "-t", f"{made.base}/about", "-C", "1"))["board"] == "practice"
        sample = json.loads(client(broker, "-t", f"{made.base}/sample", "-C", "1"))
        assert sample["setpoint_degC"] == 60.0
        assert said(broker, made, "set/ti_s", "99999")["why"] == "out of its range"
        assert said(broker, made, "set/ti_s", '{"value": 1300, "who": "phone", "id": "7"}') == {
            "to": "set/ti_s", "ok": True, "why": "", "id": "7", "who": "phone",
        }  # fmt: skip
        wait_until(lambda: '"who": "phone"' in client(broker, "-t", f"{made.base}/point/ti_s", "-C", "1"))
        assert said(broker, made, "order", "stop")["ok"] is True
        wait_until(lambda: json.loads(client(broker, "-t", f"{made.base}/sample", "-C", "1"))["flags"] & 2 == 2)
        assert "stopped" in str(said(broker, made, "hold/all", '{"value": 50, "seconds": 5, "token": 3}')["why"])
        assert (
            "kept" in str(said(broker, made, "order", "again", "-r")["why"])
            or not said(broker, made, "order", "x")["ok"]
        )
    assert client(broker, "-t", f"{made.base}/state", "-C", "1") == "offline\n"


@mosquitto
def test_an_order_that_the_broker_kept_is_none_for_who_comes_back(broker: LinkAddress) -> None:
    topic = f"{broker.base or 'kelvarn'}/cabinet/try/order"
    subprocess.run(["mosquitto_pub", "-p", str(broker.number), "-t", topic, "-m", "stop", "-r"], check=True)
    with bridged(broker_address(f"mqtt://127.0.0.1:{broker.number}/kelvarn/cabinet/try")) as (rig, made):
        client(broker, "-t", f"{made.base}/sample", "-C", "3")
        assert json.loads(client(broker, "-t", f"{made.base}/sample", "-C", "1"))["flags"] & 2 == 0
        assert rig.levels[0] > 0.0


@mosquitto
def test_kelvarn_meets_a_device_at_a_broker_and_comes_back_with_it(broker: LinkAddress, tmp_path: Path) -> None:
    with bridged(broker) as (_, made):
        where = link_address(f"mqtt://127.0.0.1:{broker.number}/{made.base}")
        session = Session(carried_of(), where, renew_s=0.2)
        session.begin()

        def until(is_so: Callable[[], bool]) -> None:
            end = time.monotonic() + 60.0
            while not is_so():
                assert time.monotonic() < end, (session.said, session.last)
                session.poll()
                time.sleep(0.01)

        until(lambda: session.last is not None)
        assert session.is_ours
        session.order("mode hand")
        session.hold("all", "30")
        until(lambda: session.last is not None and session.last.given == 0.3)
        session.stop()
        until(lambda: session.last is not None and session.last.stopped and session.last.given == 0.0)
        session.close()


@mosquitto
def test_a_broker_with_a_password_lets_in_who_knows_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    subprocess.run(["mosquitto_passwd", "-b", "-c", str(tmp_path / "users"), "bench", "right"], check=True)
    monkeypatch.setattr("kelvarn.link.broker.user_config_path", lambda _: tmp_path)
    with begun(tmp_path, "allow_anonymous false", f"password_file {tmp_path / 'users'}") as port:
        where = link_address(f"mqtt://127.0.0.1:{port}/kelvarn/a/b")
        with pytest.raises(LinkError, match="does not let Kelvarn in: not authorized"):
            open_wire(where)
        (tmp_path / "brokers.toml").write_text(f'["127.0.0.1:{port}"]\nuser = "bench"\npassword = "right"\n')
        with pytest.raises(LinkError, match="there is no device of Kelvarn at kelvarn/a/b"):
            open_wire(where)
        (tmp_path / "brokers.toml").write_text("[")
        with pytest.raises(LinkError, match="cannot be read"):
            secrets_of(where)


def test_what_is_written_to_topics_is_a_line_or_refused() -> None:
    assert line_of("set/ti_s", {"value": "900", "was": "800"}) == "set ti_s 900 was 800"
    assert line_of("hold/all", {"value": "5", "seconds": "6", "token": "7"}) == "hold all 5 6 7"
    assert line_of("order", {"order": "mode test 100 90"}) == "mode test 100 90"
    for to, told in (
        ("set/ti_s", {"value": "1 2"}), ("set/ti_s", {}), ("set/", {"value": "1"}), ("set/a\nstop", {"value": "1"}),
        ("set/ti_s", {"value": ["1"]}), ("hold/all", {"value": "5", "seconds": "6"}), ("order", {"order": "defaults"}),
        ("order", {}), ("order", {"order": "stop\nagain*12AB"}), ("set/x", {"value": "9" * 70}),
    ):  # fmt: skip
        with pytest.raises(ValueError, match=r"say|order|long"):
            line_of(to, told)


def test_a_broker_that_is_not_there_is_said_and_addresses_are_checked() -> None:
    with pytest.raises(LinkError, match="cannot be reached"):
        open_wire(link_address("mqtt://127.0.0.1:1/kelvarn/a/b"))
    for text in ("mqtt://h", "mqtt://h/a+b", "mqtt://h/#", "mqtt://:1/a", "amqp://h/a", "mqtt://u:p@h/a"):
        with pytest.raises(LinkError):
            link_address(text)
    assert str(broker_address("h")) == "mqtt://h:1883"
    assert str(link_address("mqtts://h/a/b")) == "mqtts://h:8883/a/b"


@mosquitto
@pytest.mark.skipif(shutil.which("openssl") is None, reason="openssl is not installed: apt install openssl")
def test_a_certificate_that_is_not_proved_is_refused_and_one_of_your_own_is_taken(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    key, cert = tmp_path / "key.pem", tmp_path / "cert.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost", "-addext",
         "subjectAltName=DNS:localhost", "-keyout", str(key), "-out", str(cert)], check=True, capture_output=True,
    )  # fmt: skip
    monkeypatch.setattr("kelvarn.link.broker.user_config_path", lambda _: tmp_path)
    with begun(tmp_path, f"certfile {cert}", f"keyfile {key}", "allow_anonymous true") as port:
        where = link_address(f"mqtts://localhost:{port}/kelvarn/a/b")
        with pytest.raises(LinkError, match="certificate is not proved"):
            open_wire(where)
        (tmp_path / "brokers.toml").write_text(f'["localhost:{port}"]\nauthority = "{cert}"\n')
        with pytest.raises(LinkError, match="there is no device of Kelvarn"):
            open_wire(where)
        with bridged(broker_address(f"mqtts://localhost:{port}")) as (_, made):
            device = Device(open_wire(link_address(f"mqtts://localhost:{port}/{made.base}")))
            assert device.hello().board == "practice"
            device.close()


@mosquitto
def test_a_device_starts_without_its_broker_and_is_there_again_when_that_comes_back(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    where = broker_address(f"127.0.0.1:{port}")
    with bridged(where) as (rig, made):
        wait_until(lambda: rig.time_s > 5.0)  # it goes on by itself
        for _ in range(2):
            with begun(tmp_path, "allow_anonymous true", port=port):
                sample = json.loads(client(where, "-t", f"{made.base}/sample", "-C", "1", "-W", "20"))
                assert sample["given_pct"] > 0.0
                wait_until(lambda: client(where, "-t", f"{made.base}/state", "-C", "1") == "online\n")


@gcc
@pytest.mark.skipif(not Path("/usr/include/modbus/modbus.h").exists(), reason="apt install libmodbus-dev")
def test_a_master_made_with_another_library_reads_writes_and_is_refused(tmp_path: Path) -> None:
    (tmp_path / "peer.c").write_text(_PEER)
    subprocess.run(["gcc", str(tmp_path / "peer.c"), "-lmodbus", "-o", str(tmp_path / "peer")], check=True)
    place = [point.name for point in points_of(carried_of()).settings].index("ti_s")
    decimals = points_of(carried_of()).settings[place].decimals
    outlet = BusTcpOutlet(0)
    with served(outlet):
        words = [str(link_address(outlet.where).number), str(2 * place), str(900 * 10**decimals), str(10**decimals)]
        done = subprocess.run([str(tmp_path / "peer"), *words], capture_output=True, text=True, timeout=30, check=False)
        assert done.stdout.split() == ["60000", "ok", str(900 * 10**decimals), "refused", "Illegal", "data", "value"]


_PEER = """
#include <modbus/modbus.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
static int number(modbus_t *line, int at, int32_t value) {
    uint16_t words[2] = {(uint16_t)((uint32_t)value >> 16), (uint16_t)((uint32_t)value & 65535)};
    return modbus_write_registers(line, at, 2, words);
}
int main(int count, char **words) {
    uint16_t found[2];
    modbus_t *line = modbus_new_tcp("127.0.0.1", atoi(words[1]));
    const int at = atoi(words[2]);
    (void)count;
    modbus_set_slave(line, 1);
    if (modbus_connect(line) != 0 || modbus_read_input_registers(line, 0, 2, found) != 2) { return 1; }
    printf("%d\\n", (int)((uint32_t)found[0] << 16 | found[1]));
    printf(number(line, at, atoi(words[3])) == 2 ? "ok\\n" : "not\\n");
    modbus_read_registers(line, at, 2, found);
    printf("%d\\n", (int)((uint32_t)found[0] << 16 | found[1]));
    if (number(line, at, atoi(words[4])) < 0) { printf("refused %s\\n", modbus_strerror(errno)); }
    modbus_close(line);
    modbus_free(line);
    return 0;
}
"""
