"""Common materials: density, specific heat, conductivity, melting range where it matters, and how hot they may get.

Values are for about 20 °C unless the source says else. Real stuff differs by its alloy, grain and moisture: for metals
and liquids by a few per cent, for woods, foams and foods by a fifth and more. Limits are where a part loses its shape
or the maker's usual permission ends, not where it burns.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Material:
    """A material. `melts` is from and to in degC and J/kg; `limit_why` says what `limit_degC` is."""

    name: str
    group: str
    density_kg_per_m3: float
    heat_J_per_kgK: float
    conductivity_W_per_mK: float
    source: str
    limit_degC: float | None = None
    limit_why: str = ""
    melts: tuple[float, float, float] | None = None


def _material(
    name: str, group: str, density: float, heat: float, conductivity: float, source: str,
    limit: tuple[float, str] | None = None, melts: tuple[float, float, float] | None = None,
) -> Material:  # fmt: skip
    text = "; ".join(_SOURCES[letter] for letter in source)
    limit_degC, why = limit or (None, "")
    return Material(name, group, density, heat, conductivity, text, limit_degC, why, melts)


# By the letters that stand with each material below.
_SOURCES = {
    "I": "EN ISO 10456:2007, tables 3 and 4",
    "M": "Incropera and DeWitt, Fundamentals of Heat and Mass Transfer, appendix A",
    "P": "Polymer Handbook, 1999",
    "C": "CRC Handbook of Chemistry and Physics",
    "F": "ASHRAE Handbook, Refrigeration, thermal properties of foods",
    "U": "usual limit in makers' data sheets",
}

_ALL = (
    # Metals.
    _material("aluminium alloy", "metals", 2800, 880, 160, "IC", (580, "begins to melt")),
    _material("copper", "metals", 8900, 380, 380, "IC", (1084, "melts")),
    _material("brass", "metals", 8400, 380, 120, "IC", (880, "begins to melt")),
    _material("bronze", "metals", 8700, 380, 65, "IC", (850, "begins to melt")),
    _material("steel", "metals", 7800, 450, 50, "I"),
    _material("stainless steel", "metals", 7900, 500, 17, "I"),
    _material("cast iron", "metals", 7500, 450, 50, "I"),
    _material("zinc", "metals", 7200, 380, 110, "IC", (419, "melts")),
    _material("lead", "metals", 11300, 130, 35, "IC", (327, "melts"), (326.5, 328.5, 23_000)),
    _material("tin", "metals", 7310, 227, 66.6, "MC", (232, "melts"), (231, 233, 59_200)),
    _material("nickel", "metals", 8900, 444, 90.7, "M"),
    _material("silver", "metals", 10500, 235, 429, "MC", (962, "melts")),
    _material("titanium", "metals", 4500, 522, 21.9, "M"),
    # Woods and boards.
    _material("softwood", "woods", 500, 1600, 0.13, "IU", (120, "discolours over time")),
    _material("hardwood", "woods", 700, 1600, 0.18, "IU", (120, "discolours over time")),
    _material("plywood", "woods", 500, 1600, 0.13, "IU", (100, "glue and wood age")),
    _material("chipboard", "woods", 600, 1700, 0.14, "IU", (90, "glue ages")),
    _material("oriented strand board", "woods", 650, 1700, 0.13, "IU", (90, "glue ages")),
    _material("medium density fibreboard", "woods", 600, 1700, 0.14, "IU", (90, "glue ages")),
    _material("cork", "woods", 200, 1500, 0.065, "IU", (110, "usual limit")),
    # Foams and wools.
    _material("expanded polystyrene", "foams and wools", 20, 1450, 0.036, "IU", (80, "shrinks")),
    _material("extruded polystyrene", "foams and wools", 33, 1450, 0.034, "IU", (75, "shrinks")),
    _material("polyurethane foam", "foams and wools", 32, 1400, 0.026, "IU", (100, "usual limit")),
    _material("cellular glass", "foams and wools", 120, 1000, 0.042, "IU", (430, "usual limit")),
    _material("glass wool", "foams and wools", 25, 1030, 0.036, "IU", (230, "binder burns out")),
    _material("stone wool", "foams and wools", 60, 1030, 0.036, "IU", (600, "usual limit; binder goes from 250")),
    _material("ceramic fibre blanket", "foams and wools", 128, 1000, 0.12, "U", (1260, "classification temperature")),
    _material("silicone foam", "foams and wools", 750, 1000, 0.12, "I", (200, "usual limit")),
    # Liquids and gases.
    _material("air", "liquids and gases", 1.204, 1007, 0.0257, "M"),
    _material("water", "liquids and gases", 998, 4182, 0.599, "M", (100, "boils at sea level")),
    _material("salt water, 3.5 %", "liquids and gases", 1025, 3990, 0.596, "C"),
    _material("ethylene glycol", "liquids and gases", 1114, 2385, 0.25, "M", (197, "boils")),
    _material("glycerine", "liquids and gases", 1260, 2390, 0.286, "M"),
    _material("engine oil", "liquids and gases", 886, 1890, 0.145, "MU", (150, "ages quickly")),
    _material("ethanol", "liquids and gases", 789, 2440, 0.167, "C", (78, "boils")),
    # Stone, ceramics and glass.
    _material("window glass", "stone, ceramics and glass", 2500, 750, 1.0, "IU", (110, "cracks when heated unevenly")),
    _material("borosilicate glass", "stone, ceramics and glass", 2230, 830, 1.1, "MU", (450, "usual limit")),
    _material("quartz glass", "stone, ceramics and glass", 2200, 750, 1.4, "IU", (1000, "usual limit")),
    _material("concrete", "stone, ceramics and glass", 2200, 1000, 1.65, "I"),
    _material("gypsum board", "stone, ceramics and glass", 900, 1000, 0.25, "IU", (50, "loses its water over time")),
    _material("clay brick", "stone, ceramics and glass", 1800, 1000, 0.8, "I"),
    _material("fireclay brick", "stone, ceramics and glass", 2645, 960, 1.0, "MU", (1300, "usual limit")),
    _material("insulating firebrick", "stone, ceramics and glass", 500, 1000, 0.14, "U", (1260, "classification")),
    _material("granite", "stone, ceramics and glass", 2600, 1000, 2.8, "I"),
    _material("tiles, ceramic", "stone, ceramics and glass", 2300, 840, 1.3, "I"),
    _material("alumina", "stone, ceramics and glass", 3970, 765, 36, "MU", (1600, "usual limit")),
    _material("sand, dry", "stone, ceramics and glass", 1515, 800, 0.27, "M"),
    # Plastics and rubbers.
    _material("PLA", "plastics and rubbers", 1250, 1800, 0.13, "P", (55, "softens")),
    _material("PETG", "plastics and rubbers", 1270, 1200, 0.2, "P", (75, "softens")),
    _material("ABS", "plastics and rubbers", 1050, 1500, 0.2, "P", (95, "softens")),
    _material("polystyrene", "plastics and rubbers", 1050, 1300, 0.16, "IP", (90, "softens")),
    _material("acrylic", "plastics and rubbers", 1180, 1500, 0.18, "IP", (90, "softens")),
    _material("polycarbonate", "plastics and rubbers", 1200, 1200, 0.2, "IP", (135, "softens")),
    _material("PVC", "plastics and rubbers", 1390, 900, 0.17, "IP", (70, "softens")),
    _material("polypropylene", "plastics and rubbers", 910, 1800, 0.22, "IP", (110, "softens")),
    _material("polyethylene, high density", "plastics and rubbers", 980, 1800, 0.5, "IP", (105, "softens")),
    _material("polyamide", "plastics and rubbers", 1150, 1600, 0.25, "IU", (120, "usual limit")),
    _material("PTFE", "plastics and rubbers", 2200, 1000, 0.25, "IU", (260, "usual limit")),
    _material("epoxy resin", "plastics and rubbers", 1200, 1400, 0.2, "IU", (120, "softens unless cured hotter")),
    _material("silicone", "plastics and rubbers", 1200, 1000, 0.35, "IU", (200, "usual limit")),
    _material("rubber, natural", "plastics and rubbers", 910, 1100, 0.13, "IU", (80, "ages quickly")),
    # Wax and the like.
    _material("paraffin wax", "wax", 900, 2890, 0.24, "MC", (150, "smokes"), (50, 62, 200_000)),
    _material("beeswax", "wax", 960, 2500, 0.25, "CU", (85, "discolours"), (61, 65, 177_000)),
    # Foods.
    _material("dark chocolate", "foods", 1300, 1600, 0.2, "FU", (50, "separates"), (27, 34, 44_000)),
    _material("milk", "foods", 1030, 3890, 0.53, "F"),
    _material("vegetable oil", "foods", 920, 1970, 0.17, "FU", (180, "smokes")),
    _material("honey", "foods", 1420, 2300, 0.5, "FU", (40, "loses its enzymes")),
    _material("meat, lean", "foods", 1050, 3500, 0.48, "F"),
    _material("dough", "foods", 1100, 2700, 0.4, "F"),
    _material("sugar syrup, 60 %", "foods", 1290, 2770, 0.4, "F"),
    _material("potatoes", "foods", 1080, 3670, 0.55, "F"),
)

MATERIALS: dict[str, Material] = {material.name: material for material in _ALL}
"""All materials by name, in the order of their groups."""
