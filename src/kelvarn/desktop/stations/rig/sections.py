"""What the panel shows of each kind of part."""

from collections.abc import Callable
from functools import partial

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.texts import MOST_OF_A_NAME
from kelvarn.model.bodies import Link, Melting
from kelvarn.model.drives import DRIVE_KINDS
from kelvarn.model.drives import Switch as SwitchPart
from kelvarn.model.edit import Path, with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.icing import Icing
from kelvarn.model.origins import Heatsink, Nameplate, Radiator, Stream, Wall
from kelvarn.model.probe_types import PROBE_TYPES, fields_of
from kelvarn.model.probes import Converter, Correction
from kelvarn.model.rig_edit import change_kind, rename_body, rename_draw_off, rename_drive, rename_probe, set_role
from kelvarn.sentence import say
from kelvarn.tune.law_remarks import lasting
from kelvarn.units import Quantity, shortened, show

from . import worked_out
from .converter_card import fill_converter
from .keys import key_of
from .part_panel import PartPanel

_ROLES = [("control", say("controls")), ("guard", say("guards")), ("watch", say("is recorded"))]


def _bodies(panel: PartPanel) -> list[tuple[str, str]]:
    return [(name, name) for name in panel.document.project.rig.body_names]


def fill_body(panel: PartPanel, index: int) -> None:
    """A body, its links, what it is made of; or the response model."""
    rig = panel.document.project.rig
    name = rig.body_names[index]
    panel.name(tell("Name of the body"), lambda: name, partial(_rename_body, panel, name))
    notes = [
        tell("{probe} sits in it", probe=probe.name)
        for probe in rig.probes
        if probe.body == name and probe.role != "control"
    ]
    if rig.probe.body == name:
        notes.insert(0, tell("the body the probe sits in"))
    notes += [
        tell("the body that {drive} heats" if d.acts == "heats" else "the body that {drive} cools", drive=d.name)
        for d in rig.drives
        if d.heated_body == name
    ]
    if notes:
        panel.note(lambda: "; ".join(notes))
    if rig.response is not None:
        _fill_response(panel)
        return
    path: Path = ("rig", "bodies", index)
    panel.field(path, "capacity_J_per_K")
    panel.field(path, "start_degC", empty=tell("surroundings"))
    panel.field(path, "own_heat_W")
    panel.field(path, "limit_degC")
    panel.field(path, "low_limit_degC")
    panel.field(path, "ready_K")
    if panel.at(path).limit_degC is not None or panel.at(path).low_limit_degC is not None:
        panel.text(path, "limit_why")
    for k, link in enumerate(rig.links):
        if name in (link.a, link.b):
            other = link.b if link.a == name else link.a
            to = tell("the surroundings") if other == SURROUNDINGS else other
            field = panel.field(("rig", "links", k), "conductance_W_per_K",
                                tell("Link to {body}", body=shortened(to, MOST_OF_A_NAME)))  # fmt: skip
            field.add_beside(panel.cross(tell("Take out the link to {body}", body=to), partial(panel.edits.unlink, k)))
    panel.optional(
        path, "melting", tell("melting range"), lambda: Melting(from_degC=50, to_degC=60, latent_J=50_000),
        lambda here: panel.fields(here, ("from_degC", "to_degC", "latent_J")),
    )  # fmt: skip
    worked_out.pieces_card(panel, path)


def _rename_body(panel: PartPanel, old: str, new: str) -> None:
    project = panel.document.project
    index = project.rig.body_index(old)
    changed = rename_body(project, old, new)
    panel.edits.selected = changed.rig.body_names[index]
    panel.document.apply(changed, tell("rename {name}", name=old))


