"""Heat under way in a run at one sample: what the heat path shows."""

from kelvarn.model.bodies import Body, DrawOff
from kelvarn.model.drives import Fan, Valve
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.units import KELVIN_AT_0_DEGC, Quantity, show

from .layout import STEFAN_BOLTZMANN_W_PER_M2K4
from .run import Run


class Flows:
    """Temperatures and watts of a run at a sample.

    Attributes:
        sample: the sample, kept inside the run.
        degC: temperature of each body by name, and of the surroundings.
        outside_degC: that of the surroundings.
    """

    def __init__(self, run: Run, sample: int) -> None:
        self._run = run
        self.sample = min(max(sample, 0), run.time_s.size - 1)
        self._time_s = float(run.time_s[self.sample])
        self.outside_degC = run.surroundings_at(self._time_s)
        self.degC = {
            name: float(run.bodies_degC[i, self.sample]) for i, name in enumerate(run.rig.body_names)
        } | {SURROUNDINGS: self.outside_degC}  # fmt: skip

    def link_W(self, index: int) -> float:
        """Heat from the first to the second end of a link, W."""
        link = self._run.rig.all_links[index]
        a, b = self.degC[link.a], self.degC[link.b]
        radiated = (
            STEFAN_BOLTZMANN_W_PER_M2K4
            * link.radiating_m2
            * ((a + KELVIN_AT_0_DEGC) ** 4 - (b + KELVIN_AT_0_DEGC) ** 4)
        )
        return self._run.conductance_at(link, self.sample) * (a - b) + radiated

    def drawn_W(self, draw_off: DrawOff) -> float:
        """Heat that a draw-off takes out of its body now, W."""
        if not self._run.drawn_at(draw_off, self._time_s):
            return 0.0
        return draw_off.flow_W_per_K * (self.degC[draw_off.body] - self._run.rig.inlet_degC(draw_off))

    def molten(self, body: Body) -> float | None:
        """Share of a body that has melted, 0…1; None where it does not melt."""
        if body.melting is None:
            return None
        m = body.melting
        return min(max((self.degC[body.name] - m.from_degC) / (m.to_degC - m.from_degC), 0.0), 1.0)

    def drive_text(self, index: int) -> str:
        """What a drive gives: its power, or the flow of one that only moves something."""
        drive = self._run.rig.drives[index]
        if isinstance(drive, Fan | Valve):
            return self.flow_text(drive.name)
        return show(abs(float(self._run.drives_W[index, self.sample])), Quantity.POWER)

    def flow_text(self, drive: str) -> str:
        """Relative flow of the fan or valve of a name."""
        flow = float(self._run.flow[self._run.rig.drive_index(drive), self.sample])
        return show(max(flow, 0.0), Quantity.DRIVE)
