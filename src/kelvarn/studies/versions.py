"""What comes of two versions of a project: the measures of candidates and trials that both have, where they differ."""

from typing import NamedTuple

from kelvarn.engine.prepare import RunError
from kelvarn.model.mark import MEASURES
from kelvarn.model.project import Project
from kelvarn.units import Scale, show

from .results import result_of


class ResultDiffers(NamedTuple):
    """A measure that differs, as text of the one version and of the other."""

    candidate: str
    trial: str
    measure: str
    one: str
    other: str


def results_that_differ(one: Project, other: Project) -> list[ResultDiffers]:
    """Run what both have, and say what differs; a run that cannot be computed says why in place of its measures."""
    laws, trials = ({each.name for each in getattr(other, field)} for field in ("candidates", "trials"))
    scale = one.scale or Scale.CELSIUS
    found = []
    for candidate in (each.name for each in one.candidates if each.name in laws):
        for trial in (each.name for each in one.trials if each.name in trials):
            values = [_measured(project, candidate, trial, scale) for project in (one, other)]
            for title in dict.fromkeys((*values[0], *values[1])):
                texts = [of.get(title, "none") for of in values]
                if texts[0] != texts[1]:
                    found.append(ResultDiffers(candidate, trial, title, *texts))
    return found


def _measured(project: Project, candidate: str, trial: str, scale: Scale) -> dict[str, str]:
    try:
        measures = result_of(project.rig, project.candidate(candidate).controller, project.trial(trial)).measures
    except RunError as error:
        return {"Run": str(error)}
    values = measures.main.values | measures.values
    return {
        kind.title: "none" if (value := values.get(key)) is None else show(value, kind.quantity, scale)
        for key, kind in MEASURES.items()
    } | {"Run": "computed"}