def _fill_response(panel: PartPanel) -> None:
    path: Path = ("rig", "response")
    kinds = [("one_lag", tell("one lag")), ("two_lags", tell("two lags")), (tell("integrating"), tell("integrating"))]
    panel.choice(path, "kind", kinds)
    kind = panel.at(path).kind
    names = {
        "one_lag": ("gain_K", "lag_s"),
        "two_lags": ("gain_K", "lag_s", "lag2_s"),
        tell("integrating"): ("rise_K_per_s",),
    }
    panel.fields(path, names[kind])
    panel.field(path, "dead_time_s")
    panel.field(path, "start_degC", empty=tell("at rest"))
    panel.field(path, "limit_degC")
    panel.note(lambda: tell("Unit, where it is about something else than temperature, such as % RH or ppm:"))
    panel.name(tell("Unit"), lambda: panel.at(path).unit or "", lambda new: _set_unit(panel, path, new))


def _set_unit(panel: PartPanel, path: Path, unit: str) -> None:
    panel.document.set((*path, "unit"), unit or None, tell("unit: {unit}", unit=unit or say("temperature")))


def fill_link(panel: PartPanel, index: int) -> None:
    """A link: conductance, radiation, door, fan."""
    rig = panel.document.project.rig
    if rig.response is not None:
        return
    link = rig.links[index]
    path: Path = ("rig", "links", index)
    panel.head(tell(link.text))
    panel.field(path, "conductance_W_per_K")
    panel.field(path, "opened_W_per_K")
    panel.field(path, "radiating_m2")
    movers = [(None, tell("nothing")), *((d.name, d.name) for d in rig.drives if d.moves)]
    if len(movers) > 1:
        panel.choice(path, "driven_by", list(movers))
    else:
        panel.button(tell("+ fan that drives it"), panel.edits.add_fan_link)
    if link.driven_by is not None:
        panel.fields(path, ("full_W_per_K", "flow_exponent"))
        panel.optional(
            path, "stream", tell("W/K from the flow in m³/h"), Stream, partial(worked_out.stream_fields, panel)
        )
    panel.optional(
        path,
        "icing",
        tell("ice, where it gets colder than 0 °C"),
        lambda: _new_icing(link),
        partial(_fill_icing, panel, link),
    )
    panel.optional(path, "wall", tell("W/K from the layers of a wall"), Wall, partial(worked_out.wall_fields, panel))
    panel.optional(
        path, "heatsink", tell("W/K from a heatsink's K/W"), Heatsink, partial(worked_out.heatsink_fields, panel)
    )
    panel.optional(
        path, "radiator", tell("m² from surface and emissivity"), Radiator, partial(worked_out.radiator_fields, panel)
    )
    panel.button(tell("Remove this link"), panel.edits.remove)


def _new_icing(link: Link) -> Icing:
    return Icing(iced="b" if link.a == SURROUNDINGS else "a")


def _fill_icing(panel: PartPanel, link: Link, here: Path) -> None:
    panel.choice(here, "iced", [(end, name) for end, name in (("a", link.a), ("b", link.b)) if name != SURROUNDINGS])
    panel.fields(here, ("dew_point_degC", "area_m2"))
    if link.driven_by is not None:
        panel.field(here, "blocks_kg")
    panel.field(here, "start_kg")
    panel.note(lambda: tell("A coarse model: an even layer that keeps heat off and stands in the way of the air."))


