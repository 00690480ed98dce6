"""The widget that goes with a field, by how the field is declared."""

from typing import Any, Literal, get_args, get_origin

from PySide6.QtWidgets import QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.model.fields import words_of
from kelvarn.model.rig import Rig

from .binding import Binding
from .number import NumberField
from .plain import ChoiceField, SwitchField, TextField


def field_for(binding: Binding, rig: Rig) -> QWidget:
    """A number, a choice, a yes or no, a name out of the rig's, or a line of text.

    A choice of which there is but one is not shown.
    """
    if binding.quantity is not None:
        return NumberField(binding)
    names = rig.names_for(str(binding.path[-1]))
    choices: list[tuple[Any, str]] = []
    if names is not None:
        choices = [(name, name) for name in names]
    elif get_origin(binding.info.annotation) is Literal:
        choices = [(value, tell(words_of(binding.info, value))) for value in get_args(binding.info.annotation)]
    elif binding.info.annotation is bool:
        return SwitchField(binding)
    else:
        return TextField(binding)
    made = ChoiceField(binding, choices)
    set_shown(made, len(choices) > 1)
    return made
