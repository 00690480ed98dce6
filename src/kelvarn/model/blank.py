"""What a new project begins with: one body, a heater, a probe, and something to compare."""

from .bodies import Body, Link
from .candidate import Candidate
from .drives import Pwm
from .fields import SURROUNDINGS
from .on_off import OnOff
from .pid import Pid
from .probes import Probe
from .project import Project
from .rig import Rig
from .trial import Plan, SetpointChange, Trial


def blank_project() -> Project:
    """The smallest rig that can be controlled: 500 J/K that lose 1 W/K, warmed by 60 W."""
    return Project(
        name="New rig",
        rig=Rig(
            bodies=(Body(name="Body", capacity_J_per_K=500),),
            links=(Link(a="Body", b=SURROUNDINGS, conductance_W_per_K=1),),
            drives=(Pwm(body="Body", power_W=60),),
            probes=(Probe(body="Body", lag_s=5, resolution_K=0.1),),
        ),
        candidates=(
            Candidate(name="On/off ±1", controller=OnOff()),
            Candidate(name="PI", controller=Pid(terms="PI", kp_per_K=0.1, ti_s=300, td_s=0)),
        ),
        trials=(Trial(name="Cold start", duration_s=3600, plan=Plan(changes=(SetpointChange(at_s=0, to_degC=50),))),),
    )
