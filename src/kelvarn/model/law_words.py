"""A law's main settings in a few words."""

from kelvarn.units import Quantity, Scale, show

from .candidate import Controller
from .curve import Curve
from .pid import Pid

_SHORT = {
    "Gain ": "", "Integral time ": "", "Derivative time ": "", "Setpoint weight ": "",
    "Switches on below the setpoint by": "on short by", "Switches off above the setpoint by": "off past by",
    "Hysteresis, each way": "hysteresis ±",
}  # fmt: skip


def law_text(law: Controller, scale: Scale = Scale.CELSIUS) -> str:
    """Steps of a curve, else what stands on rulers, such as "Kp 16 % per K, Ti 11.7 min"."""
    if isinstance(law, Curve) and law.shape == "steps":
        return ", ".join(
            f"{show(step.drive, Quantity.DRIVE)} from {show(step.from_degC, Quantity.TEMPERATURE, scale)}"
            for step in law.steps
        )
    parts = []
    for name in law.rulers:
        info = type(law).model_fields[name]
        extra = info.json_schema_extra
        assert isinstance(extra, dict)
        title = info.title or name
        for long, short in _SHORT.items():
            title = title.replace(long, short)
        parts.append(f"{title} {show(getattr(law, name), Quantity(str(extra['quantity'])), scale)}")
    if isinstance(law, Pid) and law.bias:
        parts.append(f"bias {show(law.bias, Quantity.DRIVE)}")
    return ", ".join(parts)
