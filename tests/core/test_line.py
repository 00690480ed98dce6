"""The line protocol as programs speak it, in C and in Python: who may do what, and what ends by itself."""

import random
import shutil
from collections.abc import Iterator

import pytest

from kelvarn.handover.carry import Carried
from kelvarn.handover.points import PLAIN, points_of
from kelvarn.link.lines import check_of, with_sum, without_sum
from kelvarn.link.practice.brain import Brain, CompiledBrain, PythonBrain
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Trip
from kelvarn.model.probes import Probe
from tests.core.test_adjusting import adjustable
from tests.core.test_chips import cabinet

gcc = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
BRAINS = [pytest.param(CompiledBrain, marks=gcc, id="C"), pytest.param(lambda c: PythonBrain(c, 1), id="python")]
INTERVAL_MS = 2000


def carried_of(**probe: object) -> Carried:
    """The cabinet with two settings that stay adjustable, on a probe that is read as it is."""
    made = adjustable("KP_PER_K", "TI_S")
    rig = made.project.rig
    plain = Probe(name=rig.probe.name, body=rig.probe.body, interval_s=INTERVAL_MS / 1000.0, **probe)  # type: ignore[arg-type]
    project = with_fields(made.project, rig=with_fields(rig, probes=(plain, *rig.probes[1:])))
    return Carried(project, made.candidate, made.trial)


class Board:
    """A program that is spoken with."""

    def __init__(self, brain: Brain, degC: float = 24.0) -> None:
        self.brain, self.raws, self.ran = brain, [degC], brain.run(0)

    def say(self, line: str, for_ms: int = 40) -> list[str]:
        self.brain.hear(line.encode() + b"\n")
        return self.wait(for_ms)

    def wait(self, for_ms: int) -> list[str]:
        self.brain.pins(self.raws)
        self.ran = self.brain.run(for_ms)
        return self.brain.spoken().decode().splitlines()

    def ask(self, name: str) -> float:
        return float(self.say(f"get {name}")[-1].split("=")[1].split()[0])


@pytest.fixture(params=BRAINS)
def board(request: pytest.FixtureRequest) -> Iterator[Board]:
    brain: Brain = request.param(carried_of())
    brain.power(0)
    made = Board(brain)
    assert made.wait(10) == ["# nothing was stored: from the start"]
    yield made
    brain.close()


def test_it_says_who_it_is_what_there_is_and_what_it_is_now(board: Board) -> None:
    program, hello = board.say("hello")
    assert program.split()[0] == "program"
    assert program.split()[-1] == str(INTERVAL_MS)
    assert hello.startswith("ok v=1 state=")
    assert "board=practice reset=power up=0" in hello
    names = [point.name for point in points_of(carried_of()).all()]
    listed = board.say("7 points", 200)
    assert [line.split()[1] for line in listed[:-1]] == names
    assert listed[-1] == f"ok 7 lines={len(names)}"
    assert "point kp_per_k 1/K 0.05 0.3 0.005 rw - stored" in listed
    values = [line.split() for line in board.say("get all", 200)[:-1]]
    assert [words[1] for words in values] == names
    assert values[0][:4] == ["value", "setpoint", "60.000", "degC"]
    assert board.say("probes", 100)[0].split()[2:] == ["24.000", "24.000", "1", "1"]
    assert all(len(line) <= 80 for line in listed)


def test_a_sum_is_answered_with_one_and_a_wrong_one_is_refused(board: Board) -> None:
    answer = board.say(with_sum("12 get mode"))[-1]
    assert without_sum(answer).startswith("ok 12 mode=0")
    wrong = with_sum("13 set kp_per_k 0.2")[:-1] + "?"
    assert without_sum(board.say(wrong)[-1]) == "no 13 wrong check sum"
    assert board.ask("kp_per_k") != 0.2


