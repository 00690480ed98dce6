"""What variants gave, in words: the same for command line and report."""

from kelvarn.model.tolerances import Parameter
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, Scale, counted, show

from .variants import Influence, Variants

_MOST = 3


def variant_lines(found: Variants, scale: Scale = Scale.CELSIUS) -> list[str]:
    """A line for each mark, for what matters most and for the variant that misses most."""
    if not found.marks:
        lines: list[str] = [say("{number} variants; the trial has no marks to judge them by.", number=found.count)]
    else:
        low, high = found.sure(found.share_of_all)
        given = say("the rig as given meets {met} of {marks} marks", met=sum(found.nominal_met),
                    marks=len(found.marks))  # fmt: skip
        lines = [
            say(
                "{of_all} {rigs}, every value moved within its tolerance, meet all marks "
                "({low} to {high} with 95 % certainty); {given}.",
                of_all=_of_all(found),
                rigs=counted(found.count, "rig"),
                low=_percent(low),
                high=_percent(high),
                given=given,
            )
        ]
    for mark, share in zip(found.marks, found.shares, strict=True):
        low, high = found.sure(share)
        sure = say("{low} to {high}", low=_percent(low), high=_percent(high))
        lines.append(f"  {100 * share:3.0f} %  {mark.title} {mark.limit_text(scale, short=True)}  ({sure})")
    lines += [f"  {influence_text(each)}" for each in found.hurts_most()[:_MOST]]
    if found.worst is not None:
        worst = sorted(
            zip(found.parameters, found.places[found.worst], strict=True), key=lambda each: -abs(float(each[1]))
        )  # fmt: skip
        said = ", ".join(f"{each.text} {moved_text(each, float(place), scale)}" for each, place in worst[:_MOST])
        lines.append(
            say("  The variant that misses its marks most, no. {worst}: {said}", worst=found.worst + 1, said=said)
        )
    if found.failed:
        lines.append(say("  {failed} could not be run: {fault}", failed=found.failed, fault=found.fault))
    return lines


def influence_text(each: Influence) -> str:
    """For which mark a parameter matters, how much, and on which side it is worse."""
    said = f"rank correlation {each.correlation:+.2f}".replace("-", "−")
    if each.both_sides:
        said = say("index {index}", index=figures(f"{each.index:.2f}", ""))
    return say("{mark} depends on {parameter} ({said}: {worse})", mark=each.mark.title, parameter=each.parameter.text,
               said=said, worse=each.worse)  # fmt: skip


def _of_all(found: Variants) -> str:
    share = found.share_of_all
    return (
        "None of"
        if share == 0
        else "All of"
        if share == 1
        else say("{percent} % of", percent=figures(f"{100 * share:.3g}", ""))
    )


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %".replace(".0 %", " %")


def moved_text(parameter: Parameter, place: float, scale: Scale) -> str:
    """How far a parameter is off at a place within its tolerance."""
    if parameter.in_kelvins:
        return show(parameter.size * place, Quantity.DIFFERENCE, scale, sign=True)
    return f"{100 * parameter.size * place:+.0f} %".replace("-", "−")
