"""The settings of a candidate, in the words of several devices, and as JSON."""

import hashlib
import json
from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import partial
from typing import Any

from pydantic import BaseModel

from kelvarn.files.project_file import to_json
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.fields import words_of
from kelvarn.model.gains import Parallel, proportional_band_K, to_parallel, to_series
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show, to_shown, usual_unit


@dataclass(frozen=True)
class Row:
    """A line of the sheet: what, and its value with unit; `field` where it is one of the model."""

    what: str
    value: str
    field: str = ""


def fingerprint(project: Project) -> str:
    """Eight hex digits that tell which state of the project a sheet belongs to."""
    digest = hashlib.sha256(to_json(project).encode()).hexdigest()
    return f"{digest[:4]}-{digest[4:8]}"


def settings_json(project: Project, candidate: Candidate, trial: Trial) -> dict[str, Any]:
    """What a program needs to run the candidate's law on a trial; keys carry units."""
    controller = candidate.controller
    made: dict[str, Any] = {
        "project": project.name,
        "fingerprint": fingerprint(project),
        "candidate": candidate.name,
        "strategy": candidate.strategy,
        "sample_interval_s": project.rig.probe.interval_s,
        "setpoint_degC": trial.plan.last_degC,
        "drives": [each.model_dump(mode="json") for each in project.rig.drives],
        "probes": [each.model_dump(mode="json") for each in project.rig.probes],
        "settings": controller.model_dump(mode="json"),
        "plan": trial.plan.model_dump(mode="json"),
        "guards": [each.model_dump(mode="json") for each in project.rig.guards],
        "permits": [each.model_dump(mode="json") for each in project.rig.permits],
    }
    acting = _ACTING.get(type(controller))
    if acting is not None:
        made["acting"] = acting(controller)
    return made


def settings_text(project: Project, candidate: Candidate, trial: Trial) -> str:
    """`settings_json` as text."""
    return json.dumps(settings_json(project, candidate, trial), indent=2, ensure_ascii=False) + "\n"


def settings_rows(candidate: Candidate, scale: Scale) -> list[Row]:
    """The settings as people write them down; of P and PI without those that do not act."""
    c = candidate.controller
    rows = []
    for row in field_rows(c, scale, leave_out=c.idle):
        acting = getattr(c, f"acting_{row.field}", None)  # what an empty field stands for
        empty = row.value == "none" and acting is not None
        rows.append(Row(row.what, show(acting, Quantity.DURATION)) if empty else row)
    return rows


def field_rows(part: BaseModel, scale: Scale, leave_out: Collection[str] = ()) -> list[Row]:
    """All fields of a part of the model that are a number, a word or a yes or no, each with its unit."""
    rows = []
    for name, field in type(part).model_fields.items():
        value, extra = getattr(part, name), field.json_schema_extra
        if (
            name in leave_out
            or name in ("law", "kind", "terms", "name", "notes")
            or isinstance(value, BaseModel | tuple)
        ):
            continue
        title = field.title or name
        if value is None:
            rows.append(Row(title, "none", name))
        elif isinstance(extra, dict) and "quantity" in extra:
            rows.append(Row(title, show(float(value), Quantity(str(extra["quantity"])), scale, exact=True), name))
        else:
            shown = {True: "yes", False: "no"}[value] if isinstance(value, bool) else words_of(field, value)
            rows.append(Row(title, shown, name))
    return rows


def other_words(project: Project, candidate: Candidate, trial: Trial, scale: Scale) -> list[Row]:
    """The same law in the words of other devices; where no equivalent exists, the reason."""
    of_law = _OTHER_WORDS.get(type(candidate.controller))
    return of_law(project, candidate.controller, trial, scale) if of_law is not None else []


def _of_on_off(project: Project, c: OnOff, trial: Trial, scale: Scale) -> list[Row]:
    setpoint = trial.plan.last_degC
    on, off = c.on_off_degC(setpoint, project.rig.way)
    width = abs(off - on)
    degrees = partial(show, quantity=Quantity.TEMPERATURE, scale=scale, exact=True)
    kelvins = partial(show, quantity=Quantity.DIFFERENCE, scale=scale, exact=True)
    return [
        Row(f"Cut-in and cut-out at setpoint {degrees(setpoint)}", f"{degrees(on)}, {degrees(off)}"),
        Row("Symmetric band", f"{degrees((on + off) / 2)} ±{kelvins(width / 2)}"),
        Row("Cut-out and differential", f"{degrees(off)}, {kelvins(width)}"),
    ]


