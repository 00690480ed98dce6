"""Values worked out from what things are, against sums done by hand; and the table of materials itself."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from kelvarn.engine import sums
from kelvarn.model.materials import MATERIALS
from kelvarn.model.origins import Heatsink, Layer, Nameplate, Piece, Radiator, Stream, Wall


def test_every_material_is_whole_and_plausible() -> None:
    assert len(MATERIALS) >= 40
    assert {m.group for m in MATERIALS.values()} >= {"metals", "woods", "foams and wools", "liquids and gases", "foods"}
    for material in MATERIALS.values():
        assert 0.5 < material.density_kg_per_m3 < 20_000
        assert 100 < material.heat_J_per_kgK < 4300
        assert 0.02 < material.conductivity_W_per_mK < 450
        assert material.source
        assert (material.limit_degC is None) == (not material.limit_why)
        if material.melts is not None:
            low, high, latent = material.melts
            assert low < high
            assert 10_000 < latent < 400_000


def test_heat_per_volume_is_that_of_real_stuff() -> None:
    """Dulong and Petit: solid metals store 2 to 4 MJ/m³K; nothing ordinary stores more than water."""
    for material in MATERIALS.values():
        per_volume = material.density_kg_per_m3 * material.heat_J_per_kgK
        assert per_volume < 4.4e6, material.name
        if material.group == "metals":
            assert 1.3e6 < per_volume < 4.2e6, material.name


@pytest.mark.parametrize(
    ("piece", "volume"),
    [
        (Piece(material="water", shape="volume", volume_m3=0.002), 0.002),
        (Piece(material="steel", shape="box", length_m=0.2, width_m=0.1, height_m=0.002), 4e-5),
        (Piece(material="steel", shape="cylinder", diameter_m=0.02, length_m=0.1), math.pi * 1e-4 * 0.1),
        (Piece(material="steel", shape="pipe", diameter_m=0.02, wall_m=0.001, length_m=1), math.pi * 19e-6),
        (Piece(material="steel", shape="mass", mass_kg=7.8), 0.001),
    ],
)
def test_pieces_have_their_volume_mass_and_heat(piece: Piece, volume: float) -> None:
    material = MATERIALS[piece.material]
    assert sums.volume_m3(piece) == pytest.approx(volume)
    assert sums.mass_kg(piece) == pytest.approx(volume * material.density_kg_per_m3)
    found = sums.capacity_J_per_K((piece,))
    assert found.value == pytest.approx(volume * material.density_kg_per_m3 * material.heat_J_per_kgK)


def test_areas_of_pieces() -> None:
    assert sums.area_m2(Piece(shape="box", length_m=1, width_m=2, height_m=3)) == 22
    assert sums.area_m2(Piece(shape="cylinder", diameter_m=2, length_m=3)) == pytest.approx(
        2 * math.pi * 3 + 2 * math.pi
    )
    assert sums.area_m2(Piece(shape="pipe", diameter_m=0.1, wall_m=0.01, length_m=2)) == pytest.approx(0.2 * math.pi)
    assert sums.area_m2(Piece(shape="mass")) is None


def test_a_sum_shows_what_rules_it_and_the_weakest_material() -> None:
    pieces = (
        Piece(material="steel", mass_kg=1),
        Piece(material="PLA", mass_kg=0.1),
        Piece(material="steel", mass_kg=1),
    )
    found = sums.capacity_J_per_K(pieces)
    assert found.terms == (("steel", 900.0), ("PLA", 180.0))
    assert found.rules == "steel makes 83 % of it"
    assert (found.limit_degC, found.limit_why) == (55, "PLA softens")
    wax = sums.latent_J((Piece(material="paraffin wax", mass_kg=2), Piece(material="steel", mass_kg=5)))
    assert wax == (50, 62, 400_000)
    assert sums.latent_J((Piece(material="steel"),)) is None


def test_a_wall_is_its_layers_and_films_in_a_row() -> None:
    layers = (Layer(material="plywood", thickness_m=0.013), Layer(material="glass wool", thickness_m=0.036))
    wall = Wall(
        area_m2=2, layers=layers,
        inside="moving", inside_speed_m_per_s=2, outside="still", facing="up",
    )  # fmt: skip
    resistance = 0.1 + 1.0 + 0.10 + 1 / (4 + 8 + 5.1)
    assert sums.wall_W_per_K(wall).value == pytest.approx(2 / resistance)
    bare = with_liquid = Wall(layers=())
    assert sums.wall_W_per_K(bare).value == pytest.approx(1 / 0.26)
    with_liquid = Wall(layers=(), inside="liquid", outside="liquid")
    assert sums.wall_W_per_K(with_liquid).value == pytest.approx(250)


def test_nameplates_streams_heatsinks_and_surfaces() -> None:
    assert sums.nameplate_W(Nameplate(supply_V=12, gives="ohm", resistance_ohm=3.6)).value == pytest.approx(40)
    assert sums.nameplate_W(Nameplate(supply_V=24, gives="amp", current_A=2.5)).value == 60
    assert sums.stream_W_per_K(Stream(flow_m3_per_s=1 / 3600)).value == pytest.approx(0.337, abs=1e-3)
    water = Stream(material="water", flow_m3_per_s=1e-3 / 60)
    assert sums.stream_W_per_K(water).value == pytest.approx(69.6, abs=0.1)
    assert sums.heatsink_W_per_K(Heatsink(resistance_K_per_W=1.25)).value == pytest.approx(0.8)
    assert sums.radiating_m2(Radiator(emissivity=0.8, area_m2=0.5)).value == pytest.approx(0.4)


@given(st.lists(st.sampled_from(list(MATERIALS)), min_size=1, max_size=6), st.floats(1e-4, 5), st.floats(1e-4, 5))
def test_conductance_grows_with_area_and_falls_with_thickness(names: list[str], area: float, thick: float) -> None:
    def wall(area_m2: float, thickness_m: float) -> float:
        layers = tuple(Layer(material=name, thickness_m=thickness_m) for name in names)
        return sums.wall_W_per_K(Wall(area_m2=area_m2, layers=layers)).value

    assert wall(2 * area, thick) == pytest.approx(2 * wall(area, thick))
    assert wall(area, 2 * thick) < wall(area, thick)


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: Piece(material="unobtainium"), "“unobtainium” is not a known material"),
        (lambda: Layer(material="steel", thickness_m=0), "greater than or equal to 0.00001"),
        (lambda: Piece(shape="pipe", diameter_m=0.01, wall_m=0.006), "at most half its diameter"),
        (lambda: Stream(material="lava"), "“lava” is not a known material"),
    ],
)
def test_what_cannot_be_is_refused(make: object, sentence: str) -> None:
    with pytest.raises(ValidationError, match=sentence):
        make()  # type: ignore[operator]
