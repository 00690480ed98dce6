"""What variants gave, in words: the same for command line and report."""

from kelvarn.model.tolerances import Parameter
from kelvarn.units import Quantity, Scale, counted, show

from .variants import Influence, Variants

_MOST = 3


def variant_lines(found: Variants, scale: Scale = Scale.CELSIUS) -> list[str]:
    """A line for each mark, for what matters most and for the variant that misses most."""
    if not found.marks:
        lines = [f"{found.count} variants; the trial has no marks to judge them by."]
    else:
        low, high = found.sure(found.share_of_all)
        given = f"the rig as given meets {sum(found.nominal_met)} of {len(found.marks)} marks"
        lines = [
            f"{_of_all(found)} {counted(found.count, 'rig')}, every value moved within its tolerance, meet all marks "
            f"({_percent(low)} to {_percent(high)} with 95 % certainty); {given}."
        ]
    for mark, share in zip(found.marks, found.shares, strict=True):
        low, high = found.sure(share)
        sure = f"{_percent(low)} to {_percent(high)}"
        lines.append(f"  {100 * share:3.0f} %  {mark.title} {mark.limit_text(scale, short=True)}  ({sure})")
    lines += [f"  {influence_text(each)}" for each in found.hurts_most()[:_MOST]]
    if found.worst is not None:
        worst = sorted(
            zip(found.parameters, found.places[found.worst], strict=True), key=lambda each: -abs(float(each[1]))
        )  # fmt: skip
        said = ", ".join(f"{each.text} {moved_text(each, float(place), scale)}" for each, place in worst[:_MOST])
        lines.append(f"  The variant that misses its marks most, no. {found.worst + 1}: {said}")
    if found.failed:
        lines.append(f"  {found.failed} could not be run: {found.fault}")
    return lines


def influence_text(each: Influence) -> str:
    """For which mark a parameter matters, how much, and on which side it is worse."""
    said = f"rank correlation {each.correlation:+.2f}".replace("-", "−")
    if each.both_sides:
        said = f"index {each.index:.2f}"
    return f"{each.mark.title} depends on {each.parameter.text} ({said}: {each.worse})"


def _of_all(found: Variants) -> str:
    share = found.share_of_all
    return "None of" if share == 0 else "All of" if share == 1 else f"{100 * share:.3g} % of"


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %".replace(".0 %", " %")


def moved_text(parameter: Parameter, place: float, scale: Scale) -> str:
    """How far a parameter is off at a place within its tolerance."""
    if parameter.in_kelvins:
        return show(parameter.size * place, Quantity.DIFFERENCE, scale, sign=True)
    return f"{100 * parameter.size * place:+.0f} %".replace("-", "−")
