"""What variants gave, in words: the same for command line and report."""

from kelvarn.model.tolerances import Parameter
from kelvarn.units import Quantity, Scale, show

from .variants import Variants

_MOST = 3


def variant_lines(found: Variants, scale: Scale = Scale.CELSIUS) -> list[str]:
    """A line for each mark, for what matters most and for the worst variant."""
    lines = [f"{100 * found.share_of_all:.0f} % of {found.count} variants meet all marks."]
    for mark, share in zip(found.marks, found.shares, strict=True):
        lines.append(f"  {100 * share:3.0f} %  {mark.title} {mark.limit_text(scale, short=True)}")
    if not found.marks:
        lines = [f"{found.count} variants; the trial has no marks to judge them by."]
    for parameter, rho in found.hurts_most()[:_MOST]:
        lines.append(f"  matters: {parameter.text} (rank correlation {rho:+.2f})".replace("-", "−"))
    if found.worst is not None:
        worst = sorted(
            zip(found.parameters, found.places[found.worst], strict=True), key=lambda each: -abs(float(each[1]))
        )  # fmt: skip
        said = ", ".join(f"{each.text} {moved_text(each, float(place), scale)}" for each, place in worst[:_MOST])
        lines.append(f"  the worst: no. {found.worst + 1}, with {said}")
    if found.failed:
        lines.append(f"  {found.failed} could not be run: {found.fault}")
    return lines


def moved_text(parameter: Parameter, place: float, scale: Scale) -> str:
    """How far a parameter is off at a place within its tolerance."""
    if parameter.in_kelvins:
        return show(parameter.size * place, Quantity.DIFFERENCE, scale, sign=True)
    return f"{100 * parameter.size * place:+.0f} %".replace("-", "−")