def _of_curve(project: Project, c: Curve, trial: Trial, scale: Scale) -> list[Row]:
    """The steps as a table; one line a step."""
    del trial
    if c.shape == "ramp":
        return []
    degrees = partial(show, quantity=Quantity.TEMPERATURE, scale=scale, exact=True)
    sign = project.rig.way.sign
    return [
        Row(f"Step {k}", f"{show(step.drive, Quantity.DRIVE)} from {degrees(step.from_degC)}, "
                         f"left at {degrees(step.from_degC + sign * step.back_off_K)}")
        for k, step in enumerate(c.steps, start=1)
    ]  # fmt: skip


def _parallel(c: Pid) -> Parallel:
    return to_parallel(c.kp_per_K, c.ti_s if c.integrates else None, c.acting_td_s)


def _of_pid(project: Project, c: Pid, trial: Trial, scale: Scale) -> list[Row]:
    interval_s = project.rig.probe.interval_s
    gains, unit = _parallel(c), usual_unit(Quantity.DIFFERENCE, scale)
    per = 1 / to_shown(1.0, Quantity.DIFFERENCE, scale)  # what is per kelvin, per unit shown
    filter_s = c.acting_td_s / c.filter_n
    filtered = f", filter {filter_s:.4g} s" if filter_s else ""
    rows = [
        Row("Proportional band", f"{proportional_band_K(c.kp_per_K) / per:.4g} {unit}"),
        Row(f"Gain in % per {unit}", f"{100 * c.kp_per_K * per:.4g}"),
        Row(
            "Parallel form Kp, Ki, Kd",
            f"{gains.kp_per_K * per:.4g} 1/{unit}, {gains.ki_per_Ks * per:.4g} 1/({unit}·s), "
            f"{gains.kd_s_per_K * per:.4g} s/{unit}{filtered}",
        ),
        Row(
            f"Per sample of {show(interval_s, Quantity.DURATION)}, output 0…255", _per_sample(c, interval_s, per, unit)
        ),
    ]
    if c.integrates:
        rows.append(Row("Series form Kp, Ti, Td", _series(c, filter_s, per, unit)))
    return rows


def _per_sample(c: Pid, interval_s: float, per: float, unit: str) -> str:
    """Gains of a loop that adds up samples; its speed term is filtered by keeping a part of the last one."""
    gains, filter_s = _parallel(c), c.acting_td_s / c.filter_n
    text = f"Kp {255 * gains.kp_per_K * per:.4g}"
    if c.integrates:
        text += f", Ki {255 * gains.ki_per_Ks * interval_s * per:.4g}"
    if not gains.kd_s_per_K:
        return f"{text} per {unit}"
    kd = 255 * gains.kd_s_per_K / (filter_s + interval_s) * per
    keep = filter_s / (filter_s + interval_s)
    went = "last reading − this one"
    if c.derivative_weight:
        went = f"change of {c.derivative_weight:g} · setpoint − reading"
    return f"{text}, Kd {kd:.4g} per {unit}; D ← {keep:.4g} · D + Kd · ({went})"


def _series(c: Pid, filter_s: float, per: float, unit: str) -> str:
    """The series form with what must be set besides for the same answer to a setpoint change."""
    if c.acting_td_s and c.derivative_weight:
        return "no series form: its speed term does not see the setpoint; set the speed weight c to 0 for one"
    try:
        series = to_series(c.kp_per_K, c.ti_s, c.acting_td_s, filter_s)
    except ValueError as error:
        return str(error)
    text = f"{series.kp_per_K * per:.4g} 1/{unit}, {series.ti_s:.4g} s, {series.td_s:.4g} s"
    if filter_s:
        text += f", filter {filter_s:.4g} s, speed of the reading only"
    return f"{text}; setpoint weight {c.acting_weight * c.kp_per_K / series.kp_per_K:.4g}"


def _acting_of_pid(c: Pid) -> dict[str, float | None]:
    """What acts, in the parallel form too."""
    gains = _parallel(c)
    return {
        "kp_per_K": c.kp_per_K,
        "ti_s": c.ti_s if c.integrates else None,
        "td_s": c.acting_td_s,
        "filter_s": c.acting_td_s / c.filter_n,
        "setpoint_weight": c.acting_weight,
        "tracking_s": c.acting_tracking_s if c.integrates else None,
        "ki_per_Ks": gains.ki_per_Ks,
        "kd_s_per_K": gains.kd_s_per_K,
    }


_ACTING: dict[type, Callable[[Any], dict[str, float | None]]] = {Pid: _acting_of_pid}
_OTHER_WORDS: dict[type, Callable[[Project, Any, Trial, Scale], list[Row]]] = {
    OnOff: _of_on_off,
    Pid: _of_pid,
    Curve: _of_curve,
}