def fill_drive(panel: PartPanel, index: int) -> None:
    """A drive with what its kind has."""
    rig = panel.document.project.rig
    drive = rig.drives[index]
    path: Path = ("rig", "drives", index)
    if panel.edits.selected == key_of("drive", index):
        panel.name(tell("Name of the drive"), lambda: panel.at(path).name, partial(_rename, panel, rename_drive, index))
    else:
        panel.head(tell("Drive: {name}", name=drive.name))
    kinds = [(kind, tell(of_kind.what)) for kind, of_kind in DRIVE_KINDS.items()]
    panel.choice(path, "kind", kinds, lambda kind: _set_kind(panel, index, kind), tell("Kind"))
    panel.field(path, "power_W")
    has = type(drive).model_fields
    if "body" in has:
        panel.choice(path, "body", [(None, tell("nothing")), *_bodies(panel)] if drive.moves else _bodies(panel))
    words = rig.words
    panel.choice(path, "acts", [("heats", tell(words.heats)), ("cools", tell(words.cools))])
    panel.field(path, "dead_time_s")
    for name in drive.shown:
        show_it = panel.switch if has[name].annotation is bool else panel.field
        show_it(path, name)
    if "rated_operations" in has:
        panel.note(lambda: _relay_life(panel))
    if panel.edits.selected != key_of("drive", index):
        return
    if "resistive" in has:
        panel.switch(path, "resistive")
    panel.switch(path, "active_low")
    if len(rig.drives) > 1:
        panel.choice(("rig",), "sharing", [("equal", tell("equally")), ("priority", tell("one after another"))])
    if "nameplate" in has:
        panel.optional(
            path, "nameplate", tell("W from the nameplate"), Nameplate, partial(worked_out.nameplate_fields, panel)
        )
    if "switch" in has:
        panel.optional(
            path, "switch", tell("what the switch must shed"), lambda: panel.at(path).usual_switch(),
            partial(_fill_switch, panel),
        )  # fmt: skip
    if len(rig.drives) > 1:
        panel.button(tell("Remove this drive"), panel.edits.remove)


def _fill_switch(panel: PartPanel, here: Path) -> None:
    panel.fields(here, ("supply_V", "drop_V", "on_ohm", "limit_W"))

    def sheds() -> tuple[float, float | None]:
        switch: SwitchPart = panel.at(here)
        return switch.dissipation_W(panel.at(here[:-1]).power_W), switch.limit_W

    def text() -> str:
        watts, limit = sheds()
        said = tell("It dissipates {power} at full drive.", power=show(watts, Quantity.POWER))
        return said if limit is None or watts <= limit else ""

    def fault() -> str:
        watts, limit = sheds()
        if limit is None or watts <= limit:
            return ""
        return tell(
            "It would have to shed {power} at full drive, more than its {limit}: a larger heatsink or another switch "
            "is needed.", power=show(watts, Quantity.POWER), limit=show(limit, Quantity.POWER),
        )  # fmt: skip

    panel.note(text)
    panel.note(fault, "wrong")


def _relay_life(panel: PartPanel) -> str:
    """How long the relay lasts at the pace of the selected candidate's run."""
    years = panel.relay_life_years
    if years is None:
        return ""
    return tell("At the pace of this trial the relay lasts {time}.", time=lasting(years))


def _set_kind(panel: PartPanel, index: int, kind: str) -> None:
    project = panel.document.project
    if project.rig.drives[index].kind != kind:
        changed = change_kind(project, index, kind)
        panel.document.apply(changed, tell("drive kind: {kind}", kind=DRIVE_KINDS[kind].what))


def _rename(panel: PartPanel, how: Callable[..., object], index: int, new: str) -> None:
    changed = how(panel.document.project, index, new)
    panel.document.apply(changed, tell("rename to {name}", name=new))  # type: ignore[arg-type]


