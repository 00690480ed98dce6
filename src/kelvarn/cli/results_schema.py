"""The JSON Schema of what commands print with `--json`: one list of keys for all of them, each with one meaning.

Keys end in their unit; of a project in another quantity than temperature they end in that unit instead of degC or K.
"""

from typing import Any

from kelvarn.files.tables import own_key
from kelvarn.model.mark import MEASURES

from .common import RESULTS_FORMAT

_TEXT, _NUMBER, _TRUTH = {"type": "string"}, {"type": "number"}, {"type": "boolean"}
_MAYBE, _MAYBE_TEXT = {"type": ["number", "null"]}, {"type": ["string", "null"]}
_OBJECT: dict[str, Any] = {"$ref": "#/$defs/object"}
_OBJECTS = {"type": "array", "items": _OBJECT}
_NUMBERS = {"type": "array", "items": _NUMBER}
_TEXTS = {"type": "array", "items": _TEXT}
_OWN = {"type": "object"}
"""Of the project's own document: see docs/project.schema.json."""


def _by_name(kind: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "additionalProperties": kind}


def _or_none(kind: dict[str, Any]) -> dict[str, Any]:
    return {"anyOf": [kind, {"type": "null"}]}


_KEYS: dict[str, tuple[dict[str, Any], str]] = {
    # What every object of a command has
    "format": ({"const": RESULTS_FORMAT}, "What it is."),
    "version": (_TEXT, "Of the program."),
    "command": (_TEXT, "Which command printed it."),
    "project": (_MAYBE_TEXT, "Name of the project; null where there is none."),
    "fingerprint": (_MAYBE_TEXT, "Which state of what acts on the device it is of."),
    # Whose
    "candidate": (_TEXT, "Name of the candidate."),
    "trial": (_MAYBE_TEXT, "Name of the trial; null where there are several."),
    "trials": (_TEXTS, "Names of trials."),
    "body": (_MAYBE_TEXT, "Name of a body."),
    "event": (_MAYBE_TEXT, "Name of an event."),
    "guard": (_MAYBE_TEXT, "Name of a guard."),
    "strategy": (_TEXT, "On/off, P, PI, PID, Steps or Ramp."),
    "name": (_TEXT, "What it is called."),
    "kind": (_TEXT, "Which kind: of a model, or the terms of a rule."),
    # run
    "runs": (_OBJECTS, "A candidate's run on a trial each."),
    "measures": (_OBJECT, "What was read off a run."),
    "marks": (_OBJECTS, "Pass marks with what came of them."),
    "settings": (_OWN, "What a program needs to run the law: drives, probes, plan, guards, and the law itself."),
    "windows": (_OBJECTS, "Windows of a run: one for each setpoint change and event."),
    "main_window": (_OBJECT, "The window that cards and marks speak of."),
    "opens": (_TEXT, "What opens a window."),
    "stages": (_by_name(_OBJECT), "The stage of the plan that a measure is the worst of, by measure."),
    "reasons": (_by_name(_TEXT), "Why a measure has no value, by measure."),
    "ended": (_or_none(_OBJECT), "The guard that ended the control for good, and when."),
    "from_s": (_NUMBER, "When a window begins."),
    "to_s": (_MAYBE, "When a window ends."),
    "setpoint_degC": (_MAYBE, "The setpoint of a window or stage."),
    "hottest_degC": (_by_name(_NUMBER), "Highest temperature of each body."),
    "coldest_degC": (_by_name(_NUMBER), "Lowest temperature of each body."),
    "limit_margin_K": (_by_name(_MAYBE), "How far each body stays inside its limit; null without one."),
    "beyond_limit_s": (_by_name(_MAYBE), "How long each body is beyond its limit; null without one."),
    "measure": (_TEXT, "Key of a measure, and of what, after a colon, where it is of an event or body."),
    "direction": (_TEXT, "Whether a limit is the most or the least."),
    "limit": (_NUMBER, "Limit of a mark."),
    "value": (_MAYBE, "Value of a measure; null where there is none."),
    "met": (_TRUTH, "Whether a mark is met."),
    "reason": (_TEXT, "Why there is no value, or why a rule does not apply."),
    # step
    "from": (_TEXT, "cold or warm."),
    "drive_before": (_NUMBER, "Drive before the step, 0…1."),
    "drive": (_NUMBER, "Drive after it, 0…1."),
    "reading": (_or_none(_OBJECT), "The answer read as one lag and a dead time."),
    "dead_time_over_lag": (_MAYBE, "Dead time over lag."),
    "reach_95_s": (_MAYBE, "When 95 % of the final value is reached."),
    "difficulty": (_TEXT, "How hard it is to control, in words."),
    "bodies_start_degC": (_by_name(_NUMBER), "Temperature of each body before the step."),
    "bodies_end_degC": (_by_name(_NUMBER), "Temperature of each body at the end."),
    # tune
    "model": ({"type": ["object", "string"]}, "The plant that rules are for; of fit the kind of the model."),
    "ultimate": (_or_none(_OBJECT), "Where a P controller oscillates without end."),
    "relay_test": (_or_none(_OBJECT), "The same as a relay test tells it."),
    "rules": (_OBJECTS, "Every tuning rule's settings."),
    "rule": (_TEXT, "Name of a rule."),
    "source": (_TEXT, "Where a rule is published."),
    "applicable": (_TRUTH, "Whether a rule applies to this plant."),
    "kp_per_K": (_MAYBE, "Proportional gain, 1/K."),
    "ti_s": (_MAYBE, "Integral time."),
    "td_s": (_MAYBE, "Derivative time."),
    "gain_per_K": (_NUMBER, "Ultimate gain, 1/K."),
    "period_s": (_NUMBER, "Ultimate period."),
    "reserve": (_or_none(_OBJECT), "How far a loop is from oscillating."),
    "gain_factor": (_MAYBE, "Gain by which it may rise before it oscillates."),
    "delay_s": (_MAYBE, "Dead time that may be added before it oscillates."),
    "phase_deg": (_MAYBE, "Phase margin."),
    "ms": (_MAYBE, "Largest sensitivity."),
    # suggest, why, map
    "proposed": (_MAYBE_TEXT, "The strategy, or the action at a probe fault, that is proposed."),
    "best": (_OBJECTS, "The best of each strategy."),
    "law": (_OWN, "A controller with its settings."),
    "marks_met": ({"type": "integer"}, "How many marks are met."),
    "marks_asked": ({"type": "integer"}, "How many marks there are."),
    "missed_by": (_MAYBE, "Sum of how far marks are missed, relative to their limits; null: it never arrives."),
    "stands_a_tenth_off": (_NUMBER, "Share of marks still met with each setting a tenth off."),
    "room": (_MAYBE, "Smallest room to a limit, relative to it."),
    "binds": (_MAYBE_TEXT, "The mark that binds."),
    "variants_share": (_MAYBE, "Share of variants of the rig that meet all marks."),
    "never_met": (_TEXTS, "Marks that no strategy meets."),
    "never_met_together": ({"type": "array", "items": _TEXTS}, "Pairs of marks that none meets together."),
    "runs_computed": ({"type": "integer"}, "By how many runs it was found."),
    "parts": (_OBJECTS, "What a measure is made of."),
    "without": (_TEXT, "What was removed."),
    "part": (_MAYBE, "By how much the measure is less without it."),
    "together": (_NUMBER, "What no single part explains."),
    "remedies": (_OBJECTS, "What would help."),
    "change": (_TEXT, "A remedy in words."),
    "of": (_MAYBE_TEXT, "Of what: rig or control; of a mark the event, body or stage."),
    "x": (_OBJECT, "Across: a setting and its points."),
    "y": (_OBJECT, "Up: a setting and its points."),
    "setting": (_TEXT, "Which setting of the law."),
    "points": (_NUMBERS, "Its values on the map."),
    "grid": ({"type": "array", "items": {"type": "array", "items": _MAYBE}}, "The measure, a row for each y."),
    "met_grid": ({"type": "array", "items": {"type": "array", "items": _TRUTH}}, "Whether all marks are met there."),
    # failures
    "verdict": (_TEXT, "What it comes to, in words."),
    "bodies_with_limits": (_TEXTS, "Bodies whose limits are known."),
    "moments": (_by_name(_NUMBER), "When failures were tried, s, by what is then."),
    "failures": (_OBJECTS, "Every single failure."),
    "failure": (_TEXT, "A failure in words."),
    "worst": (_OBJECT, "Its worst outcome."),
    "outcomes": (_OBJECTS, "Its outcome at every moment."),
    "moment": (_TEXT, "When it was tried, in words."),
    "at_s": (_NUMBER, "When."),
    "fault": (_MAYBE_TEXT, "Why it could not be computed."),
    "extreme_degC": (_MAYBE, "Highest or lowest temperature of the body that suffers most."),
    "end_degC": (_MAYBE, "Where that body ends."),
    "rests": (_TRUTH, "Whether every body rests at the end."),
    "followed_s": (_NUMBER, "How long it was followed."),
    "tends_degC": (_MAYBE, "Where it tends, of a row that is cut short."),
    "limit_passed_later": ({"type": ["boolean", "string", "null"]}, "Whether it tends beyond a limit."),
    "margin_K": (_MAYBE, "Distance to the limit that is nearest; below 0 beyond it."),
    "limit_passed": (_MAYBE_TEXT, "Body whose limit is passed."),
    "limit_passed_s": (_MAYBE, "How long after the failure."),
    "goal_lost_s": (_MAYBE, "When the goal is lost, after the failure."),
    "goal_kept_at_end": ({"type": ["boolean", "null"]}, "Whether the goal is kept at the end."),
    "guard_s": (_MAYBE, "When that guard acts, after the failure."),
    "acts_but_stops_nothing": (_MAYBE_TEXT, "A guard that acts in vain."),
    "probe_fault": (_OBJECT, "What to do when a probe fails."),
    "actions": (_OBJECTS, "Actions at a probe fault."),
    "action": (_TEXT, "One of them."),
    "off_goal_K": (_MAYBE, "How far it then is off the goal."),
    "why": (_TEXT, "Why, in words."),
    # prove
    "numbers": ({"enum": [64, 32]}, "Bits of the program's numbers."),
    "decisions": ({"type": "integer"}, "Decisions that were compared."),
    "differing": ({"type": "integer"}, "How many of them differ."),
    "checks": (_OBJECTS, "What the program was put through."),
    "put_through": (_TEXT, "That, in words."),
    "figure": (_TEXT, "Which figure of a decision."),
    "left_because": (_MAYBE_TEXT, "Why a check was not done; null where it was."),
    "first": (_or_none(_OBJECT), "The first decision that differs."),
    "largest": (_NUMBER, "By how much a number of the program is off at most."),
    "sample": ({"type": "integer"}, "Which sample of the check that is."),
    "row": (_NUMBERS, "What the board read then: clock, probes, other inputs."),
    "engine": (_NUMBER, "What the engine decides."),
    "program": (_NUMBER, "What the program decides."),
    "not_reached": (_TEXTS, "Lines of control.c that nothing reached."),
    "lines": ({"type": "integer"}, "Lines of control.c."),
    # vary
    "count": ({"type": "integer"}, "How many variants."),
    "failed": ({"type": "integer"}, "How many could not be run."),
    "share": (_NUMBER, "Share of variants that meet a mark."),
    "share_95": (_NUMBERS, "95 % interval of that."),
    "share_all": (_MAYBE, "Share that meets all marks."),
    "share_all_95": (_NUMBERS, "95 % interval of that."),
    "met_by_rig": (_TRUTH, "Whether the rig itself meets it."),
    "matters": (_OBJECTS, "Which parameters matter."),
    "parameter": (_TEXT, "Path of a parameter in the rig."),
    "text": (_TEXT, "The same in words."),
    "rank_correlation": (_NUMBER, "Spearman's rank correlation with the measure."),
    "index": (_NUMBER, "Share of the spread that it explains."),
    "worse": (_TEXT, "Which way makes it worse."),
    "envelope": (_OBJECT, "Percentiles of the temperature over time."),
    "time_s": (_NUMBERS, "Instants."),
    "p5_degC": (_NUMBERS, "5th percentile."),
    "p50_degC": (_NUMBERS, "Median."),
    "p95_degC": (_NUMBERS, "95th percentile."),
    "worst_variant": (_or_none(_OBJECT), "The variant that misses most."),
    "number": ({"type": "integer"}, "Which variant, from 1."),
    "parameters": (_by_name(_NUMBER), "Its values, by path in the rig."),
    # read, fit, compare
    "shape": (_TEXT, "How the rows of a log are laid out."),
    "delimiter": (_TEXT, "What stands between fields."),
    "decimal": (_TEXT, "Decimal point or comma."),
    "encoding": (_TEXT, "Of the text."),
    "first_row": ({"type": "integer"}, "The first line of values, from 0."),
    "columns": (_OBJECTS, "What each column is taken for."),
    "role": (_TEXT, "What a column is."),
    "form": (_MAYBE_TEXT, "How its values are written."),
    "doubts": (_OBJECTS, "What should be looked at."),
    "column": ({"type": ["integer", "null"]}, "Which column, from 1."),
    "choices": (_TEXTS, "What else it may be."),
    "error": (_TEXT, "Why it cannot be read."),
    "rows": ({"type": "integer"}, "How many rows there are."),
    "duration_s": (_NUMBER, "From the first to the last."),
    "interval_s": (_NUMBER, "Usual time between rows."),
    "lowest_degC": (_NUMBER, "Lowest temperature."),
    "highest_degC": (_NUMBER, "Highest temperature."),
    "rows_that_need_care": (_by_name({"type": "integer"}), "How many, by why."),
    "rows_skipped": ({"type": "integer"}, "How many do not count."),
    "gain_K": (_MAYBE, "Gain, K at full drive."),
    "lag_s": (_MAYBE, "Time constant."),
    "lag2_s": (_MAYBE, "Second time constant."),
    "rise_K_per_s": (_MAYBE, "Rise at full drive, of what integrates."),
    "dead_time_s": (_MAYBE, "Dead time."),
    "rest_degC": (_NUMBER, "Temperature without drive."),
    "ci95": (_by_name(_NUMBERS), "95 % intervals, by value."),
    "rms_K": (_NUMBER, "Root mean square of the residual."),
    "worst_K": (_NUMBER, "Largest residual."),
    "explained": (_NUMBER, "Share of the variance explained."),
    "autocorrelation": (_NUMBER, "Of the residual, from row to row."),
    "aic": (_NUMBER, "Akaike's criterion."),
    "seen": (_MAYBE, "Share of the final value that was seen."),
    "prefers": (_TEXT, "The kind that the criterion prefers."),
    "others": (_by_name(_OBJECT), "The other kinds of model."),
    "two_points": (_or_none(_OBJECT), "The quick two-point reading."),
    "validation": (_OBJECTS, "How it fits logs that it was not fitted to."),
    "log": (_TEXT, "Name of a log."),
    "warnings": (_TEXTS, "What to know before it is believed."),
    "values": (_by_name(_NUMBER), "Fitted values of the rig, in base units."),
    "told": (_by_name(_NUMBER), "How well the log tells them, 0…1."),
    "alike": ({"type": "array", "items": _TEXTS}, "Pairs that act alike in this log."),
    "changes": (_OBJECTS, "What has changed."),
    "what": (_TEXT, "What changed."),
    "size": (_NUMBER, "By how much."),
    "size_95": (_NUMBERS, "95 % interval of that."),
    "instead": (_TEXTS, "What else it could be."),
    "expected_rms_K": (_NUMBER, "How far the rig as it was misses the log."),
    "explained_rms_K": (_NUMBER, "How far it misses with the changes."),
    "controller": (_or_none(_OBJECT), "Whose settings the log fits."),
    "apart": (_NUMBER, "How far the drive is from what that law would give."),
    "same": ({"type": ["boolean", "null"]}, "Whether the settings are those."),
    "expected_energy_J": (_MAYBE, "Energy that the rig as it was would have taken."),
}


def results_schema(unit: str = "") -> dict[str, Any]:
    """The schema; `unit` is that of another quantity than temperature, as keys have it, such as "pct_RH"."""
    keys = {**{key: (_MAYBE, kind.text) for key, kind in MEASURES.items()}, **_KEYS}
    properties = {
        own_key(key, unit) if unit else key: {**kind, "description": text} for key, (kind, text) in keys.items()
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "What kelvarn's commands print with --json",
        "allOf": [{"$ref": "#/$defs/object"}, {"required": ["format", "version", "command", "project", "fingerprint"]}],
        "$defs": {"object": {"type": "object", "properties": properties, "additionalProperties": False}},
    }
