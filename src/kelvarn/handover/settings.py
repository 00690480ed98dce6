"""The settings of a candidate, in the words of several devices, and as JSON."""

import hashlib
import json
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from kelvarn.model.bought import Bought
from kelvarn.model.candidate import Candidate
from kelvarn.model.fields import empty_word, title_of, words_of
from kelvarn.model.gains import Parallel, to_parallel
from kelvarn.model.guards import RuleBase
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show


@dataclass(frozen=True)
class SheetRow:
    """A line of the sheet: what, and its value with unit; `field` where it is one of the model."""

    what: str
    value: str
    field: str = ""


def fingerprint(project: Project, candidate: Candidate | None = None) -> str:
    """Eight hex digits that tell which state a sheet belongs to: of what acts on the device, and nothing else.

    Args:
        project: its rig with guards and permits, and its trials; not notes, ticks, lanes, logs or what is set aside.
        candidate: whose law; None for those of all.
    """
    laws = [each.controller for each in ([candidate] if candidate is not None else project.candidates)]
    acts = {
        "rig": project.rig.model_dump(mode="json", exclude={"set_aside"}),
        "laws": [law.model_dump(mode="json", exclude=set(law.idle)) for law in laws],
        "trials": [trial.model_dump(mode="json", exclude={"notes"}) for trial in project.trials],
    }
    digest = hashlib.sha256(json.dumps(acts, sort_keys=True).encode()).hexdigest()
    return f"{digest[:4]}-{digest[4:8]}"


_OF_NO_ACCOUNT: dict[str, Any] = {
    "checked": (), "handed_over": (), "proofs": (), "notes": "", "ideas": "", "logs": (), "fits": (), "kept": (),
    "lanes": ("temperature",), "bought": Bought(),
}  # fmt: skip
"""Fields of a project that no program and no result depends on."""


def acting(project: Project) -> Project:
    """A project without what acts on nothing: an edit of that makes nothing old."""
    return project.model_copy(update=_OF_NO_ACCOUNT)


def settings_json(project: Project, candidate: Candidate, trial: Trial) -> dict[str, Any]:
    """What a program needs to run the candidate's law on a trial; keys carry units."""
    controller = candidate.controller
    made: dict[str, Any] = {
        "project": project.name,
        "fingerprint": fingerprint(project, candidate),
        "candidate": candidate.name,
        "strategy": candidate.strategy,
        "sample_interval_s": project.rig.probe.interval_s,
        "setpoint_degC": working_setpoint(project, trial),
        "drives": [each.model_dump(mode="json") for each in project.rig.drives],
        "probes": [each.model_dump(mode="json") for each in project.rig.probes],
        "settings": controller.model_dump(mode="json", exclude=set(controller.idle)),
        "plan": trial.plan.model_dump(mode="json"),
        "guards": [each.model_dump(mode="json") for each in project.rig.guards],
        "permits": [each.model_dump(mode="json") for each in project.rig.permits],
    }
    acting = _ACTING.get(type(controller))
    if acting is not None:
        made["acting"] = acting(controller)
    return made


def working_setpoint(project: Project, trial: Trial) -> float:
    """The setpoint that the drives are for, degC: of a plan's that which is furthest their way, not a cool-down."""
    sign = project.rig.way.sign
    return max((change.to_degC for change in trial.course), key=lambda degC: sign * degC)


def settings_text(project: Project, candidate: Candidate, trial: Trial) -> str:
    """`settings_json` as text."""
    return json.dumps(settings_json(project, candidate, trial), indent=2, ensure_ascii=False) + "\n"


def settings_rows(candidate: Candidate, scale: Scale, *, cools: bool = False) -> list[SheetRow]:
    """The settings as people write them down, for a rig that only cools or another; of P and PI those that act."""
    c = candidate.controller
    rows = []
    for row in field_rows(c, scale, leave_out=c.idle, cools=cools):
        acting = getattr(c, f"acting_{row.field}", None)  # what an empty field stands for
        empty = acting is not None and getattr(c, row.field) is None
        rows.append(SheetRow(row.what, show(acting, Quantity.DURATION)) if empty else row)
    return rows


def kind_of_rule(rule: RuleBase, scale: Scale) -> str:
    """The kind of a guard or permit, in words that fit what is controlled."""
    return rule.what.removeprefix("over-temperature ").removeprefix("independent thermal ") if scale.own else rule.what


def field_rows(
    part: BaseModel, scale: Scale, leave_out: Collection[str] = (), *, cools: bool = False
) -> list[SheetRow]:  # fmt: skip
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
        title = title_of(field, name, cools=cools)
        if value is None:
            rows.append(SheetRow(title, empty_word(field), name))
        elif isinstance(extra, dict) and "quantity" in extra:
            rows.append(SheetRow(title, show(float(value), Quantity(str(extra["quantity"])), scale, exact=True), name))
        else:
            shown = {True: "yes", False: "no"}[value] if isinstance(value, bool) else words_of(field, value)
            rows.append(SheetRow(title, shown, name))
    return rows


def parallel(c: Pid) -> Parallel:
    """Its gains in the parallel form."""
    return to_parallel(c.kp_per_K, c.ti_s if c.integrates else None, c.acting_td_s)


def _acting_of_pid(c: Pid) -> dict[str, float | None]:
    """What acts, in the parallel form too."""
    gains = parallel(c)
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
