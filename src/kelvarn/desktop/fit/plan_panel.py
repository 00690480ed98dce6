"""The right column of "plan the recording": how well, how far, and what will come of it."""

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtWidgets import QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading, small, titled
from kelvarn.desktop.panel import Panel
from kelvarn.engine.prepare import RunError
from kelvarn.engine.steady import rest_degC
from kelvarn.engine.step import open_loop, usual_drive
from kelvarn.fit.design import Kind, unit_course
from kelvarn.fit.observed import FitError
from kelvarn.fit.planning import Plan, Rough, plan_recording, predicted
from kelvarn.model.log_data import Floats
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, show

from .fit_panel import SAID, rule, value_row

_SHARES = (0.01, 0.02, 0.03, 0.05, 0.1)
_DRIVES = (None, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
_EVERY = (None, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0)
_COPY = {"gain_K": 0.2, "rise_K_per_s": 0.2, "lag_s": 0.2, "lag2_s": 0.3, "dead_time_s": 0.3}
"""What is known beforehand of one more copy: usual tolerances."""


@dataclass(frozen=True)
class Wish:
    """What a recording is wished to be like; None leaves it to the plan."""

    share: float = 0.03
    drive: float | None = None
    every_s: float | None = None
    from_warm: bool = False
    copy: bool = False


def rough_of(project: Project) -> Rough:
    """The rig as its open-loop step is read. Raises FitError where it cannot be."""
    rig = project.rig
    try:
        step = open_loop(rig, usual_drive(rig, project.first_trial.plan.last_degC))
    except RunError as error:
        raise FitError(str(error)) from error
    found = step.reading
    if found is None:
        raise FitError("The rig does not answer its drive, so no recording of a step would tell anything.")
    kind: Kind = "integrating" if found.gain_K is None else "one_lag"
    return Rough(
        kind, found.gain_K if found.gain_K is not None else float(found.rise_K_per_s or 0.0), found.lag_s or 0.0, 0.0,
        found.dead_time_s, rig.probe.noise_K, rig.probe.resolution_K, rig.surroundings.temperature_degC,
        most_drive(rig),
    )  # fmt: skip


def most_drive(rig: Rig) -> float:
    """The largest drive at whose rest every body is a tenth of its room below its limit; 1 where there is none."""
    outside = rig.surroundings.temperature_degC
    for share in np.arange(1.0, 0.0, -0.05).tolist():
        ends = rest_degC(rig, share)
        if ends is None:
            return 1.0
        if all(body.limit_degC is None or outside + (end - outside) / 0.9 <= body.limit_degC
               for body, end in zip(rig.all_bodies, ends.tolist(), strict=False)):  # fmt: skip
            return float(round(share, 2))
    return 0.05


def planned(project: Project, wish: Wish) -> tuple[Rough, Plan]:
    """A plan as wished. Raises FitError."""
    rough = rough_of(project)
    start = 0.0
    if wish.from_warm and rough.kind != "integrating":
        start = 0.5 * (wish.drive or 0.5)
    known = (
        {k: v for k, v in _COPY.items() if k != "rise_K_per_s" or rough.kind == "integrating"} if wish.copy else None
    )
    if known is not None:
        known = {k: v for k, v in known.items() if k in _names(rough)}
    return rough, plan_recording(
        rough, wish.share, 1.7 * wish.share, drive=wish.drive, start=start, every_s=wish.every_s, known=known
    )


def _names(rough: Rough) -> set[str]:
    return {"rise_K_per_s", "dead_time_s"} if rough.kind == "integrating" else {"gain_K", "lag_s", "dead_time_s"}


def course_of_plan(rough: Rough, plan: Plan) -> tuple[Floats, Floats]:
    """Instants and temperatures of the recording as it will look."""
    made = plan.recording
    t = np.linspace(0.0, made.whole_s, 600)
    at = np.array([-1e9 if made.start else -1.0, made.before_s])
    rise = unit_course(rough.kind, rough.theta, at, np.array([0.0, made.drive - made.start]), t, held=True, late=True)
    return t, np.asarray(rough.rest_degC + rough.gain_K * (made.start + rise))


class PlanPanel(Panel):
    """See the module.

    Args:
        plan: the plan, or why there is none; None while it is made.
        scale: what temperatures are shown in.
        ask: asks for another one.
    """

    def __init__(
        self,
        plan: Callable[[], tuple[Rough, Plan] | str | None],
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
        self.add(heading("Plan the recording"))
        self.add(self._choice("share", "Gain to within", [(s, f"{100 * s:g} %") for s in _SHARES]))
        drives = [(d, "as far as the limit allows" if d is None else f"{100 * d:.0f} %") for d in _DRIVES]
        self.add(self._choice("drive", "Step to", drives))
        self.add(
            self._choice("every_s", "A row every", [(e, "as it needs" if e is None else f"{e:g} s") for e in _EVERY])
        )
        self.add(self._choice("from_warm", "From", [(False, "cold"), (True, "warm, at half the step")]))
        self.add(self._choice("copy", "It is", [(False, "a new rig"), (True, "one more copy of this rig")]))
        if isinstance(found, str):
            self.add(small(found, "wrong"), 6)
            return
        if found is None:
            self.add(small("working it out …"), 6)
            return
        rough, plan = found
        made = plan.recording
        self.add(rule())
        self.add(value_row("Wait at rest", show(made.before_s, Quantity.DURATION)))
        self.add(value_row("Then step to", f"{100 * made.drive:.0f} %", f"from {100 * made.start:.0f} %"))
        self.add(value_row("and let it run", show(made.lasts_s, Quantity.DURATION)))
        self.add(value_row("A row every", show(made.every_s, Quantity.DURATION)))
        self.add(value_row("It will end at", show(plan.end_degC, Quantity.TEMPERATURE, scale)))
        self.add(value_row("At rest again after", show(plan.wait_s, Quantity.DURATION)))
        self.add(rule())
        self.add(heading("It will tell"), 4)
        for name, half in plan.precision.items():
            title, quantity, _ = SAID[name]
            text = f"± {show(half, quantity, scale)}" if name == "dead_time_s" else f"± {100 * half:.2g} %"
            self.add(value_row(title, text))
        if not plan.enough:
            self.add(
                small("Not even that is as exact as wished: a larger step, less noise, or rows more often.", "gold")
            )
        twice = predicted(rough, type(made)(made.before_s, 2 * made.lasts_s, made.every_s, made.start, made.drive))
        gain = twice.get("gain_K", twice.get("rise_K_per_s", 0.0))
        what = "rise" if rough.kind == "integrating" else "gain"
        self.add(small(f"Twice as long it would tell the {what} to ± {100 * gain:.2g} %."))
        self.add(small("Predicted from this rig's own step, with its probe's noise and steps."), 4)

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
