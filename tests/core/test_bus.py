"""The generated program on a Modbus line: what a master reads is what the line tells, and a write is an order."""

import random
import shutil
import struct
from collections.abc import Iterator

import pytest
from pymodbus.framer import FramerRTU

from kelvarn.handover.points import Point, points_of
from kelvarn.link.practice.brain import CompiledBrain
from tests.core.test_line import Board, carried_of

pytestmark = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")

POINTS = points_of(carried_of())
FIRST = len(POINTS.plain) + len(POINTS.probes) + len(POINTS.outputs)


class Master:
    """A master, written of struct and of another's check sum."""

    def __init__(self, board: Board) -> None:
        self.board = board

    def send(self, frame: bytes, unit: int = 1) -> bytes:
        """What comes back for unit, function and data; empty where nothing does."""
        whole = bytes([unit]) + frame
        whole += struct.pack(">H", FramerRTU.compute_CRC(whole))
        self.board.brain.hear(whole)
        self.board.brain.pins(self.board.raws)
        self.board.ran = self.board.brain.run(40)
        said: bytes = self.board.brain.spoken()
        if not said:
            return b""
        assert struct.pack(">H", FramerRTU.compute_CRC(said[:-2])) == said[-2:]
        assert said[0] == unit
        return said[1:-2]

    def read(self, function: int, first: int, many: int) -> bytes:
        said = self.send(struct.pack(">BHH", function, first, many))
        assert said[0] == function, said
        assert said[1] == len(said) - 2
        return said[2:]

    def value(self, name: str) -> float | None:
        """A point by its registers."""
        place = [point.name for point in POINTS.all()].index(name)
        point: Point = POINTS.all()[place]
        settings = place >= FIRST
        raw = self.read(3 if settings else 4, 2 * (place - FIRST if settings else place), 2)
        whole = struct.unpack(">i", raw)[0]
        return None if whole == -(2**31) else float(whole / 10**point.decimals)

    def write(self, first: int, *words: int) -> int:
        """Write registers; 0, or the fault."""
        data = struct.pack(f">BHHB{len(words)}H", 16, first, len(words), 2 * len(words), *(w % 65536 for w in words))
        said = self.send(data)
        assert said in (data[:5], bytes([144, said[1]]))
        return 0 if said == data[:5] else said[1]

    def coil(self, address: int, *, on: bool) -> int:
        said = self.send(struct.pack(">BHH", 5, address, 0xFF00 if on else 0))
        return 0 if said[0] == 5 else said[1]


def halves(value: float, decimals: int) -> tuple[int, int]:
    whole = round(value * 10**decimals) % 2**32
    return whole >> 16, whole & 0xFFFF


@pytest.fixture
def master() -> Iterator[Master]:
    brain = CompiledBrain(carried_of())
    brain.power(0)
    board = Board(brain)
    board.wait(10)
    yield Master(board)
    brain.close()


def test_a_master_reads_what_the_line_tells(master: Master) -> None:
    told = {
        words[1]: words[2]
        for words in (line.split() for line in master.board.say("get all", 300))
        if words[0] == "value"
    }
    assert set(told) == {point.name for point in POINTS.all()}
    for name, text in told.items():
        if name not in ("late",):
            assert master.value(name) == (None if text == "-" else pytest.approx(float(text), abs=1e-6)), name
    listed = [line for line in master.board.say("points", 300) if line.startswith("point ")]
    for place, line in enumerate(listed):
        block = master.read(4, 4000 + 40 * place, 40)
        letters, decimals = block[:78], struct.unpack(">H", block[78:])[0]
        assert decimals == POINTS.all()[place].decimals
        assert "point " + letters.rstrip(b"\0").decode() == line
    about = master.read(4, 3000, 40)
    counts = struct.unpack(">5H", about[:10])
    assert counts == (1, len(POINTS.plain), len(POINTS.probes), len(POINTS.outputs), len(POINTS.settings))
    assert struct.unpack(">I", about[12:16])[0] == 2000
    assert about[28:].rstrip(b"\0").decode().split()[0] == carried_of().fingerprint
    master.board.raws = [None]  # type: ignore[list-item]
    master.board.wait(4000)
    assert master.value(POINTS.probes[0].name) is None
    assert master.read(2, 80, 1) == b"\0"


def test_a_setting_is_written_within_its_range_only(master: Master) -> None:
    place = [point.name for point in POINTS.settings].index("ti_s")
    decimals = POINTS.settings[place].decimals
    assert master.write(2 * place, *halves(900.0, decimals)) == 0
    assert master.value("ti_s") == 900.0
    assert master.board.ask("ti_s") == 900.0
    for bad in (299.0, -900.0, 1e5):
        assert master.write(2 * place, *halves(bad, decimals)) == 3
    assert master.write(2 * place, halves(900.0, decimals)[1]) == 2  # half a number
    assert master.write(2 * place + 1, 5, 5) == 2
    low, high = halves(700.0, decimals)
    assert master.write(2 * place, high, low) == 3  # words in the other order are out of range
    assert master.value("ti_s") == 900.0
    assert master.board.ask("edits") == 1.0


