"""What a rig's model leaves out, said for each rig by what it has."""

from kelvarn.model.rig import Rig
from kelvarn.sentence import say


def limitations(rig: Rig) -> list[str]:
    """What the model of a rig does not know, a short phrase each, what matters most first."""
    if rig.response is not None:
        return [
            say("only the answer to the drive is known, no temperatures inside"),
            say("it answers alike at every temperature"),
            say("no draughts, no sun"),
        ] if rig.unit is None else [
            say("only the answer to the drive is known, nothing inside it"),
            say("it answers alike at every level"),
            say("nothing that comes with the weather or the air but what a trial says"),
        ]  # fmt: skip
    found: list[str] = []
    air = [name for name in rig.body_names if "air" in name.lower().split()]
    if air:
        found.append(say("{body} has one temperature: no layers, no corners", body=air[0]))
    if len(rig.bodies) > (1 if air else 0):
        found.append(say("each body is equally warm throughout"))
    ices = any(link.icing is not None for link in rig.links)
    found.append(say("no draughts, no sun") if ices else say("no draughts, no sun, no damp"))
    if ices:
        found.append(say("ice is coarse: an even layer, air of one dew point, a surface as warm as its body"))
    if any(link.conductance_W_per_K > 0 for link in rig.links):
        found.append(
            say("loss through still air is proportional to the difference")
            if not _radiates(rig)
            else say("conductances do not change with temperature")
        )
    if not _radiates(rig) and any((body.limit_degC or 0) > 200 for body in rig.bodies):
        found.append(say("no radiation, though it gets hot"))
    if any(body.melting is not None for body in rig.bodies):
        found.append(say("what melts does so evenly, and freezes without cooling below first"))
    found += dict.fromkeys(drive.limitation for drive in rig.drives if drive.limitation)
    if rig.draw_offs:
        found.append(say("what is drawn off mixes at once"))
    return found


def _radiates(rig: Rig) -> bool:
    return any(link.radiating_m2 > 0 for link in rig.links)
