"""What a law's rulers stand at, in a few words."""

from kelvarn.model.candidate import Controller
from kelvarn.units import Quantity, Scale, show

_SHORT = {
    "Gain ": "", "Integral time ": "", "Derivative time ": "", "Setpoint weight ": "",
    "Switches on below the setpoint by": "on short by", "Switches off above the setpoint by": "off past by",
    "Hysteresis, each way": "hysteresis ±",
}  # fmt: skip


def on_rulers(law: Controller, scale: Scale) -> str:
    """Each setting that stands on a ruler, such as "Kp 16 % per K, Ti 11.7 min"."""
    parts = []
    for name in law.rulers:
        info = type(law).model_fields[name]
        extra = info.json_schema_extra
        assert isinstance(extra, dict)
        title = info.title or name
        for long, short in _SHORT.items():
            title = title.replace(long, short)
        parts.append(f"{title} {show(getattr(law, name), Quantity(str(extra['quantity'])), scale)}")
    return ", ".join(parts)