def test_a_setting_is_taken_in_its_range_only_once_and_not_over_another_change(board: Board) -> None:
    was = board.ask("ti_s")
    assert board.say("set ti_s 299") == ["no out of its range"]
    assert board.say(f"set ti_s 900 was {was + 1:g}") == ["no it was changed meanwhile"]
    assert board.say(f"5 set ti_s 900 was {was:g}") == ["ok 5"]
    assert board.say(f"5 set ti_s 900 was {was:g}") == ["ok 5"]  # the same once more: it acts once
    assert (board.ask("ti_s"), board.ask("edits")) == (900.0, 1.0)
    for line in ("set ti_s 9e2", "set ti_s 900,5", "set ti_s nan", "set ti_s", "set setpoint 50", "set nothing 1",
                 "set ti_s 800 was", "set ti_s 0000000800"):  # fmt: skip
        assert board.say(line)[0].startswith("no "), line
    assert board.ask("ti_s") == 900.0
    board.brain.power(0)  # it is stored
    board.wait(10)
    assert board.ask("ti_s") == 900.0
    assert board.say("defaults") == ["ok"]
    assert board.ask("ti_s") == was


def test_a_lease_ends_by_itself_has_one_holder_and_needs_a_mode(board: Board) -> None:
    assert board.say("hold all 50 5 77") == ["no its own loop decides: say mode hand first"]
    assert board.say("mode hand") == ["ok"]
    assert board.ask("given") == 0.0  # nobody holds it
    assert board.say("hold all 50 2 77") == ["ok"]
    assert board.ask("given") == 50.0
    assert board.say("hold all 20 2 78") == ["no somebody else holds it"]
    assert board.say("renew 78 5") == ["no nothing is held by it"]
    board.wait(1500)
    assert board.say("renew 77 2") == ["ok"]
    board.wait(1500)
    assert board.ask("given") == 50.0
    board.wait(800)
    assert (board.ask("given"), board.ask("lease")) == (0.0, 0.0)
    for line in ("hold all 101 5 1", "hold all -1 5 1", "hold all 50 61 1", "hold all 50 0 1", "hold all 50 5 0",
                 "hold out_no 50 5 1", "hold setpoint 51 5 1", "hold all 50 5", "hold all x 5 1"):  # fmt: skip
        assert board.say(line)[0].startswith("no "), line
    assert board.ask("given") == 0.0
    assert board.say("mode own") == ["ok"]
    assert board.ask("given") < 10.0  # its own loop again, without a jump
    assert board.say("begin") == ["ok"]
    assert board.ask("given") == 100.0  # and from the start of its plan


def test_the_setpoint_is_moved_for_as_long_as_it_is_held(board: Board) -> None:
    assert board.say("hold setpoint -5 2 9") == ["ok"]
    assert (board.ask("setpoint"), board.ask("nudge")) == (55.0, -5.0)
    board.wait(2100)
    assert board.ask("setpoint") == 60.0


def test_stop_acts_at_once_in_every_mode_needs_nothing_and_outlives_a_power_cut(board: Board) -> None:
    assert board.say("garbage*0000") != ["ok"]
    for mode, hold in (("own", ""), ("hand", "hold all 80 30 5"), ("test 1000 90", "hold all 80 30 5")):
        board.say("begin")
        board.say(f"mode {mode}")
        board.say(hold)
        assert board.wait(20) == []
        assert board.ask("given") == (100.0 if mode == "own" else 80.0)
        assert board.say("99 stop now*12FF", 3)[0].startswith("ok 99")  # a wrong sum, words too many
        assert board.say("", 5) == []
        assert board.ran.levels == (0.0,)
        assert board.say("hold all 80 30 5") == ["no it is stopped: again lets go of it"]
        assert board.say("mode test 100 90")[0].startswith("no it is stopped")
    board.brain.power(0)
    board.wait(3000)
    assert (board.ask("stopped"), board.ask("given"), board.ran.levels) == (1.0, 0.0, (0.0,))
    board.say("again")
    board.wait(3000)
    assert (board.ask("stopped"), board.ask("given") > 0.0) == (0.0, True)
    for word in ("again", "begin"):  # in one breath with it, before a sample: the later word counts
        board.say(f"{word}\nstop", 3)
        board.wait(3000)
        assert (board.ask("stopped"), board.ran.levels) == (1.0, (0.0,))
        board.say(f"stop\n{word}", 3)
        board.wait(3000)
        assert board.ask("stopped") == 0.0


