"""What the lists of Control show: starting points by rules, and the simplest strategy that does."""

from collections.abc import Sequence

from kelvarn.desktop.language import tell
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import current_go_on
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, joined, say
from kelvarn.tune.process import FirstOrder, Plant, PlantError
from kelvarn.tune.relay_test import relay_test
from kelvarn.tune.simplest import Best, conclusion, missed_text, suggest
from kelvarn.tune.starts import TriedStart, plant_of_project, try_all, ultimate_of_rig
from kelvarn.tune.ultimate import Ultimate
from kelvarn.units import Quantity, Scale, minutes, show, three_figures
from kelvarn.words.laws import law_text

from .result_list import Column, ListContent, ListRow

START_COLUMNS = (
    Column(say("rule"), 325), Column(say("terms"), 66), Column(say("settings"), 290), Column(say("over"), 70),
    Column(say("settles"), 76), Column(say("marks"), 70),
)  # fmt: skip
SIMPLEST_COLUMNS = (
    Column(say("strategy"), 84), Column(say("settings"), 330), Column(say("marks"), 60),
    Column(say("binds, or is missed most"), 300), Column(say("reserve"), 150),
)  # fmt: skip


def starting_points(project: Project, trial: Trial, scale: Scale) -> ListContent:
    """Every rule's settings with how each does on a trial. For another thread."""
    try:
        plant = plant_of_project(project, trial)
        tried = try_all(project, trial, plant)
    except (RunError, PlantError) as error:
        return ListContent(str(error))
    said = f"{_plant_text(plant, scale)} {_rings_text(project, trial, plant, scale)}"
    said += tell("Each was run on this trial; a click makes a candidate.")
    return ListContent(
        said, tuple(ListRow(_rule_cells(each, scale), each.candidate, each.start.source) for each in tried)
    )


def simplest(project: Project, trials: Sequence[Trial], scale: Scale, variants: int = 0) -> ListContent:
    """Every strategy at its best for the marks of trials, and on variants where asked for. For another thread."""
    try:
        found = suggest(project, trials, current_go_on() or (lambda _: True), variants)
    except PlantError as error:
        return ListContent(str(error))
    also = tell(", and 95 % of {variants} variants,", variants=variants) if variants else ""
    rows = tuple(_best_row(each, proposed=each is found.proposed, scale=scale) for each in found.best)
    end = tell("{conclusion} A click makes a candidate.", conclusion=conclusion(found, scale))
    of = f"“{trials[0].name}”" if len(trials) == 1 else tell("all trials")
    return ListContent(
        tell(
            "Each strategy at its best for the marks of {of}{also} by {runs} runs. {end}",
            of=of,
            also=also,
            runs=found.runs,
            end=end,
        ),
        rows,
    )


def _best_row(each: Best, *, proposed: bool, scale: Scale) -> ListRow:
    name = tell("{strategy}, best for the marks", strategy=each.strategy)
    cells = (
        f"{each.strategy} ★" if proposed else each.strategy,
        law_text(each.controller, scale),
        tell("{met} of {asked}", met=each.met, asked=each.asked),
        _binds(each),
        _spare(each),
    )
    return ListRow(cells, Candidate(name=name, controller=each.controller))


def _binds(each: Best) -> str:
    """The mark with the least room, or what is missed most and by how much."""
    if each.binds is None:
        return ""
    missed = missed_text(each).removesuffix(" of the limit")
    return joined(": ", (each.binds.mark.title, missed)) if missed else each.binds.mark.title


def _spare(each: Best) -> str:
    """Its reserve, and the share of variants that do as well where that is known."""
    said = "–" if each.gain_factor is None else tell("gain ×{factor}", factor=three_figures(each.gain_factor))
    return (
        said
        if each.share is None or each.met < each.asked
        else tell("{said}, {percent} % of variants", said=said, percent=figures(f"{100 * each.share:.0f}", ""))
    )


def _plant_text(plant: Plant, scale: Scale) -> str:
    delay = show(plant.dead_time_s, Quantity.DURATION)
    if isinstance(plant, FirstOrder):
        gain = show(plant.gain_K, Quantity.DIFFERENCE, scale)
        return tell("Read off the open-loop step: gain {gain}, lag {lag}, dead time {delay}.", gain=gain,
                    lag=show(plant.lag_s, Quantity.DURATION), delay=delay)  # fmt: skip
    return tell("Read off the open-loop step: rises {rise}, dead time {delay}.",
                rise=show(plant.rise_K_per_s, Quantity.RAMP, scale), delay=delay)  # fmt: skip


def _rings_text(project: Project, trial: Trial, plant: Plant, scale: Scale) -> str:
    """The ultimate point of the rig, worked out and by a relay test."""
    parts = []
    exact = ultimate_of_rig(project.rig, trial)
    if exact is not None:
        parts.append(tell("oscillates at {point}", point=_point_text(exact, scale)))
    try:
        told = relay_test(project.rig, trial.plan.last_degC, plant).found
    except (PlantError, RunError) as error:
        said = str(error).rstrip(".")
        parts.append(f"{said[:1].lower()}{said[1:]}")
    else:
        parts.append(tell("a relay test tells {point}", point=_point_text(told, scale)))
    said = "; ".join(parts)
    return f"{said[0].upper()}{said[1:]}. "


def _point_text(at: Ultimate, scale: Scale) -> str:
    gain, period = show(at.gain_per_K, Quantity.GAIN, scale), show(at.period_s, Quantity.DURATION)
    return tell("a gain of {gain}, period {period}", gain=gain, period=period)


def _rule_cells(tried: TriedStart, scale: Scale) -> tuple[str, ...]:
    start, made = tried.start, tried.candidate
    if tried.result is None or made is None:
        return start.rule, start.strategy, tell("not applicable: {reason}", reason=tried.reason)
    values = tried.result.measures.main.values
    over, settled = values.get("overshoot_K"), values.get("settling_s")
    return (
        start.rule, start.strategy, law_text(made.controller, scale),
        "–" if over is None else show(over, Quantity.DIFFERENCE, scale),
        "never" if settled is None else minutes(settled),
        tell("{met} of {marks}", met=tried.result.met, marks=len(tried.result.verdicts)),
    )  # fmt: skip
