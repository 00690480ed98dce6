"""Five-minute experiments: small projects that show one effect on purpose, with what to try and what to look at."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Fan, Pwm, Relay, SlowWindow
from kelvarn.model.events import ProbeFault
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.guards import ProbeFaultAction
from kelvarn.model.icing import Icing
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.results import Result

Results = Mapping[str, Result]
"""By the names of candidates, on the first trial."""


@dataclass(frozen=True)
class Experiment:
    """A project that shows one effect.

    Attributes:
        key, title, line: what it is called in files, on screen, and what it shows.
        tries, look: one sentence what to try, and one what to look at.
        build: makes the project.
        seen: whether the effect was brought about, by the project as it is and its runs.
        told: said then.
    """

    key: str
    title: str
    line: str
    tries: str
    look: str
    build: Callable[[], Project]
    seen: Callable[[Project, Results], bool]
    told: str


def _trial(setpoint: float, minutes: float, **more: object) -> Trial:
    return Trial.model_validate({
        "name": "Try it", "duration_s": 60.0 * minutes,
        "plan": Plan(changes=(SetpointChange(at_s=0, to_degC=setpoint),)), **more,
    })  # fmt: skip


def _project(key: str, name: str, rig: Rig, trial: Trial, *laws: tuple[str, object]) -> Project:
    candidates = tuple(Candidate.model_validate({"name": title, "controller": law}) for title, law in laws)
    return Project(name=name, rig=rig, trials=(trial,), candidates=candidates, experiment=key)


def _block(drive: object, *, lag_s: float = 6.0, noise_K: float = 0.05, dead_s: float = 0.0, **more: object) -> Rig:
    """A block of 600 J/K on a heater of 60 J/K, with 120 W for 1 W/K of loss."""
    return Rig.model_validate({
        "bodies": (Body(name="Heater", capacity_J_per_K=60), Body(name="Block", capacity_J_per_K=600)),
        "links": (Link(a="Heater", b="Block", conductance_W_per_K=4),
                  Link(a="Block", b=SURROUNDINGS, conductance_W_per_K=1)),
        "drives": (drive,),
        "probes": (Probe(body="Block", lag_s=lag_s, noise_K=noise_K, dead_time_s=dead_s, interval_s=1.0),), **more,
    })  # fmt: skip


def _value(results: Results, name: str, key: str) -> float | None:
    """A measure of a candidate; None where there is none yet."""
    result = results.get(name)
    if result is None:
        return None
    return (result.measures.main.values | result.measures.values).get(key)


def _below(results: Results, name: str, key: str, limit: float) -> bool:
    value = _value(results, name, key)
    return value is not None and value < limit


def _no_band() -> Project:
    rig = _block(Relay(name="Relay", body="Heater", power_W=120), noise_K=0.15)
    return _project("no-band", "No band", rig, _trial(60.0, 60),
                    ("No band", OnOff(below_K=0.0, above_K=0.0)),
                    ("±1 K", OnOff(below_K=1.0, above_K=1.0)))  # fmt: skip


def _rings() -> Project:
    rig = _block(Pwm(name="Heater", body="Heater", power_W=120), lag_s=20.0, dead_s=15.0)
    return _project("rings", "Turned up until it rings", rig, _trial(60.0, 90),
                    ("Calm", Pid(terms="PI", kp_per_K=0.06, ti_s=400, td_s=0)),
                    ("Turn me up", Pid(terms="PI", kp_per_K=0.12, ti_s=400, td_s=0)))  # fmt: skip


def _wound_up() -> Project:
    rig = _block(Pwm(name="Heater", body="Heater", power_W=120), lag_s=10.0)
    return _project("wound-up", "Wound up", rig, _trial(80.0, 90),
                    ("Winds up", Pid(terms="PI", kp_per_K=0.08, ti_s=150, td_s=0, anti_windup="none")),
                    ("Lets go", Pid(terms="PI", kp_per_K=0.08, ti_s=150, td_s=0)))  # fmt: skip


def _wrong_place() -> Project:
    rig = Rig(
        bodies=(Body(name="Heater", capacity_J_per_K=150), Body(name="Air", capacity_J_per_K=400),
                Body(name="Part", capacity_J_per_K=1500)),
        links=(Link(a="Heater", b="Air", conductance_W_per_K=3), Link(a="Air", b="Part", conductance_W_per_K=2),
               Link(a="Part", b=SURROUNDINGS, conductance_W_per_K=0.5),
               Link(a="Air", b=SURROUNDINGS, conductance_W_per_K=0.8)),
        drives=(Pwm(name="Heater", body="Heater", power_W=150),),
        probes=(Probe(body="Air", lag_s=10, interval_s=2),),
        goal=Goal(body="Part", low_degC=58, high_degC=62, why="the part is not done"),
    )  # fmt: skip
    return _project("wrong-place", "The probe in the wrong place", rig, _trial(60.0, 240),
                    ("PI", Pid(terms="PI", kp_per_K=0.06, ti_s=600, td_s=0)),
                    ("On/off", OnOff(below_K=0.5, above_K=0.5)))  # fmt: skip


def _stall() -> Project:
    rig = Rig(
        bodies=(Body(name="Source", capacity_J_per_K=40, own_heat_W=16),
                Body(name="Sink", capacity_J_per_K=250, limit_degC=80)),
        links=(Link(a="Source", b="Sink", conductance_W_per_K=3),
               Link(a="Sink", b=SURROUNDINGS, conductance_W_per_K=0.35, driven_by="Fan", full_W_per_K=1.6)),
        drives=(Fan(name="Fan", stalls_below=0.22, starts_from=0.3),),
        probes=(Probe(body="Sink", lag_s=3, interval_s=1),), surroundings=Surroundings(temperature_degC=25),
    )  # fmt: skip
    trial = _trial(45.0, 60)
    return _project("stall", "A fan below its stall", rig, trial,
                    ("Hums", Curve(shape="ramp", start_degC=45, full_degC=90, floor=0.1, back_off_K=2)),
                    ("Turns", Curve(shape="ramp", start_degC=45, full_degC=90, floor=0.32, back_off_K=2)))  # fmt: skip


def _breaks() -> Project:
    rig = _block(Pwm(name="Heater", body="Heater", power_W=120),
                 guards=(ProbeFaultAction(name="Probe fault", action="hold"),))  # fmt: skip
    heater = rig.bodies[0].model_copy(update={"limit_degC": 120.0})
    block = rig.bodies[1].model_copy(update={"limit_degC": 90.0})
    rig = rig.model_copy(update={"bodies": (heater, block)})
    fault = ProbeFault(name="Probe breaks", at_s=300.0, probe="Probe", fault="open")
    return _project("breaks", "The probe breaks", rig, _trial(60.0, 60, events=(fault,)),
                    ("PI", Pid(terms="PI", kp_per_K=0.08, ti_s=400, td_s=0)),
                    ("On/off", OnOff(below_K=0.5, above_K=0.5)))  # fmt: skip


def _colder() -> Project:
    rig = Rig(
        bodies=(Body(name="Coil", capacity_J_per_K=3000), Body(name="Air", capacity_J_per_K=5000)),
        links=(Link(a="Air", b=SURROUNDINGS, conductance_W_per_K=3),
               Link(a="Coil", b="Air", conductance_W_per_K=3, driven_by="Fan", full_W_per_K=20,
                    icing=Icing(dew_point_degC=1, area_m2=1.0, blocks_kg=1.0))),
        drives=(Relay(name="Cooler", body="Coil", power_W=120, acts="cools", resistive=False, shortest_off_s=120),
                Fan(name="Fan", acts="cools", power_W=8, stalls_below=0, starts_from=0)),
        probes=(Probe(body="Air", lag_s=20, interval_s=10),),
    )  # fmt: skip
    return _project("colder", "Colder does not cool faster", rig, _trial(5.0, 24 * 60),
                    ("On/off ±0.5", OnOff(below_K=0.5, above_K=0.5)),
                    ("On/off ±1.5", OnOff(below_K=1.5, above_K=1.5)))  # fmt: skip


def _long_window() -> Project:
    rig = _block(SlowWindow(name="Solid-state relay", body="Heater", power_W=120, window_s=120, shortest_pulse_s=0))
    return _project("long-window", "A window too long", rig, _trial(60.0, 60),
                    ("PI", Pid(terms="PI", kp_per_K=0.05, ti_s=500, td_s=0)),
                    ("Slower PI", Pid(terms="PI", kp_per_K=0.02, ti_s=900, td_s=0)))  # fmt: skip


def _law(project: Project, name: str) -> object:
    return next((each.controller for each in project.candidates if each.name == name), None)


EXPERIMENTS: tuple[Experiment, ...] = (
    Experiment(
        "no-band", "No band", "a relay chatters; what a band costs",
        "Drag the edges of “No band” apart at the left of the strip, a kelvin or so.",
        "its switchings in an hour, and how far it swings.", _no_band,
        lambda project, results: _below(results, "No band", "switch_ons_per_h", 40.0),
        "A band: far fewer switchings, for a little more swing.",
    ),
    Experiment(
        "rings", "Turned up until it rings", "too much gain; how near you are",
        "Turn the gain of “Turn me up” up on its ruler, until it does not come to rest.",
        "its reserve beside the gain, before it rings.", _rings,
        lambda project, results: (_value(results, "Turn me up", "swing_K") or 0.0) > 4.0,
        "That was the edge: good settings stay at half of it or less.",
    ),
    Experiment(
        "wound-up", "Wound up", "the memory that does not forget",
        "Set the anti-windup of “Winds up” to something else than none.",
        "how far it goes over, and the integral among the terms at the left.", _wound_up,
        lambda project, results: getattr(_law(project, "Winds up"), "anti_windup", "none") != "none",
        "The integral no longer grows while the drive has nothing more to give.",
    ),
    Experiment(
        "wrong-place", "Probe in the wrong place", "it reads 60, the part has less",
        "At Rig, let the probe sit in the part.",
        "the part's temperature among the bodies, and the goal.", _wrong_place,
        lambda project, results: project.rig.probe.body == "Part",
        "What is probed is kept; what matters must be what is probed, or be known beside it.",
    ),
    Experiment(
        "stall", "A fan below its stall", "it hums and stands",
        "Raise the floor of “Hums” in the curve picture or on its ruler.",
        "the lane of the flow: when does the fan turn?", _stall,
        lambda project, results: (getattr(_law(project, "Hums"), "floor", None) or 0.0) >= 0.3,
        "From what it needs to start it turns, whenever it is asked.",
    ),
    Experiment(
        "breaks", "The probe breaks", "off, on or as it was?",
        "At Trial, choose another output for the guard “Probe fault”.",
        "the hottest of the block in the foot, and what becomes of the goal.", _breaks,
        lambda project, results: any(
            isinstance(each, ProbeFaultAction) and each.action == "off" for each in project.rig.guards
        ),
        "Off: here no limit is passed, and nothing is kept warm. Which harm is the lesser is yours to say, beforehand.",
    ),
    Experiment(
        "colder", "Colder does not cool faster", "a setpoint is no speed",
        "Drag the setpoint some kelvins lower, “to cool faster”.",
        "the slope at the beginning: the same. And the ice on the coil.", _colder,
        lambda project, results: project.first_trial.plan.last_degC <= 2.0,
        "It was at full drive before; now it only goes on for longer, and ices.",
    ),
    Experiment(
        "long-window", "A window too long", "pulses seen in the temperature",
        "At Rig, make the window of the solid-state relay shorter, such as 5 s.",
        "the saw-tooth in the temperature.", _long_window,
        lambda project, results: getattr(project.rig.drive, "window_s", 0.0) <= 20.0,
        "A window well under the lag is not seen any more.",
    ),
)  # fmt: skip


def experiment_of(key: str) -> Experiment | None:
    """The experiment of a key; None where there is none."""
    return next((each for each in EXPERIMENTS if each.key == key), None)
