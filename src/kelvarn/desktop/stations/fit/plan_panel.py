"""The right column of "plan the recording": how well, how far, and what will come of it."""

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass

from PySide6.QtWidgets import QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading, small, titled
from kelvarn.desktop.language import number_told, tell
from kelvarn.desktop.parts.panel import Panel
from kelvarn.fit.planning import Rough, StepTestPlan, plan_step_test, rough_of, usual_tolerances
from kelvarn.model.project import Project
from kelvarn.sentence import figures
from kelvarn.units import Quantity, Scale, show

from .fit_panel import SAID, rule, value_row

_SHARES = (0.01, 0.02, 0.03, 0.05, 0.1)
_DRIVES = (None, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
_EVERY = (None, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0)


@dataclass(frozen=True)
class Wish:
    """What a recording is wished to be like; None leaves it to the plan."""

    share: float = 0.03
    drive: float | None = None
    every_s: float | None = None
    from_warm: bool = False
    copy: bool = False


def planned(project: Project, wish: Wish) -> tuple[Rough, StepTestPlan]:
    """A plan as wished, and the rig as it is roughly known. Raises FitError."""
    rough = rough_of(project.rig, project.first_trial.plan.last_degC)
    warm = wish.from_warm and rough.kind != "integrating"
    return rough, plan_step_test(
        rough, wish.share, 1.7 * wish.share, drive=wish.drive, start=0.5 * (wish.drive or 0.5) if warm else 0.0,
        every_s=wish.every_s, known=usual_tolerances(rough) if wish.copy else None,
    )  # fmt: skip


class PlanPanel(Panel):
    """See the module.

    Args:
        plan: the plan, or why there is none; None while it is made.
        scale: what temperatures are shown in.
        ask: asks for another one.
    """

    def __init__(
        self,
        plan: Callable[[], tuple[Rough, StepTestPlan] | str | None],
        scale: Callable[[], Scale],
        ask: Callable[[Wish], object],
    ) -> None:
        super().__init__(theme.RIGHT_WIDTH - 60)
        self._plan, self._scale, self._ask = plan, scale, ask
        self.wish = Wish()
        self.boxes: dict[str, Choice] = {}

    def subject(self) -> Hashable:
        return id(self._plan()), self.wish, self._scale()

    def fill(self) -> None:
        found, scale = self._plan(), self._scale()
        self.add(heading(tell("Plan the recording")))
        self.add(self._choice("share", tell("Gain to within"), [(s, number_told(f"{100 * s:g} %")) for s in _SHARES]))
        drives = [(d, tell("as far as the limit allows") if d is None else f"{100 * d:.0f} %") for d in _DRIVES]
        self.add(self._choice("drive", tell("Step to"), drives))
        self.add(
            self._choice(
                "every_s",
                tell("A row every"),
                [(e, tell("as it needs") if e is None else number_told(f"{e:g} s")) for e in _EVERY],
            )
        )
        self.add(
            self._choice("from_warm", tell("From"), [(False, tell("cold")), (True, tell("warm, at half the step"))])
        )
        self.add(
            self._choice("copy", tell("It is"), [(False, tell("a new rig")), (True, tell("one more copy of this rig"))])
        )
        if isinstance(found, str):
            self.add(small(found, "wrong"), 6)
            return
        if found is None:
            self.add(small(tell("working it out …")), 6)
            return
        rough, plan = found
        made = plan.test
        self.add(rule())
        self.add(value_row(tell("Wait at rest"), show(made.before_s, Quantity.DURATION)))
        self.add(
            value_row(
                tell("Then step to"),
                f"{100 * made.drive:.0f} %",
                tell("from {percent} %", percent=figures(f"{100 * made.start:.0f}", "")),
            )
        )
        self.add(value_row(tell("and let it run"), show(made.lasts_s, Quantity.DURATION)))
        self.add(value_row(tell("A row every"), show(made.every_s, Quantity.DURATION)))
        self.add(value_row(tell("It will end at"), show(plan.end_degC, Quantity.TEMPERATURE, scale)))
        self.add(value_row(tell("At rest again after"), show(plan.wait_s, Quantity.DURATION)))
        self.add(rule())
        self.add(heading(tell("It will tell")), 4)
        for name, half in plan.precision.items():
            title, quantity, _ = SAID[name]
            text = f"± {show(half, quantity, scale)}" if name == "dead_time_s" else f"± {100 * half:.2g} %"
            self.add(value_row(title, text))
        if not plan.enough:
            self.add(
                small(
                    tell("Not even that is as exact as wished: a larger step, less noise, or rows more often."), "gold"
                )
            )
        what = "rise" if rough.kind == "integrating" else "gain"
        self.add(
            small(
                tell(
                    "Twice as long it would tell the {gain} to ± {percent} %.",
                    gain=what,
                    percent=figures(f"{100 * plan.gain_if_twice:.2g}", ""),
                )
            )
        )
        self.add(small(tell("Predicted from this rig's own step, with its probe's noise and steps.")), 4)

    def _choice(self, field: str, title: str, choices: Sequence[tuple[object, str]]) -> QWidget:
        box = Choice()
        box.setAccessibleName(title)
        for value, text in choices:
            box.addItem(text, value)
        box.setCurrentIndex([value for value, _ in choices].index(getattr(self.wish, field)))
        kept = {name: getattr(self.wish, name) for name in Wish.__dataclass_fields__}
        box.activated.connect(lambda _: self._set(Wish(**{**kept, field: box.currentData()})))
        self.boxes[field] = box
        holder = QWidget()
        holder.setLayout(titled(title, box))
        return holder

    def _set(self, wish: Wish) -> None:
        self.wish = wish
        self._ask(wish)