def test_a_trip_is_seen_to_act_by_a_limit_that_returns_by_itself() -> None:
    made = cabinet("double", converter=None)
    trip = next(guard for guard in made.project.rig.guards if isinstance(guard, Trip) and guard.latches)
    brain = PythonBrain(made, 1)
    brain.power(0)
    board = Board(brain, 20.0)
    board.wait(3000)
    assert board.ask("given") == 100.0
    assert board.say(f"hold limits {trip.at_degC - 19.0:g} 2 5", 1500)[0] == "ok"
    assert (board.ask("given"), board.ask("tripped") > 0, board.ran.levels[0]) == (0.0, True, 0.0)
    board.wait(2000)
    assert (board.ask("limits"), board.ask("tripped") > 0) == (0.0, True)  # it latches
    assert board.say("reset all", 1500)[0] == "ok"
    assert board.say("hold limits -1 2 5", 40) == ["no out of its range"]  # nearer only
    brain.close()


def test_a_test_ends_at_its_heat_its_limit_and_when_nobody_holds_it(board: Board) -> None:
    def begin(heat: int, limit: int) -> None:
        assert board.say(f"mode test {heat} {limit}") == ["ok"]
        assert board.say("hold all 50 60 5") == ["ok"]

    begin(3, 90)
    for _ in range(5):
        board.wait(INTERVAL_MS)
    assert board.ask("mode") == 0.0  # 3 s of full drive at 50 % are over
    assert any("test over: heat" in line for line in board.say("log", 200))
    begin(1000, 30)
    board.raws = [31.0]
    board.wait(2 * INTERVAL_MS)
    assert board.ask("mode") == 0.0
    assert any("test over: limit" in line for line in board.say("log", 200))
    board.raws = [24.0]
    board.wait(2 * INTERVAL_MS)
    begin(1000, 90)
    board.raws = [None]  # type: ignore[list-item]
    board.wait(INTERVAL_MS + 100)
    assert board.ask("mode") == 0.0  # nobody sees where it is
    probe = points_of(carried_of()).probes[0].name
    assert board.say(f"get {probe}")[0].startswith(f"ok {probe}=- degC ")
    board.raws = [24.0]
    board.wait(2 * INTERVAL_MS)
    assert board.say("mode test 1000 90") == ["ok"]
    board.say("hold all 50 1 5")
    board.wait(1200)
    assert board.ask("mode") == 0.0
    assert any("test over: silence" in line for line in board.say("log", 200))


def test_obeys_asks_for_sums(board: Board) -> None:
    assert board.say("mode obeys") == ["no this needs a check sum"]
    assert board.say(with_sum("mode obeys"))[0].startswith("ok*")
    assert board.say("hold all 50 5 3") == ["no this needs a check sum"]
    assert board.say(with_sum("hold all 50 5 3"))[0].startswith("ok*")
    assert board.ask("given") == 50.0
    assert board.say("stop") == ["ok"]


def test_noise_does_nothing_and_is_answered_once_a_second(board: Board) -> None:
    draw = random.Random(3)
    answers = []
    for _ in range(50):
        answers += board.say("".join(chr(draw.randrange(33, 126)) for _ in range(draw.randrange(1, 120))), 20)
    assert answers == ["no not understood"]
    board.brain.hear(bytes(draw.randrange(256) for _ in range(400)).replace(b"\n", b"?"))
    board.wait(1200)
    assert board.say("x") == ["no not understood"]
    board.wait(10)
    assert board.say("get mode")[0].startswith("ok mode=0")


def test_no_hold_passes_a_trip_and_a_reset_waits_for_its_cause() -> None:
    made = cabinet("double", converter=None)
    trips = [guard for guard in made.project.rig.guards if isinstance(guard, Trip) and guard.latches]
    assert trips
    brain = PythonBrain(made, 1)
    brain.power(0)
    board = Board(brain, trips[0].at_degC + 1.0)
    board.say("mode hand", 1500)
    board.say("hold all 100 60 5", 1500)
    assert (board.ask("given"), board.ran.levels[0]) == (0.0, 0.0)
    assert board.say("reset all", 1500)[0] == "no the cause is still there"
    board.raws = [20.0]
    board.wait(3000)
    assert board.ask("given") == 0.0  # it latches
    assert board.say("reset all", 1500)[0] == "ok"
    board.say("hold all 100 60 5", 1500)
    assert board.ask("given") == 100.0
    brain.close()


