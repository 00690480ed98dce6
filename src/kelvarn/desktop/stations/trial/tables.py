"""What the tables of the foot show."""

from kelvarn.desktop.lanes.scene import CandidateEntry
from kelvarn.desktop.language import tell
from kelvarn.desktop.stations.station import Phrase
from kelvarn.engine.marks import Verdict
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import joined, say
from kelvarn.studies import failure_words
from kelvarn.studies.all_trials import Met
from kelvarn.studies.failure_words import action_line, cells, moments_line, passed_text
from kelvarn.studies.failures import FailureTable, action_words
from kelvarn.studies.results import Result
from kelvarn.studies.stopping import Stopping
from kelvarn.units import Scale, counted, show

from .foot import Cell, Content

_ALWAYS = ("ready_s", "energy_J", "mean_drive", "switch_ons_per_h", "trips", "alarms")
"""Measures of the whole run that stand beside the marks."""


def side_by_side(
    trial: Trial, shown: list[CandidateEntry], selected: str, share: dict[str, float], scale: Scale
) -> Content:
    """Candidates against the marks of a trial and a few measures besides; the best of each is bold."""
    marks = trial.marks
    asked = {mark.measure for mark in marks}
    also = [Mark(measure=name, limit=0) for name in _ALWAYS if name not in asked]
    headings = (
        say("candidate"),
        *(mark.title for mark in marks),
        *(say(MEASURES[mark.measure].title) for mark in also),
    )
    rows = []
    for entry in shown:
        name = f"{entry.candidate.name} ★" if entry.chosen else entry.candidate.name
        cells_of = [Cell(name, bold=True)]
        if entry.result is None:
            cells_of += [Cell("…", "muted")] * (len(marks) + len(also))
        else:
            cells_of += [_verdict(verdict, scale) for verdict in entry.result.verdicts]
            cells_of += [_plain(entry.result, mark, scale) for mark in also]
        if share:
            passing = share.get(entry.candidate.name)
            cells_of.append(Cell("–" if passing is None else f"{100 * passing:.0f} %"))
        rows.append(tuple(cells_of))
    if share:
        headings = (*headings, say("variants that pass"))
    marked = next((k for k, entry in enumerate(shown) if entry.candidate.name == selected), -1)
    return Content(headings, _best_marked(rows, shown, len(marks)), marked)


def _verdict(verdict: Verdict, scale: Scale) -> Cell:
    """What a mark's measure is, and whether the mark is met, by more than colour."""
    text = say("none") if verdict.value is None else show(verdict.value, verdict.mark.kind.quantity, scale)
    if verdict.value is None and verdict.mark.measure in ("settling_s", "recovery_s"):
        text = say("never")
    limit = verdict.mark.limit_text(scale)
    tip = tell("{mark}: asked {limit}. {why}", mark=verdict.mark.title, limit=limit, why=verdict.reason).strip()
    return Cell(text, tip=tip) if verdict.met else Cell(say("{value} ✕", value=text), "ember", bold=True, tip=tip)


def _plain(result: Result, mark: Mark, scale: Scale) -> Cell:
    value = result.measures.values.get(mark.measure)
    if value is None:
        return Cell("–", "muted", tip=result.measures.reasons.get(mark.measure, ""))
    return Cell(show(value, mark.kind.quantity, scale))


def _best_marked(rows: list[tuple[Cell, ...]], shown: list[CandidateEntry], marks: int) -> tuple[tuple[Cell, ...], ...]:
    """The best figure of each mark in bold with a dot, where several candidates differ in it."""
    best: dict[int, int] = {}
    for column in range(marks):
        values = {
            place: verdict.value
            for place, entry in enumerate(shown)
            if entry.result is not None and (verdict := entry.result.verdicts[column]).met and verdict.value is not None
        }
        if len(values) > 1 and len(set(values.values())) > 1:
            entry = next(entry for entry in shown if entry.result is not None)
            assert entry.result is not None
            more = entry.result.verdicts[column].mark.direction == "at_least"
            best[column + 1] = (max if more else min)(values, key=lambda place: abs(values[place]))
    return tuple(
        tuple(
            cell._replace(text=say("{value} ·", value=cell.text), bold=True, color="moss")
            if best.get(column) == place
            else cell
            for column, cell in enumerate(row)
        )
        for place, row in enumerate(rows)
    )


def all_trials(project: Project, met: dict[tuple[str, str], Met | str], selected: str) -> Content:
    """Candidates against trials: marks met."""
    headings = (say("candidate"), *(trial.name for trial in project.trials))
    rows = []
    for candidate in project.candidates:
        name = f"{candidate.name} ★" if candidate.name == project.chosen else candidate.name
        row = [Cell(name, bold=True)]
        for trial in project.trials:
            known = met.get((candidate.name, trial.name))
            if known is None:
                row.append(Cell("…", "muted"))
            elif isinstance(known, str):
                row.append(Cell(say("cannot be run"), "ember", tip=known))
            elif not known.asked:
                row.append(Cell(say("no marks"), "muted"))
            else:
                whole = known.met == known.asked
                text = say("{met} of {asked} ✓" if whole else "{met} of {asked} ✕", met=known.met, asked=known.asked)
                row.append(Cell(text, "moss" if whole else "ember", bold=not whole))
        rows.append(tuple(row))
    marked = next((k for k, each in enumerate(project.candidates) if each.name == selected), -1)
    return Content(headings, tuple(rows), marked)


def failures(table: FailureTable, selected: str, scale: Scale) -> Content:
    """The failure table; rows that pass a limit are alarming."""
    rows = []
    for row in table.rows:
        worst = row.worst
        texts = cells(worst, scale)
        moments = joined("\n", (joined("", (each.moment, ": ", each.ends(scale), ", ", passed_text(each)))
                                for each in row.outcomes))  # fmt: skip
        first = Cell(joined(" ", ("✕" if worst.harmful else "✓", texts[0])), bold=True, tip=moments)
        rest = [
            Cell(text, "ember" if worst.harmful and column in (2, 4) else "ink", bold=worst.harmful and column == 2)
            for column, text in enumerate(texts[1:])
        ]
        rows.append((first, *rest))
    alarming = frozenset(k for k, row in enumerate(table.rows) if row.worst.harmful)
    marked = next((k for k, row in enumerate(table.rows) if row.failure.text == selected), -1)
    return Content(failure_words.headings(scale), tuple(rows), marked, alarming)


def failures_phrase(table: FailureTable) -> Phrase:
    """A failure table in a few words."""
    if table.passed:
        return Phrase(tell("{failures} past a limit", failures=counted(table.passed, "failure")), "look")
    if not table.limited:
        return Phrase(tell("no limit known"), "look")
    return Phrase(tell("no failure tried passes a known limit"), "fine")


def failure_offers(
    table: FailureTable, offer: Stopping | None, action: str | None, scale: Scale
) -> tuple[str, str, str, str]:
    """What is said of a failure table, the guard that would help, the action at a probe fault, and its reasons."""
    guard = ""
    if offer is not None:
        guard = tell(
            "+ {guard}: stops {stopped} of {failures}",
            guard=offer.guard.text(scale),
            stopped=offer.of - offer.left,
            failures=offer.of,
        )
    said = joined(" ", (joined("", (table.verdict(scale), ".")), action_line(table, scale), moments_line(table)))
    if action is None:
        return said, guard, "", ""
    tip = tell("{action}\nNo row of the table gets worse with it. Click to have it so.",
               action=action_line(table, scale))  # fmt: skip
    return said, guard, tell("at a probe fault: {action}", action=action_words(action)), tip
