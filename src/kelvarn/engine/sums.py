"""Work it out from what it is: J/K, W/K and W from materials, sizes and nameplates, with every term shown.

Sources: a piece holds m·c; a wall conducts A / ΣR with R = d/λ of each layer and the surface resistances of
EN ISO 6946:2017 (table 7 for still air, 1/(4 + 4v + 5.1) for moving air with its 4 W/m²K at rest, 4 v for its speed and
the radiation of most surfaces near 20 °C; a stirred liquid resists next to nothing); a stream carries ρ·c·V̇.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from kelvarn.model.materials import MATERIALS
from kelvarn.model.origins import Heatsink, Nameplate, Piece, Radiator, Stream, Wall
from kelvarn.sentence import figures, say

_STILL_M2K_PER_W = {"sideways": 0.13, "up": 0.10, "down": 0.17}
_RADIATES_W_PER_M2K = 5.1
_LIQUID_M2K_PER_W = 0.002


@dataclass(frozen=True)
class Sum:
    """A value with the terms it is made of.

    Attributes:
        value: in the base unit of what it is for.
        terms: what each part gives, largest first; of a wall, the resistances in K/W that are added.
        limit_degC, limit_why: the lowest limit of the materials in it, None without one.
    """

    value: float
    terms: tuple[tuple[str, float], ...]
    limit_degC: float | None = None
    limit_why: str = ""

    @property
    def rules(self) -> str:
        """The term that rules the sum, and its share in per cent."""
        total = sum(size for _, size in self.terms)
        if not self.terms or total <= 0:
            return ""
        name, size = self.terms[0]
        return say("{name} makes {share} of it", name=say(name), share=figures(f"{100 * size / total:.0f}", "%"))


def volume_m3(piece: Piece) -> float:
    """Volume of a piece by its shape, m³."""
    match piece.shape:
        case "mass":
            return piece.mass_kg / MATERIALS[piece.material].density_kg_per_m3
        case "volume":
            return piece.volume_m3
        case "box":
            return piece.length_m * piece.width_m * piece.height_m
        case "cylinder":
            return math.pi / 4 * piece.diameter_m**2 * piece.length_m
        case "pipe":
            inner = max(piece.diameter_m - 2 * piece.wall_m, 0.0)
            return math.pi / 4 * (piece.diameter_m**2 - inner**2) * piece.length_m


def mass_kg(piece: Piece) -> float:
    """Mass of a piece, kg."""
    return piece.mass_kg if piece.shape == "mass" else volume_m3(piece) * MATERIALS[piece.material].density_kg_per_m3


def area_m2(piece: Piece) -> float | None:
    """Outer area of a piece with a size: all of a box, mantle and ends of a cylinder, mantle of a pipe; else None."""
    match piece.shape:
        case "box":
            a, b, c = piece.length_m, piece.width_m, piece.height_m
            return 2 * (a * b + b * c + c * a)
        case "cylinder":
            return math.pi * piece.diameter_m * (piece.length_m + piece.diameter_m / 2)
        case "pipe":
            return math.pi * piece.diameter_m * piece.length_m
        case _:
            return None


def capacity_J_per_K(pieces: tuple[Piece, ...]) -> Sum:
    """Heat capacity of pieces together; a material that melts counts without its latent heat."""
    terms = _gathered((p.material, mass_kg(p) * MATERIALS[p.material].heat_J_per_kgK) for p in pieces)
    return Sum(sum(size for _, size in terms), terms, *_lowest_limit(p.material for p in pieces))


def latent_J(pieces: tuple[Piece, ...]) -> tuple[float, float, float] | None:
    """Melting range in degC and latent heat in J of the piece that holds most of it; None where none melts."""
    melting = [(MATERIALS[p.material].melts, mass_kg(p)) for p in pieces]
    found = [(m[0], m[1], m[2] * mass) for m, mass in melting if m is not None and mass > 0]
    return max(found, key=lambda each: each[2], default=None)


def wall_W_per_K(wall: Wall) -> Sum:
    """Conductance of a wall; its terms are resistances in K/W."""
    films = ((say("film inside"), _film(wall.inside, wall.inside_speed_m_per_s, wall.facing)),
             (say("film outside"), _film(wall.outside, wall.outside_speed_m_per_s, wall.facing)))  # fmt: skip
    layers = ((x.material, x.thickness_m / MATERIALS[x.material].conductivity_W_per_mK) for x in wall.layers)
    terms = tuple((name, size / wall.area_m2) for name, size in _gathered((*films, *layers)))
    return Sum(1 / sum(size for _, size in terms), terms, *_lowest_limit(x.material for x in wall.layers))


def _film(kind: str, speed_m_per_s: float, facing: str) -> float:
    """Resistance of the film at a surface, m²K/W."""
    if kind == "still":
        return _STILL_M2K_PER_W[facing]
    if kind == "moving":
        return 1 / (4 + 4 * speed_m_per_s + _RADIATES_W_PER_M2K)
    return _LIQUID_M2K_PER_W


def nameplate_W(plate: Nameplate) -> Sum:
    """Power by V²/R or V·I."""
    if plate.gives == "ohm":
        return Sum(plate.supply_V**2 / plate.resistance_ohm, ())
    return Sum(plate.supply_V * plate.current_A, ())


def radiating_m2(radiator: Radiator) -> Sum:
    """Emissivity times area."""
    return Sum(radiator.emissivity * radiator.area_m2, ())


def stream_W_per_K(stream: Stream) -> Sum:
    """What a stream carries for each kelvin, ρ·c·V̇."""
    material = MATERIALS[stream.material]
    return Sum(material.density_kg_per_m3 * material.heat_J_per_kgK * stream.flow_m3_per_s, ())


def heatsink_W_per_K(sink: Heatsink) -> Sum:
    """Conductance of a heatsink."""
    return Sum(1 / sink.resistance_K_per_W, ())


def _gathered(terms: Iterable[tuple[str, float]]) -> tuple[tuple[str, float], ...]:
    """Terms of one name added, the largest first."""
    found: dict[str, float] = {}
    for name, size in terms:
        found[name] = found.get(name, 0.0) + size
    return tuple(sorted(found.items(), key=lambda term: -term[1]))


def _lowest_limit(materials: Iterable[str]) -> tuple[float | None, str]:
    known = [MATERIALS[name] for name in materials]
    limited = [material for material in known if material.limit_degC is not None]
    if not limited:
        return None, ""
    lowest = min(limited, key=lambda material: material.limit_degC or 0.0)
    return lowest.limit_degC, say("{material} {why}", material=say(lowest.name), why=say(lowest.limit_why))
