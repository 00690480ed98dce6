"""The sheet that goes with the machine: one HTML page, complete in itself, made to be printed."""

from dataclasses import dataclass
from datetime import date

from jinja2 import Environment, PackageLoader

from kelvarn import __version__
from kelvarn.engine.results import Result
from kelvarn.model.mark import MEASURES
from kelvarn.model.project import Project
from kelvarn.units import Quantity, Scale, show

from .settings import Row, fingerprint, other_words, settings_rows

_PAGE = Environment(loader=PackageLoader("kelvarn", "handover"), autoescape=True, trim_blocks=True)

_SHOWN = (
    "overshoot_K", "rise_s", "settling_s", "steady_error_K", "swing_K", "swing_period_s",
    "energy_J", "mean_drive", "time_at_limit_s", "switch_ons_per_h", "shortest_on_s", "shortest_off_s",
)  # fmt: skip


@dataclass(frozen=True)
class Judged:
    """A mark on the sheet."""

    what: str
    asked: str
    got: str
    met: bool


def sheet_html(project: Project, candidate_name: str, results: dict[str, Result], scale: Scale, day: date) -> str:
    """The sheet of a candidate.

    Args:
        project, candidate_name: what is handed over.
        results: its result on each trial, by the trial's name.
        scale: how temperatures are shown.
        day: date on the sheet.
    """
    candidate = project.candidate(candidate_name)
    rig = project.rig
    trials = []
    for name, result in results.items():
        trial = project.trial(name)
        values = {**result.measures.first.values, **result.measures.values}
        reasons = {**result.measures.first.reasons, **result.measures.reasons}
        trials.append(
            {
                "name": name,
                "setpoint": show(trial.plan.changes[0].to_degC, Quantity.TEMPERATURE, scale),
                "marks": [
                    Judged(
                        v.mark.title,
                        v.mark.limit_text(scale),
                        v.reason if v.value is None else show(v.value, v.mark.kind.quantity, scale),
                        v.met,
                    )
                    for v in result.verdicts
                ],
                "measures": [
                    Row(
                        MEASURES[key].title,
                        _measure_text(values[key], reasons.get(key), MEASURES[key].quantity, scale),
                    )
                    for key in _SHOWN
                ],
                "hottest": [
                    Row(body, show(value, Quantity.TEMPERATURE, scale))
                    for body, value in result.measures.hottest_degC.items()
                ],
            }
        )
    return _PAGE.get_template("sheet.html.jinja").render(
        project=project,
        candidate=candidate,
        settings=settings_rows(candidate, scale),
        other_words=other_words(candidate, rig.probe.interval_s, scale),
        rig_rows=_rig_rows(project, scale),
        trials=trials,
        fingerprint=fingerprint(project),
        day=day.isoformat(),
        version=__version__,
    )


def _measure_text(value: float | None, reason: str | None, quantity: Quantity, scale: Scale) -> str:
    return f"– ({reason})" if value is None else show(value, quantity, scale)


def _rig_rows(project: Project, scale: Scale) -> list[Row]:
    rig = project.rig
    rows = [
        Row("Drive", f"{rig.drive.name}: {_drive_words(rig.drive.kind)}, {rig.drive.acts} {rig.drive.body}"),
        Row("Full power", show(rig.drive.power_W, Quantity.POWER)),
        Row("Dead time", show(rig.drive.dead_time_s, Quantity.DURATION)),
        Row("Probe", f"{rig.probe.name} in {rig.probe.body}"),
        Row("Read and decided every", show(rig.probe.interval_s, Quantity.DURATION)),
        Row("Surroundings", show(rig.surroundings.temperature_degC, Quantity.TEMPERATURE, scale)),
    ]
    if rig.drive.kind == "slow_window":
        rows.insert(1, Row("Window", show(rig.drive.window_s, Quantity.DURATION)))
    rows += [
        Row(f"Limit of {body.name}", show(body.limit_degC, Quantity.TEMPERATURE, scale))
        for body in rig.bodies
        if body.limit_degC is not None
    ]
    return rows


def _drive_words(kind: str) -> str:
    return {"relay": "relay", "slow_window": "slow window (solid-state relay)", "pwm": "PWM"}[kind]