def fill_probe(panel: PartPanel, index: int) -> None:
    """A probe with all that makes its readings differ."""
    probe = panel.document.project.rig.probes[index]
    path: Path = ("rig", "probes", index)
    chosen = panel.edits.selected == key_of("probe", index)
    if chosen:
        panel.name(tell("Name of the probe"), lambda: panel.at(path).name, partial(_rename, panel, rename_probe, index))
        panel.choice(
            path, "role", [(role, tell(word)) for role, word in _ROLES], lambda role: _set_role(panel, index, role)
        )
    else:
        panel.head(tell("Probe: {name}", name=probe.name))
    panel.choice(path, "body", _bodies(panel))
    if chosen:
        types = [("", tell("of its own kind")), *((name, tell(name)) for name in PROBE_TYPES)]
        panel.choice(path, "like", types, lambda name: _set_type(panel, index, name))
        panel.note(lambda: _tolerance(panel, index))
    panel.fields(path, ("lag_s", "noise_K", "resolution_K"))
    if probe.role == "control":
        panel.field(path, "interval_s")
        if len(panel.document.project.rig.body_names) > 1:
            panel.choice(("rig",), "judged", [(None, tell("the body it sits in")), *_bodies(panel)])
    if not chosen:
        return
    panel.fields(path, ("dead_time_s", "offset_K", "slope", "lowest_degC", "highest_degC"))
    panel.optional(
        path, "converter", tell("converter (bits, thermistor, table)"), Converter, partial(fill_converter, panel)
    )
    panel.optional(
        path, "correction", tell("two-point correction"),
        lambda: Correction(shown_low_degC=0, true_low_degC=0, shown_high_degC=100, true_high_degC=100),
        lambda here: panel.fields(here, ("shown_low_degC", "true_low_degC", "shown_high_degC", "true_high_degC")),
    )  # fmt: skip
    if probe.role != "control":
        panel.button(tell("Remove this probe"), panel.edits.remove)


def _set_type(panel: PartPanel, index: int, name: str) -> None:
    found = PROBE_TYPES.get(name)
    changes = {"like": ""} if found is None else fields_of(found)
    path: Path = ("rig", "probes", index)
    panel.document.set(
        path, with_fields(panel.at(path), **changes), tell("probe type: {kind}", kind=say(name or "of its own kind"))
    )


def _tolerance(panel: PartPanel, index: int) -> str:
    """How far a probe of its type may be off at the setpoint, and where that stands."""
    found = PROBE_TYPES.get(panel.at(("rig", "probes", index, "like")))
    if found is None:
        return ""
    project, scale = panel.document.project, panel.view.scale
    setpoint = panel.view.trial(project).plan.last_degC
    off, at = show(found.error_K(setpoint), Quantity.DIFFERENCE, scale), show(setpoint, Quantity.TEMPERATURE, scale)
    return tell("It may be off by {off} at {at} ({source}).", off=off, at=at, source=found.source)


def _set_role(panel: PartPanel, index: int, role: str) -> None:
    project = panel.document.project
    if project.rig.probes[index].role != role:
        panel.document.apply(
            set_role(project, index, role), f"{project.rig.probes[index].name}: {tell(dict(_ROLES)[role])}"
        )


def fill_draw_off(panel: PartPanel, index: int) -> None:
    """A draw-off."""
    path: Path = ("rig", "draw_offs", index)
    panel.name(
        tell("Name of the draw-off"), lambda: panel.at(path).name, partial(_rename, panel, rename_draw_off, index)
    )
    panel.choice(path, "body", _bodies(panel))
    panel.field(path, "flow_W_per_K")
    panel.field(path, "inlet_degC", empty=tell("surroundings"))
    panel.switch(path, "always")
    panel.note(lambda: "" if panel.at(path).always else tell("It runs while an event of the trial says so."))
    panel.button(tell("Remove this draw-off"), panel.edits.remove)


def fill_goal(panel: PartPanel) -> None:
    """What must be kept where, and why."""
    path: Path = ("rig", "goal")
    if panel.at(path) is None:
        panel.button(tell("+ goal"), panel.edits.set_goal, tell("What must be kept where, and why"))
        return
    panel.titled(tell("What must be kept"), lambda: panel.document.set(path, None, tell("remove the goal")))
    panel.choice(path, "body", _bodies(panel))
    panel.fields(path, ("low_degC", "high_degC"))
    panel.text(path, "why")
    panel.text(path, "source")


FILL: dict[str, Callable[[PartPanel, int], None]] = {
    "link": fill_link, "drive": fill_drive, "probe": fill_probe, "draw_off": fill_draw_off,
}  # fmt: skip
