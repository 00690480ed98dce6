"""A controller's decision at one sample, in words and numbers: the sentences stand with the laws."""

from kelvarn.engine.guard_codes import ruler_at
from kelvarn.engine.guard_records import Ruler
from kelvarn.engine.on_trial import retunings_of
from kelvarn.engine.plant import TIME_EPS
from kelvarn.engine.run import Run
from kelvarn.model.candidate import Controller
from kelvarn.model.pid import Pid
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .guards import alarms_text, load_text, rule_text
from .laws import words_of
from .sample import Sample, Term


def why(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller decided at a sample, and why.

    Args:
        run, index: the sample.
        scale: that the sentence speaks in.
    """
    ruled = rule_text(run, index, scale)
    besides = [said for said in (load_text(run, index, scale), alarms_text(run, index, scale)) if said]
    if ruler_at(run, index) in (Ruler.POWER_CUT, Ruler.STANDS_STILL):  # the law was not asked
        said = ruled
    else:
        said = words_of(run.controller).why(law_at(run, index), sample_of(run, index), scale)
        blocked = _blocked(run, index, scale)
        said = joined("; ", (said, *blocked)) if blocked else said
        said = say("{ruled}; without: {said}", ruled=ruled, said=said) if ruled else said
    return joined("; ", (said, *besides)) if besides else said


def _blocked(run: Run, index: int, scale: Scale) -> list[str]:
    """Drives that are asked for but blocked by a thermostat of their own."""
    found = list[str]()
    for d, drive in enumerate(run.rig.drives):
        dial, body = getattr(drive, "dial_degC", None), drive.heated_body
        if dial is None or body is None or run.put_out[d, index] > 0 or run.drive[index] == 0:
            continue
        if run.bodies_degC[run.rig.body_index(body), index] > dial - getattr(drive, "dial_band_K", 0.0):
            at = show(dial, Quantity.TEMPERATURE, scale)
            found.append(say("asked on, blocked: {drive}'s own thermostat ({dial})", drive=drive.name, dial=at))
    return found


def terms(run: Run, index: int) -> list[Term]:
    """The terms of the run's law at a sample; none where it has none."""
    found: list[Term] = words_of(run.controller).terms(law_at(run, index), sample_of(run, index))
    return found


def law_at(run: Run, index: int) -> Controller:
    """The law with the settings that it has at a sample: events may have changed them."""
    law = run.controller
    if not isinstance(law, Pid):
        return law
    gain = ti = td = 1.0
    for change in retunings_of(run.trial.occurrences):
        if change.at_s <= run.time_s[index] + TIME_EPS:
            gain, ti, td = gain * change.gain, ti * change.ti, td * change.td
    changed = {"kp_per_K": law.kp_per_K * gain, "ti_s": law.ti_s * ti, "td_s": law.td_s * td}
    return law.model_copy(update=changed) if (gain, ti, td) != (1.0, 1.0, 1.0) else law


def sample_of(run: Run, index: int) -> Sample:
    """What was read and decided at a sample."""
    return Sample(
        setpoint_degC=float(run.setpoint_degC[index]),
        measured_degC=float(run.measured_degC[index]),
        asked=float(run.asked[index]),
        given=float(run.drive[index]),
        delay_left_s=float(run.delay_left_s[index]),
        code=int(run.law_code[index]),
        direction=run.direction,
        both=run.rig.way.both,
        p=float(run.p[index]),
        i=float(run.i[index]),
        d=float(run.d[index]),
    )
