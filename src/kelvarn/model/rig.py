"""The rig: bodies and links (or a response model), drives, probes and surroundings."""

from functools import cached_property
from typing import Any, Literal

from pydantic import model_validator

from kelvarn.scales import QuantityWords, words_for
from kelvarn.sentence import say

from .bodies import Body, DrawOff, Link, Surroundings, check_ices, check_link
from .drives import AnyDrive, Drive, Fan
from .fields import SURROUNDINGS, ModelBase, Name, field
from .goal import Goal
from .guards import MOST_GUARDS, ONLY_ONE, Guard, Permit
from .law import Way
from .names import check_unique
from .probes import Probe
from .response import ResponseModel
from .set_aside import SetAside

MAX_BODIES = 16
MAX_DRIVES = 4
MAX_PROBES = 6


class Rig(ModelBase):
    """The thing to control."""

    bodies: tuple[Body, ...] = field((), "Bodies", "What has a temperature.", max_length=MAX_BODIES)
    links: tuple[Link, ...] = field((), "Links", "Ways for heat.", max_length=200)
    draw_offs: tuple[DrawOff, ...] = field((), "Draw-offs", "What is drawn from bodies.", max_length=16)
    response: ResponseModel | None = field(
        None, "Response model", "Its answer to the drive, in place of bodies and links."
    )
    drives: tuple[Drive, ...] = field(
        ..., "Drives", "What heats or cools; the first is the main one.", min_length=1, max_length=MAX_DRIVES
    )
    sharing: Literal["equal", "priority"] = field(
        "equal",
        "Drives share",
        "Drives of one effect share a demand equally, or each waits until those before are full.",
    )
    probes: tuple[Probe, ...] = field(
        ..., "Probes", "What measures; one of them controls.", min_length=1, max_length=MAX_PROBES
    )
    surroundings: Surroundings = field(Surroundings(), "Surroundings", "What lies outside.")
    goal: Goal | None = field(None, "Goal", "What must be kept where, and why.")
    judged: Name | None = field(
        None, "Judge this body", "The body whose temperature is judged; else the one that the control probe sits in."
    )
    guards: tuple[Guard, ...] = field((), "Guards", "What keeps it safe, and what reports.", max_length=MOST_GUARDS)
    permits: tuple[Permit, ...] = field((), "Permits", "What must hold for the drives to be allowed.", max_length=12)
    set_aside: tuple[SetAside, ...] = field((), "Set aside", "Remarks that do not count here.", max_length=60)

    @property
    def drive(self) -> AnyDrive:
        """The main drive."""
        return self.drives[0]

    @cached_property
    def probe(self) -> Probe:
        """The control probe."""
        return self.probes[self.control_index]

    @cached_property
    def control_index(self) -> int:
        """Where the control probe stands."""
        return [probe.role for probe in self.probes].index("control")

    @property
    def unit(self) -> str | None:
        """Unit of what is controlled where that is no temperature, else None."""
        return None if self.response is None else self.response.unit

    @property
    def words(self) -> QuantityWords:
        """Words for what is controlled."""
        return words_for(self.unit)

    @property
    def unguarded(self) -> "Rig":
        """The same with nothing that would stop a test of it: no guards, permits and thermostats of drives."""
        kept = {name: getattr(self, name) for name in type(self).model_fields}
        drives = tuple(
            drive if getattr(drive, "dial_degC", None) is None else drive.model_copy(update={"dial_degC": None})
            for drive in self.drives
        )
        return type(self)(**{**kept, "drives": drives, "guards": (), "permits": ()})

    @property
    def judged_body(self) -> str:
        """The body that measures speak of."""
        return self.judged or self.probe.body

    @property
    def what_matters(self) -> str:
        """The body that must be kept: the goal's, else the one that measures speak of."""
        return self.judged_body if self.goal is None else self.goal.body

    @cached_property
    def all_bodies(self) -> tuple[Body, ...]:
        """The bodies; for a response model, the one that answers alike."""
        return self.bodies if self.response is None else (self.response.body(self.drive.power_W),)

    @cached_property
    def all_links(self) -> tuple[Link, ...]:
        """The links; for a response model, those that answer alike."""
        return self.links if self.response is None else self.response.links(self.drive.power_W)

    @cached_property
    def body_names(self) -> tuple[str, ...]:
        """Names of all that has a temperature."""
        return tuple(body.name for body in self.all_bodies)

    @cached_property
    def heats(self) -> bool:
        """Whether some drive heats."""
        return any(drive.acts == "heats" for drive in self.drives)

    @cached_property
    def cools(self) -> bool:
        """Whether some drive cools."""
        return any(drive.acts == "cools" for drive in self.drives)

    @property
    def cooling_fan(self) -> Fan | None:
        """The first fan that cools."""
        return next((drive for drive in self.drives if isinstance(drive, Fan) and drive.acts == "cools"), None)

    @property
    def way(self) -> Way:
        """Which way its drives go."""
        return Way(1 if self.heats else -1, self.heats and self.cools)

    def body_index(self, name: str) -> int:
        """Where the body of this name stands; the surroundings come after the last body."""
        return len(self.body_names) if name == SURROUNDINGS else self.body_names.index(name)

    def drive_index(self, name: str) -> int:
        """Where the drive of this name stands."""
        return [drive.name for drive in self.drives].index(name)

    def names_for(self, field: str) -> tuple[str, ...] | None:
        """Names that a field of an event or mark may refer to; None where it refers to nothing of the rig."""
        match field:
            case "body":
                return self.body_names
            case "to":
                return SURROUNDINGS, *self.body_names
            case "probe":
                return tuple(probe.name for probe in self.probes)
            case "drive":
                return tuple(drive.name for drive in self.drives)
            case "draw_off":
                return tuple(draw_off.name for draw_off in self.draw_offs)
            case "permit":
                return tuple(permit.name for permit in self.permits)
        return None

    def link_between(self, a: str, b: str) -> Link | None:
        """The link that joins two ends."""
        return next((link for link in self.links if link.joins(a, b)), None)

    @model_validator(mode="after")
    def _names_fit(self) -> "Rig":
        if (self.response is None) == (not self.bodies):
            raise ValueError(
                say("a rig needs at least one body")
                if self.response is None
                else say("a response model takes no bodies")
            )
        if self.response is not None and (self.links or self.draw_offs):
            raise ValueError(say("a response model takes no links and no draw-offs"))
        names = list(self.body_names)
        check_unique(names, say("body"))
        if any(name.lower() == SURROUNDINGS for name in names):
            raise ValueError(say("a body may not be called “{name}”; that is what lies outside", name=SURROUNDINGS))
        check_unique([drive.name for drive in self.drives], say("drive"))
        check_unique([probe.name for probe in self.probes], say("probe"))
        check_unique([draw_off.name for draw_off in self.draw_offs], say("draw-off"))
        movers = [drive.name for drive in self.drives if drive.moves]
        seen: set[frozenset[str]] = set()
        for link in self.links:
            check_link(link, names)
            pair = frozenset((link.a, link.b))
            if pair in seen:
                raise ValueError(
                    say("two links join “{a}” and “{b}”; add their conductances into one", a=link.a, b=link.b)
                )
            seen.add(pair)
            if link.driven_by is not None and link.driven_by not in movers:
                raise ValueError(
                    say("the link from “{a}” to “{b}” is driven by “{drive}”, which is no fan or valve of the rig",
                        a=link.a, b=link.b, drive=link.driven_by)
                )  # fmt: skip
        check_ices(self.links, self.bodies)
        if [probe.role for probe in self.probes].count("control") != 1:
            raise ValueError(say("exactly one probe must have the role control"))
        if self.goal is not None and self.goal.body not in names:
            raise ValueError(say("the goal names the body “{body}”, which does not exist", body=self.goal.body))
        if self.judged is not None and self.judged not in names:
            raise ValueError(say("the body judged is “{judged}”, which does not exist", judged=self.judged))
        drives: list[tuple[Any, str | None, str]] = [(drive, drive.heated_body, "drive") for drive in self.drives]
        probes = [(probe, probe.body, "probe") for probe in self.probes]
        for part, body, title in drives + probes + [(found, found.body, "draw-off") for found in self.draw_offs]:
            if body is not None and body not in names:
                raise ValueError(
                    say("{title} “{part}” names the body “{body}”, which does not exist", title=title, part=part.name,
                        body=body)
                )  # fmt: skip
        self._rules_fit()
        return self

    def _rules_fit(self) -> None:
        """Raise ValueError where a guard or permit names what there is not, or there are two of what is once."""
        check_unique([rule.name for rule in (*self.guards, *self.permits)], "guard or permit")
        for kind in ONLY_ONE:
            if sum(guard.kind == kind for guard in self.guards) > 1:
                raise ValueError(say("a rig has only one guard of the kind {kind}; make one of them", kind=kind))
        for guard in self.guards:
            for key in ("probe", "body"):
                names, name = self.names_for(key), getattr(guard, key, None)
                if name is not None and name not in (names or ()):
                    raise ValueError(
                        say("guard “{guard}” names the {what} “{name}”, which does not exist", guard=guard.name,
                            what=key, name=name)
                    )  # fmt: skip
            try:
                guard.check(self)
            except ValueError as error:
                raise ValueError(say("guard “{guard}” {error}", guard=guard.name, error=error)) from None
