"""Guard codes of a run: who rules at a sample, and which guard or alarms that is."""

from kelvarn.model import guards as model
from kelvarn.model.rig import Rig

from .guard_records import RULERS, Ruler
from .run import Run


def ruler_at(run: Run, index: int) -> Ruler:
    """Who decides at a sample."""
    return Ruler(int(run.guard_code[index]) % RULERS)


def guard_of(rig: Rig, code: int) -> model.Guard:
    """The guard behind a guard code that is one's."""
    return rig.guards[code // RULERS]


def alarms_on(run: Run, index: int) -> list[model.Alarm]:
    """The alarms that are on at a sample."""
    return alarms_in(run.rig, int(run.alarm_code[index]))


def alarms_in(rig: Rig, code: int) -> list[model.Alarm]:
    """The alarms that an alarm code says."""
    alarms = [guard for guard in rig.guards if isinstance(guard, model.Alarm)]
    return [alarm for bit, alarm in enumerate(alarms) if code >> bit & 1]