def test_a_write_is_a_lease_that_ends_by_itself_and_stop_is_stronger(master: Master) -> None:
    assert master.write(1000, *halves(50.0, 2), 2, 77) == 3  # its own loop decides
    assert master.write(1100, 1) == 0
    assert master.write(1000, *halves(50.0, 2), 2, 77) == 0
    assert master.value("given") == 50.0
    assert struct.unpack(">iHH", master.read(3, 1000, 4))[0::2] == (5000, 77)
    assert master.write(1000, *halves(50.0, 2), 61, 77) == 3
    assert master.write(1000, *halves(150.0, 2), 2, 77) == 3
    assert master.write(1000, *halves(20.0, 2), 2, 78) == 3  # somebody else holds it
    assert master.write(1000, 0, 0) == 2
    assert master.send(struct.pack(">BHH", 6, 1000, 1))[0] == 134
    master.board.wait(2500)
    assert master.value("given") == 0.0
    assert master.write(1000, *halves(50.0, 2), 10, 77) == 0
    assert master.coil(0, on=True) == 0
    assert (master.value("given"), master.value("stopped")) == (0.0, 1.0)
    assert master.read(1, 0, 1) == b"\1"
    assert master.write(1000, *halves(50.0, 2), 10, 77) == 3
    assert [master.coil(address, on=False) for address in range(4)] == [
        0,
        0,
        0,
        0,
    ]  # many masters clear all coils as they start: that lets go of nothing
    assert master.value("stopped") == 1.0
    assert master.coil(1, on=True) == 0
    assert master.value("stopped") == 0.0
    assert master.write(1010, *halves(1.5, 2), 5, 77) == 0
    assert master.value("nudge") == 1.5
    assert master.write(1100, 2, 100, *halves(40.0, 1)) == 0
    assert master.value("mode") == 2.0
    assert master.coil(2, on=True) == 0
    assert master.value("mode") == 0.0
    assert master.coil(3, on=True) == 0  # reset all: its answer is not told as a line
    assert master.board.wait(4000) == []


def test_what_is_wrong_gets_an_exception_or_nothing(master: Master) -> None:
    for frame, fault in (
        (struct.pack(">BHH", 4, 999, 2), 2), (struct.pack(">BHH", 4, 0, 0), 3), (struct.pack(">BHH", 4, 0, 41), 3),
        (struct.pack(">BHH", 3, 0, 5), 2), (struct.pack(">BHH", 2, 79, 40), 2), (struct.pack(">BHH", 5, 0, 7), 3),
        (struct.pack(">BHH", 5, 99, 0xFF00), 2), (struct.pack(">BHH", 43, 0, 0), 1), (b"\x07", 1),
        (struct.pack(">BHHBH", 16, 1100, 2, 2, 1), 3), (struct.pack(">BHH", 6, 1100, 9), 3),
    ):  # fmt: skip
        said = master.send(frame)
        assert said == bytes([frame[0] | 128, fault]), frame
    assert master.send(struct.pack(">BHH", 4, 0, 2), unit=2) == b""  # another's
    whole = b"\x01" + struct.pack(">BHH", 5, 0, 0xFF00) + b"\0\0"  # a wrong check sum
    master.board.brain.hear(whole)
    assert master.board.wait(40) == []
    assert master.value("stopped") == 0.0
    assert master.board.say("get mode")[0].startswith("ok mode=0")  # text goes on beside it


def test_bytes_at_random_set_nothing(master: Master) -> None:
    draw = random.Random(8)
    before = [master.value(point.name) for point in POINTS.settings]
    for _ in range(4000):
        function, first = draw.choice((1, 2, 3, 4, 5, 6, 15, 16, 99)), draw.choice((0, 2, 1000, 1100, 3000, 4000))
        frame = bytearray([draw.choice((1, 1, 1, 2, 9)), *struct.pack(">BHH", function, first, draw.choice((1, 2, 4)))])
        frame += draw.randbytes(draw.randrange(0, 12))
        master.board.brain.hear(bytes(frame))  # hardly ever with a right check sum
        master.board.brain.run(10)
        master.board.brain.spoken()
    assert [master.value(point.name) for point in POINTS.settings] == before
    assert (master.value("mode"), master.value("stopped"), master.value("edits")) == (0.0, 0.0, 0.0)
