"""“Work it out from what it is”: materials, sizes and nameplates to J/K, W/K and W, with every term shown."""

from collections.abc import Callable, Sequence
from functools import partial

from kelvarn.desktop.language import tell
from kelvarn.engine import sums
from kelvarn.engine.sums import Sum
from kelvarn.model.bodies import Melting
from kelvarn.model.edit import Path, append, remove, with_fields
from kelvarn.model.fields import ModelBase
from kelvarn.model.materials import MATERIALS
from kelvarn.model.origins import Layer, Piece
from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity, Scale, show, three_figures

from .part_panel import PartPanel

_SHAPES = [
    ("mass", say("mass")), ("volume", say("volume")), ("box", say("box")), ("cylinder", say("cylinder")),
    ("pipe", say("pipe")),
]  # fmt: skip
_SIZES: dict[str, tuple[str, ...]] = {
    "mass": ("mass_kg",),
    "volume": ("volume_m3",),
    "box": ("length_m", "width_m", "height_m"),
    "cylinder": ("diameter_m", "length_m"),
    "pipe": ("diameter_m", "wall_m", "length_m"),
}
_MOST_TERMS = 4


def _materials() -> list[tuple[str, str]]:
    return [(name, tell(name)) for name in MATERIALS]


def _told(choices: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    return [(value, tell(name)) for value, name in choices]


def pieces_card(panel: PartPanel, path: Path) -> None:
    """A body's heat capacity from the pieces it is made of."""
    pieces: tuple[Piece, ...] = panel.at((*path, "made_of"))
    here: Path = (*path, "made_of")
    for k, piece in enumerate(pieces):
        panel.titled(
            tell("Made of: {material}" if k == 0 else "and {material}", material=say(piece.material)),
            partial(_remove, panel, here, k, tell("remove a piece")),
        )
        panel.choice((*here, k), "material", _materials())
        panel.choice((*here, k), "shape", _told(_SHAPES))
        panel.fields((*here, k), _SIZES[piece.shape])
        panel.note(partial(_size_text, panel, (*here, k)))
    add = tell("+ another piece") if pieces else tell("+ J/K from what it is made of")
    panel.button(add, partial(_append, panel, here, Piece(), tell("add a piece")))
    if not pieces:
        return

    def total() -> Sum:
        return sums.capacity_J_per_K(panel.at(here))

    panel.note(lambda: tell(_terms(total(), Quantity.CAPACITY)))
    panel.note(lambda: _sources(tuple(piece.material for piece in panel.at(here))))
    panel.use(lambda: tell(show(total().value, Quantity.CAPACITY)), partial(_take_capacity, panel, path, total))


def _size_text(panel: PartPanel, path: Path) -> str:
    """Mass, volume and outer area of a piece given by its size."""
    piece: Piece = panel.at(path)
    area = sums.area_m2(piece)
    if area is None:
        return ""
    mass, volume = show(sums.mass_kg(piece), Quantity.MASS), show(sums.volume_m3(piece), Quantity.VOLUME)
    return tell("{mass}, {volume}, outer area {area}", mass=mass, volume=volume, area=show(area, Quantity.AREA))


def _take_capacity(panel: PartPanel, path: Path, total: Callable[[], Sum]) -> None:
    body, found = panel.at(path), total()
    changes: dict[str, object] = {"capacity_J_per_K": _rounded(found.value)}
    if found.limit_degC is not None and (body.limit_degC is None or found.limit_degC < body.limit_degC):
        changes |= {"limit_degC": found.limit_degC, "limit_why": found.limit_why}
    melts = sums.latent_J(body.made_of)
    if melts is not None and body.melting is None:
        changes["melting"] = Melting(from_degC=melts[0], to_degC=melts[1], latent_J=_rounded(melts[2]))
    name = f"{body.name}: {tell(show(found.value, Quantity.CAPACITY))}"
    panel.document.set(path, with_fields(body, **changes), name)


def wall_fields(panel: PartPanel, here: Path) -> None:
    """A link's conductance from the layers of a wall."""
    panel.field(here, "area_m2")
    layers: tuple[Layer, ...] = panel.at((*here, "layers"))
    for k in range(len(layers)):
        panel.choice((*here, "layers", k), "material", _materials(), title=tell("Layer {number}", number=k + 1))
        field = panel.field((*here, "layers", k), "thickness_m")
        drop = partial(_remove, panel, (*here, "layers"), k, tell("remove a layer"))
        field.add_beside(panel.cross(tell("Take this layer out"), drop))
    panel.button(tell("+ layer"), partial(_append, panel, (*here, "layers"), Layer(), tell("add a layer")))
    sides = [("still", tell("still air")), ("moving", tell("moving air")), ("liquid", tell("liquid"))]
    for side in ("inside", "outside"):
        panel.choice(here, side, list(sides))
        if getattr(panel.at(here), side) == "moving":
            panel.field(here, f"{side}_speed_m_per_s")
    if "still" in (panel.at(here).inside, panel.at(here).outside):
        panel.choice(here, "facing", [("sideways", tell("sideways")), ("up", tell("up")), ("down", tell("down"))])
    _result(panel, here, lambda: sums.wall_W_per_K(panel.at(here)), "conductance_W_per_K", Quantity.CONDUCTANCE)
    panel.note(lambda: _limit_text(sums.wall_W_per_K(panel.at(here)), panel.view.scale))


def stream_fields(panel: PartPanel, here: Path) -> None:
    """A link's conductance at full flow from what is moved."""
    panel.choice(
        here, "material", [(name, tell(name)) for name, m in MATERIALS.items() if m.group == "liquids and gases"]
    )
    panel.field(here, "flow_m3_per_s")
    _result(panel, here, lambda: sums.stream_W_per_K(panel.at(here)), "full_W_per_K", Quantity.CONDUCTANCE)


def heatsink_fields(panel: PartPanel, here: Path) -> None:
    """A link's conductance from a heatsink's K/W."""
    panel.field(here, "resistance_K_per_W")
    _result(panel, here, lambda: sums.heatsink_W_per_K(panel.at(here)), "conductance_W_per_K", Quantity.CONDUCTANCE)


def radiator_fields(panel: PartPanel, here: Path) -> None:
    """A link's radiating area."""
    panel.fields(here, ("emissivity", "area_m2"))
    _result(panel, here, lambda: sums.radiating_m2(panel.at(here)), "radiating_m2", Quantity.AREA)


def nameplate_fields(panel: PartPanel, here: Path) -> None:
    """A drive's power from volts and ohms or amps."""
    panel.field(here, "supply_V")
    panel.choice(here, "gives", [("ohm", tell("its resistance")), ("amp", tell("its current"))])
    panel.field(here, "resistance_ohm" if panel.at(here).gives == "ohm" else "current_A")
    _result(panel, here, lambda: sums.nameplate_W(panel.at(here)), "power_W", Quantity.POWER)


def _result(panel: PartPanel, here: Path, total: Callable[[], Sum], field: str, quantity: Quantity) -> None:
    """The terms of a sum, and a button that takes it into a field of the part that it was worked out for."""
    if quantity is Quantity.CONDUCTANCE:
        panel.note(lambda: tell(_terms(total(), None)))
    part = here[:-1]

    def take() -> None:
        value = _rounded(total().value)
        panel.document.set((*part, field), value, tell("{value}, worked out", value=show(value, quantity)))

    panel.use(lambda: tell(show(total().value, quantity)), take)


def _terms(total: Sum, quantity: Quantity | None) -> str:
    """The largest terms of a sum; without a quantity they are resistances."""
    if len(total.terms) < 2:
        return ""
    shown = total.terms[:_MOST_TERMS]
    rest = sum(size for _, size in total.terms[_MOST_TERMS:])
    parts: list[str] = [joined(" ", (say(name), _size(size, quantity))) for name, size in shown]
    if rest:
        parts.append(say("the rest {size}", size=_size(rest, quantity)))
    sum_of_them = joined(" + ", parts)
    if quantity is None:
        sum_of_them = joined(" ", (sum_of_them, "K/W"))
    return joined("; ", (sum_of_them, total.rules))


def _size(value: float, quantity: Quantity | None) -> str:
    return figures(three_figures(value), "") if quantity is None else show(value, quantity)


def _limit_text(total: Sum, scale: Scale) -> str:
    if total.limit_degC is None:
        return ""
    return tell("{why} at {degC}", why=total.limit_why, degC=show(total.limit_degC, Quantity.TEMPERATURE, scale))


def _sources(materials: tuple[str, ...]) -> str:
    found = list(dict.fromkeys(part for name in materials for part in MATERIALS[name].source.split("; ")))
    return tell("Values: {sources}", sources="; ".join(found))


def _append(panel: PartPanel, path: Path, part: ModelBase, name: str) -> None:
    panel.document.apply(append(panel.document.project, path, part), name)


def _remove(panel: PartPanel, path: Path, index: int, name: str) -> None:
    panel.document.apply(remove(panel.document.project, path, index), name)


def _rounded(value: float) -> float:
    """Four figures: more would claim what no material table knows."""
    return float(f"{value:.4g}")
