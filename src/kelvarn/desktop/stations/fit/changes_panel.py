"""The right column of "what has changed": what, by how much and how surely; energy; how it went over all logs."""

from collections.abc import Callable, Hashable

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import capital, number_told, tell
from kelvarn.desktop.parts.panel import Panel
from kelvarn.fit.ways import WAYS
from kelvarn.fit.what_changed import Comparison, Drift
from kelvarn.sentence import figures, joined
from kelvarn.units import Quantity, Scale, show

from .fit_panel import rule, value_row
from .knowledge import Knowledge


class ChangesPanel(Panel):
    """See the module."""

    def __init__(self, knowledge: Knowledge, scale: Callable[[], Scale]) -> None:
        super().__init__(theme.RIGHT_WIDTH - 60)
        self._known, self._scale = knowledge, scale

    def subject(self) -> Hashable:
        return id(self._known.comparison), self._known.settings, id(self._known.drift), self._scale()

    def fill(self) -> None:
        found, scale = self._known.comparison, self._scale()
        self.add(heading(tell("Settings or equipment?")))
        if isinstance(found, str):
            self.add(small(found, "wrong"))
        elif found is None:
            self.add(
                small(
                    tell("comparing the log with the rig as it was …")
                    if self._known.busy
                    else tell("No log to compare.")
                )
            )
        else:
            self._changes(found, scale)
        drift = self._known.drift
        if isinstance(drift, Drift):
            self.add(heading(tell("Heat loss, log by log")), 10)
            for name, size in zip(drift.logs, drift.sizes, strict=True):
                self.add(
                    value_row(
                        name,
                        number_told(f"× {size.value:.2f}"),
                        tell(
                            "95 %: {low} … {high}",
                            low=figures(f"{size.low:.2f}", ""),
                            high=figures(f"{size.high:.2f}", ""),
                        ),
                    )
                )
            self.add(
                small(tell("against the rig as it is now; surroundings are accounted for where they were recorded"))
            )

    def _changes(self, found: Comparison, scale: Scale) -> None:
        if not found.changes:
            nothing = found.verdict(scale=scale).startswith("nothing")
            self.add(small(capital(found.verdict(scale=scale)) + ".", "met" if nothing else "gold"))
        for change in found.changes:
            self.add(small(capital(change.text(scale)), "wrong", bold=True))
        if found.instead:
            named = joined(" or ", (WAYS[what].name for what in found.instead))
            self.add(small(tell("It could also be {named}: this log hardly tells them apart.", named=named), "gold"))
        settings = self._known.settings
        if settings is not None:
            self.add(small(settings.text, "met" if settings.same else "wrong", bold=not settings.same), 4)
        elif found.changes:
            self.add(small(tell("Whatever the settings were: the drive was replayed as it was recorded.")))
        self.add(rule())
        rms = [show(fit.rms_K, Quantity.DIFFERENCE, scale) for fit in (found.expected, found.explained)]
        self.add(value_row(tell("The rig as it was misses by"), tell("{rms} rms", rms=rms[0])))
        self.add(value_row(tell("With what changed"), tell("{rms} rms", rms=rms[1])))
        if found.expected_energy_J is not None:
            self.add(rule())
            self.add(value_row(tell("Energy in this log"), show(found.energy_J, Quantity.ENERGY)))
            then = show(found.expected_energy_J, Quantity.ENERGY)
            self.add(value_row(tell("As it was, the same would take"), then))
        if found.fixed:
            self.add(
                small(
                    tell("Nobody recorded the surroundings: they are taken from the start of the log, or from the rig.")
                ),
                6,
            )
