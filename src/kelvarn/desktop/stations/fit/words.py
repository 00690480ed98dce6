"""What the Fit station says in words."""

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.stations.station import Phrase
from kelvarn.desktop.strip.axis import clock
from kelvarn.desktop.strip.lane import Lane
from kelvarn.fit.rig_fit import RigFit
from kelvarn.fit.trust import ENOUGH, FitReport, holds
from kelvarn.fit.what_changed import Comparison
from kelvarn.model.log import Log
from kelvarn.model.log_data import LogData
from kelvarn.sentence import figures, joined
from kelvarn.units import Quantity, Scale, counted, show

from .cards import CardText
from .knowledge import Knowledge, RigReport
from .scenes import fit_of


def card_text(log: Log, known: Knowledge, scale: Scale) -> CardText:
    """What the card of a log says."""
    data = known.data(log)
    if isinstance(data, str):
        return CardText(log.name, log.file, tell("cannot be read"), "ember")
    if data is None:
        return CardText(log.name, log.file, tell("reading …"), "muted")
    amount = tell(
        "{size} rows, {duration}",
        size=figures(f"{data.time_s.size:,}", ""),
        duration=show(data.duration_s, Quantity.DURATION),
    )
    if not log.confirmed:
        look = known.look(log)
        doubts = 0 if isinstance(look, str) else len(look.guess.doubts)
        return CardText(
            log.name,
            amount,
            tell("{things} in doubt", things=counted(doubts, "thing")) if doubts else tell("look at it, then use it"),
            "gold",
        )
    if log.use == "aside":
        return CardText(log.name, amount, tell("not used"), "muted")
    fit = fit_of(known, log)
    fits = log.use == "fit"
    word = tell("fit") if fits else tell("check")
    if fit is None:
        return CardText(
            log.name, amount, tell("cannot tell") if known.fault else word, "ember" if known.fault else "muted"
        )
    good = fits or known.fitted is None or holds(fit, known.fitted.fit.rms_K)
    return CardText(
        log.name,
        amount,
        tell("{word} {rms} rms", word=word, rms=show(fit.rms_K, Quantity.DIFFERENCE, scale)),
        "moss" if good else "ember",
    )


def phrase(found: FitReport | RigReport, scale: Scale) -> Phrase:
    """Where the station stands."""
    many = len(found.fit.logs) + len(found.checks)
    text = tell("{rms} rms on {logs}", rms=show(found.fit.rms_K, Quantity.DIFFERENCE, scale), logs=counted(many, "log"))
    look = isinstance(found, FitReport) and found.seen is not None and found.seen < ENOUGH
    return Phrase(text, "look" if look else "fine")


def verdict(known: Knowledge, log: Log | None, view: str, scale: Scale) -> str:
    """What the foot says."""
    if view == "plan":
        return tell("Record it like this, open the log here, and the fit will tell what is predicted.")
    if view == "calibrate":
        return tell("What is calibrated here is the control probe of the rig, in the device: every run then has it.")
    if log is None:
        return tell("Nothing is recorded yet: a log of the real thing tells what no data sheet does.")
    if view == "changed":
        if isinstance(known.comparison, Comparison):
            return tell("What has changed: {verdict}.", verdict=known.comparison.verdict(known.settings, scale))
        return known.comparison or tell("comparing …")
    if known.fault:
        return tell("How far to trust it: {fault}", fault=known.fault)
    if known.fitted is None:
        return tell("How far to trust it: nothing is fitted yet.")
    if isinstance(known.fitted, RigReport):
        return tell("How far to trust it: {verdict}.", verdict=rig_verdict(known.fitted, scale))
    return tell("How far to trust it: {verdict}.", verdict=known.fitted.verdict(scale))


def rig_verdict(found: RigReport, scale: Scale) -> str:
    """What a fitted rig is good for."""
    fit: RigFit = found.fit
    low = min(float(log.log.y.min()) for log in fit.logs)
    high = max(float(log.log.y.max()) for log in fit.logs)
    ends = joined(" to ", (show(round(end), Quantity.TEMPERATURE, scale) for end in (low, high)))
    told = sum(each <= 0.5 for each in fit.told)
    checked = [c for c in found.checks if holds(c, fit.rms_K)]
    held = tell("; it holds on “{log}” too", log=checked[0].log.name) if checked else ""
    return tell("usable for control, {ends}{held}; {told} of {number} values are told by the logs, "
                "the others stay near what was thought", ends=ends, held=held, told=told,
                number=len(fit.free))  # fmt: skip


def readout(data: LogData, time_s: float, scale: Scale) -> str:
    """What the log says at an instant."""
    k = int(np.argmin(np.abs(data.time_s - time_s)))
    parts = [
        tell("at {clock}", clock=clock(float(data.time_s[k]), 1)),
        tell(show(float(data.measured_degC[k]), Quantity.TEMPERATURE, scale)),
    ]
    if data.drive is not None:
        parts.append(tell("drive {drive}", drive=show(float(data.drive[k]), Quantity.DRIVE)))
    if data.surroundings_degC is not None:
        parts.append(
            tell(
                "surroundings {surroundings}",
                surroundings=show(float(data.surroundings_degC[k]), Quantity.TEMPERATURE, scale),
            )
        )
    if data.begun is not None:
        parts.append(tell("begun {begun}", begun=f"{data.begun:%Y-%m-%d %H:%M}"))
    return ", ".join(parts)


def empty_lane(text: str) -> Lane:
    """A lane that only says something."""
    return Lane("nothing", "", None, weight=1.0, nothing=text)
