"""Scales in which what is controlled is shown, and the words that go with them."""

from dataclasses import dataclass
from typing import ClassVar, NamedTuple

from .sentence import say


class QuantityWords(NamedTuple):
    """Words that differ by what is controlled: a temperature, or humidity, light and the like."""

    highest: str
    lowest: str
    heats: str
    cools: str
    heating: str
    cooling: str
    warmer: str
    colder: str
    heater: str
    cold: str  # where it begins
    burn: str  # what too much of it does


_OF_TEMPERATURE = QuantityWords(
    say("hottest"),
    say("coldest"),
    say("heats"),
    say("cools"),
    say("heating"),
    say("cooling"),
    say("warmer"),
    say("colder"),
    say("heater"),
    say("cold"),
    say("burn or melt"),
)
_OF_ANOTHER = QuantityWords(
    say("highest"),
    say("lowest"),
    say("raises"),
    say("lowers"),
    say("raising"),
    say("lowering"),
    say("higher"),
    say("lower"),
    say("drive"),
    say("at rest"),
    say("suffer"),
)


def words_for(unit: str | None) -> QuantityWords:
    """Words for what is controlled, by its unit; None is a temperature."""
    return _OF_TEMPERATURE if unit is None else _OF_ANOTHER


@dataclass(frozen=True)
class Scale:
    """How temperatures are shown; files and code always use degC and K.

    A scale that is its rig's `own` shows another quantity, such as humidity: its numbers are shown as they are.

    Attributes:
        value: its unit.
        own: whether it is no scale of temperature.
    """

    value: str
    own: bool = False

    @property
    def words(self) -> QuantityWords:
        """Words for what it is a scale of."""
        return words_for(self.value if self.own else None)

    CELSIUS: ClassVar["Scale"]
    FAHRENHEIT: ClassVar["Scale"]
    KELVIN: ClassVar["Scale"]


Scale.CELSIUS, Scale.FAHRENHEIT, Scale.KELVIN = Scale("°C"), Scale("°F"), Scale("K")
SCALES = (Scale.CELSIUS, Scale.FAHRENHEIT, Scale.KELVIN)
"""The scales of temperature."""
