"""The settings of a candidate, in the words of several devices, and as JSON."""

import hashlib
import json
from dataclasses import dataclass
from functools import partial
from typing import Any

from kelvarn.files.project_file import to_json
from kelvarn.model.candidate import Candidate, OnOff, Pid
from kelvarn.model.gains import proportional_band_K, to_parallel, to_series
from kelvarn.model.project import Project
from kelvarn.units import Quantity, Scale, show, to_shown, usual_unit


@dataclass(frozen=True)
class Row:
    """A line of the sheet: what, and its value with unit."""

    what: str
    value: str


def fingerprint(project: Project) -> str:
    """Eight hex digits that tell which state of the project a sheet belongs to."""
    digest = hashlib.sha256(to_json(project).encode()).hexdigest()
    return f"{digest[:4]}-{digest[4:8]}"


def settings_json(project: Project, candidate: Candidate) -> dict[str, Any]:
    """What a program needs to run the candidate's law; keys carry units."""
    controller = candidate.controller
    made: dict[str, Any] = {
        "project": project.name,
        "fingerprint": fingerprint(project),
        "candidate": candidate.name,
        "strategy": candidate.strategy,
        "sample_interval_s": project.rig.probe.interval_s,
        "setpoint_degC": project.trials[0].plan.last_degC,
        "drives": [each.model_dump(mode="json") for each in project.rig.drives],
        "probes": [each.model_dump(mode="json") for each in project.rig.probes],
        "settings": controller.model_dump(mode="json"),
    }
    if isinstance(controller, Pid):
        gains = to_parallel(
            controller.kp_per_K, controller.ti_s if controller.integrates else None, controller.acting_td_s
        )
        made["acting"] = {
            "kp_per_K": controller.kp_per_K,
            "ti_s": controller.ti_s if controller.integrates else None,
            "td_s": controller.acting_td_s,
            "setpoint_weight": controller.acting_weight,
            "tracking_s": controller.acting_tracking_s if controller.integrates else None,
            "ki_per_Ks": gains.ki_per_Ks,
            "kd_s_per_K": gains.kd_s_per_K,
        }
    return made


def settings_text(project: Project, candidate: Candidate) -> str:
    """`settings_json` as text."""
    return json.dumps(settings_json(project, candidate), indent=2, ensure_ascii=False) + "\n"


def settings_rows(candidate: Candidate, scale: Scale) -> list[Row]:
    """The settings as people write them down."""
    c = candidate.controller
    names = _ON_OFF_FIELDS if isinstance(c, OnOff) else _pid_fields(c)
    rows = []
    for name in names:
        field = type(c).model_fields[name]
        value = getattr(c, name)
        extra = field.json_schema_extra
        title = field.title or name
        if isinstance(extra, dict) and value is not None:
            rows.append(Row(title, show(float(value), Quantity(str(extra["quantity"])), scale, exact=True)))
        elif value is None:
            rows.append(Row(title, "none"))
        else:
            rows.append(Row(title, _words(value)))
    if isinstance(c, Pid) and c.integrates and c.anti_windup == "back_calculation":
        rows.append(Row("Tracking time Tt", show(c.acting_tracking_s, Quantity.DURATION)))
    return rows


def _words(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return {"hold": "hold while limited", "back_calculation": "back-calculation"}.get(value, str(value))


_ON_OFF_FIELDS = (
    "below_K", "above_K", "shortest_on_s", "shortest_off_s", "confirm_s", "decide_every_s", "once",
)  # fmt: skip


def _pid_fields(c: Pid) -> list[str]:
    names = ["kp_per_K"]
    if c.integrates:
        names += ["ti_s"]
    if c.acting_td_s:
        names += ["td_s", "filter_n", "derivative_weight"]
    if c.integrates:
        names += ["setpoint_weight"]
    names += ["bias", "low", "high", "rate_per_s"]
    return names + (["anti_windup"] if c.integrates else [])


def other_words(project: Project, candidate: Candidate, scale: Scale) -> list[Row]:
    """The same law in the words of other devices; where no equivalent exists, the reason."""
    if isinstance(candidate.controller, OnOff):
        return _of_on_off(project, candidate.controller, scale)
    return _of_pid(candidate.controller, project.rig.probe.interval_s, scale)


def _of_on_off(project: Project, c: OnOff, scale: Scale) -> list[Row]:
    setpoint, sign = project.trials[0].plan.last_degC, 1 if project.rig.heats else -1
    on, off, width = setpoint - sign * c.below_K, setpoint + sign * c.above_K, c.below_K + c.above_K
    degrees = partial(show, quantity=Quantity.TEMPERATURE, scale=scale, exact=True)
    kelvins = partial(show, quantity=Quantity.DIFFERENCE, scale=scale, exact=True)
    return [
        Row(f"Cut-in and cut-out at setpoint {degrees(setpoint)}", f"{degrees(on)}, {degrees(off)}"),
        Row("Symmetric band", f"{degrees((on + off) / 2)} ±{kelvins(width / 2)}"),
        Row("Cut-out and differential", f"{degrees(off)}, {kelvins(width)}"),
    ]


def _of_pid(c: Pid, interval_s: float, scale: Scale) -> list[Row]:
    ti = c.ti_s if c.integrates else None
    gains = to_parallel(c.kp_per_K, ti, c.acting_td_s)
    band = to_shown(proportional_band_K(c.kp_per_K), Quantity.DIFFERENCE, scale)
    rows = [
        Row("Proportional band", f"{band:.4g} {usual_unit(Quantity.DIFFERENCE, scale)}"),
        Row("Gain in % per K", f"{100 * c.kp_per_K:.4g}"),
        Row(
            "Parallel form Kp, Ki, Kd",
            f"{gains.kp_per_K:.4g} 1/K, {gains.ki_per_Ks:.4g} 1/(K·s), {gains.kd_s_per_K:.4g} s/K",
        ),
        Row(
            f"Per sample of {show(interval_s, Quantity.DURATION)}, output 0…255",
            f"{255 * gains.kp_per_K:.4g}, {255 * gains.ki_per_Ks * interval_s:.4g}, "
            f"{255 * gains.kd_s_per_K / interval_s:.4g}",
        ),
    ]
    if ti is not None:
        try:
            series = to_series(c.kp_per_K, ti, c.acting_td_s)
            text = f"{series.kp_per_K:.4g} 1/K, {series.ti_s:.4g} s, {series.td_s:.4g} s"
        except ValueError as error:
            text = str(error)
        rows.append(Row("Series form Kp, Ti, Td", text))
    return rows
