"""Heat under way in a run at one sample: what the heat path shows."""

from kelvarn.model.bodies import Body, DrawOff
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.units import Quantity, show

from .changes import opened_W_per_K, running, surroundings_at
from .heat import carried, conductance
from .icing import layer_K_per_W
from .layout import link_record
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
        self.outside_degC = surroundings_at(run.rig, run.trial, self._time_s)
        self.degC = {
            name: float(run.bodies_degC[i, self.sample]) for i, name in enumerate(run.rig.body_names)
        } | {SURROUNDINGS: self.outside_degC}  # fmt: skip

    def link_W(self, index: int) -> float:
        """Heat from the first to the second end of a link, W."""
        rig = self._run.rig
        link = rig.all_links[index]
        record = link_record(rig, link, 1, 0)
        flow = float(self._run.flow[record.mover, self.sample]) if record.mover >= 0 else 0.0
        g = conductance(record, max(flow, 0.0))
        if link.icing is not None:
            g /= 1.0 + g * layer_K_per_W(link.icing, self.ice_kg(index))
        g += opened_W_per_K(rig, self._run.trial, link.a, link.b, self._time_s)
        heat, _, _ = carried(record, g, self.degC[link.b], self.degC[link.a])
        return heat

    def ice_kg(self, index: int) -> float:
        """Ice on a link that ices."""
        row = sum(link.icing is not None for link in self._run.rig.links[:index])
        return float(self._run.ice_kg[row, self.sample])

    def drawn_W(self, draw_off: DrawOff) -> float:
        """Heat that a draw-off takes out of its body now, W."""
        inlet = self.outside_degC if draw_off.inlet_degC is None else draw_off.inlet_degC
        times = running(self._run.trial, draw_off, self._time_s)
        return times * draw_off.flow_W_per_K * (self.degC[draw_off.body] - inlet)

    def molten(self, body: Body) -> float | None:
        """Share of a body that has melted, 0…1; None where it does not melt."""
        if body.melting is None:
            return None
        m = body.melting
        return min(max((self.degC[body.name] - m.from_degC) / (m.to_degC - m.from_degC), 0.0), 1.0)

    def drive_text(self, index: int) -> str:
        """What a drive gives: its power, or the flow of one that only moves something."""
        drive = self._run.rig.drives[index]
        if drive.moves:
            return self.flow_text(drive.name)
        return show(abs(float(self._run.drives_W[index, self.sample])), Quantity.POWER)

    def flow_text(self, drive: str) -> str:
        """Relative flow of the fan or valve of a name."""
        flow = float(self._run.flow[self._run.rig.drive_index(drive), self.sample])
        return show(max(flow, 0.0), Quantity.DRIVE)