def lines_at_random(draw: random.Random, names: list[str], count: int) -> Iterator[str]:
    """Lines that act and ask, some of them mutated."""
    verbs = ["begin", "hello", "points", "get all", "watch 1", "watch off", "watch 3", "log", "probes", "stop", "again",
             "mode own", "mode hand", "mode test 20 40", "mode test 5 25", "reset all", "store",
             "defaults"]  # fmt: skip
    for _ in range(count):
        line = draw.choice([
            draw.choice(verbs), f"get {draw.choice(names)}",
            f"set {draw.choice(names)} {draw.choice(['0.1', '0.2', '900', '-1', '1e3', '', '12345678901'])}",
            f"hold {draw.choice(['all', 'setpoint', 'limits', 'out_mat', 'x'])} "
            f"{draw.choice(['0', '50', '100', '-3', '101'])} "
            f"{draw.choice(['0', '1', '3', '60', '61'])} {draw.choice(['1', '2', '0'])}",
            f"renew {draw.randrange(3)} {draw.randrange(62)}",
        ])  # fmt: skip
        if draw.random() < 0.3:
            line = f"{draw.randrange(1, 70000)} {line}"
        if draw.random() < 0.3:
            line = with_sum(line)
        if draw.random() < 0.2:
            at = draw.randrange(len(line) + 1)
            line = line[:at] + draw.choice([chr(draw.randrange(32, 127)), "", " ", "*", "\x00", "é"]) + line[at + 1 :]
        yield line


@gcc
def test_both_languages_say_the_same_to_the_same() -> None:
    carried = carried_of()
    names = [point.name for point in points_of(carried).all()]
    brains: list[Brain] = [CompiledBrain(carried), PythonBrain(carried, 1)]
    for brain in brains:
        brain.power(0)
    draw = random.Random(11)
    for line in lines_at_random(draw, names, 300):
        raws = [draw.choice([24.0, 24.5, 31.0, 45.0])] if draw.random() < 0.95 else [None]
        for_ms = draw.choice([1, 3, 20, 200, 1500])
        said = []
        for brain in brains:
            brain.hear(line.encode("utf-8") + b"\n")
            brain.pins(raws)
            ran = brain.run(for_ms)
            said.append((brain.spoken(), ran.levels, ran.quiet))
        assert said[0][0] == said[1][0], line
        assert said[0][1] == pytest.approx(said[1][1], abs=1e-9), line
    for brain in brains:
        brain.close()


def test_check_sums_are_those_of_the_standard() -> None:
    assert check_of("123456789") == 0x29B1  # CRC-16/CCITT-FALSE: the check value of its catalogue entry


def test_points_have_names_of_their_own_and_numbers_that_a_line_takes() -> None:
    made = cabinet("double")
    probes = (
        *made.project.rig.probes,
        with_fields(made.project.rig.probe, name="Lufttür oben, ganz weit hinten", role="watch"),
    )
    project = with_fields(made.project, rig=with_fields(made.project.rig, probes=probes))
    names = [point.name for point in points_of(Carried(project, made.candidate, made.trial)).all()]
    assert len(set(names)) == len(names)
    assert all(name.isascii() and name == name.lower() and len(name) <= 24 for name in names)
    assert [point.name for point in PLAIN] == names[: len(PLAIN)]


def test_what_cools_is_not_off_for_want_of_a_word() -> None:
    made = cabinet("double", converter=None)
    rig = made.project.rig
    drives = tuple(with_fields(drive, acts="cools") for drive in rig.drives)
    candidate = with_fields(made.candidate)
    project = with_fields(
        made.project, rig=with_fields(rig, drives=drives, guards=()), candidates=(candidate,), adjustable=()
    )
    carried = Carried(project, candidate, made.trial)
    assert not carried.project.rig.heats
    brain = PythonBrain(carried, 1)
    brain.power(0)
    board = Board(brain, 80.0)
    board.say("mode hand", 1500)
    assert board.ask("given") == 0.0
    for _ in range(70):
        board.wait(1000)
    assert (board.ask("mode"), board.ask("given") > 0.0) == (0.0, True)
    board.say("begin", 1500)
    board.say("stop", 1500)  # what cools goes on
    assert (board.ask("stopped"), board.ask("given"), board.ran.levels[0]) == (1.0, 100.0, 1.0)
    brain.close()


def test_settings_of_32_bits_have_the_decimals_that_they_tell_apart() -> None:
    points = {point.name: point for point in points_of(adjustable("KP_PER_K", "TI_S", real="float")).settings}
    assert (points["ti_s"].decimals, points["kp_per_k"].decimals) == (2, 5)
