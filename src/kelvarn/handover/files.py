"""The files of a program: settings, control, what is stored, the order of things, the board, and how to load it."""

import textwrap
from datetime import date
from typing import Any

from kelvarn import __version__
from kelvarn.engine.guard_records import Guard, GuardState
from kelvarn.engine.plant import Drive
from kelvarn.units import Quantity, Scale, show

from .adjusting import AdjustedLine, Adjusting, adjusting, with_ranges
from .board_files import BOARDS, BoardName, Language, heats, plain, render
from .carry import Carried
from .line_files import line_files
from .settings import working_setpoint
from .translate.wording import SettingLine
from .worked_cases import worked_cases

SLOW = frozenset((
    "age_ms", "clock_ms", "since_ms", "passed_ms", "decided_ms", "memory", "lost", "speed", "last_input", "last_drive",
    "r", "error_K",
))  # fmt: skip
"""Fields that change all the time, and are stored now and then."""
STORE_EVERY_MS = 3_600_000
_WRITINGS, _SLOTS = 100_000, 2
_YEAR_MS = 365 * 24 * 3_600_000
YEARS = int(_WRITINGS * _SLOTS * STORE_EVERY_MS / _YEAR_MS)
"""How long a memory of so many writings lasts."""
_WIDTH = 100
STRICT = ("-std=c99", "-pedantic", "-Wall", "-Wextra", "-Wconversion", "-Werror")
"""How strictly a compiler must find nothing to say."""


def program_files(carried: Carried, board: str = "simulated") -> dict[str, str]:
    """All files by name, but for those of its board.

    Args:
        carried: the program.
        board: that it says it is on.

    Raises:
        HandoverError: the candidate cannot be carried over; one sentence that says why.
    """
    sources, made = carried.sources, adjusting(carried)
    lines = with_ranges(carried.lines(), made)
    adjusted = [_adjusted(each) for each in made.adjusted]
    conditions = _conditions(lines, sources.fits) or ["true"]
    return {
        "settings.h": _settings(carried, lines, made),
        "settings.c": render("settings.c.jinja", conditions=conditions, adjusted=adjusted),
        "numbers.h": render("numbers.h.jinja", real=carried.real),
        "control.h": sources.header,
        "control.c": sources.body,
        "board.h": plain("board.h"),
        "program.h": plain("program.h"),
        "program.c": _program(carried, made),
        **line_files(carried, board),
        "store.h": render("store.h.jinja", adjusted=adjusted, probes=len(carried.project.rig.probes)),
        "store.c": plain("store.c"),
    }


def _adjusted(each: AdjustedLine) -> dict[str, str]:
    """What templates need of a setting that stays adjustable."""
    return {
        "name": each.line.name, "field": each.line.name.lower(), "type": "int32_t" if each.is_whole else "real",
        "text": text_of(each.line), "lowest": f"REAL({each.lowest!r})", "highest": f"REAL({each.highest!r})",
        "step": f"REAL({each.step!r})",
    }  # fmt: skip


def readme(carried: Carried, board: BoardName, today: date, scale: Scale, language: Language) -> str:
    """What goes with the files: what each is, how to build it, how to put it in a board, cases to try by hand.

    Args:
        carried: the program.
        board: that it is for.
        today: when it is made.
        scale: that its sentences speak in.
        language: of the program.
    """
    rig, adjusted = carried.project.rig, adjusting(carried).adjusted
    return render(
        "README.py.md.jinja" if language == "python" else "README.md.jinja",
        candidate=carried.candidate.name, project=carried.project.name, trial=carried.trial.name,
        fingerprint=carried.fingerprint, version=__version__, date=today.isoformat(),
        adjusted=[each.line.name for each in adjusted],
        strict=" ".join(STRICT),
        outputs=[drive.name for drive in rig.drives], probes=[probe.name for probe in rig.probes],
        board=board, board_title=BOARDS[board].title, interval_s=rig.probe.interval_s,
        asked=[permit.name for permit in rig.permits], store_h=STORE_EVERY_MS // 3_600_000, years=YEARS,
        cases=worked_cases(carried.project, carried.candidate, scale),
        setpoint=show(working_setpoint(carried.project, carried.trial), Quantity.TEMPERATURE, scale),
    )  # fmt: skip


def text_of(line: SettingLine) -> str:
    """The value of a line as C has it."""
    if isinstance(line.value, str):
        return line.value
    return f"INT32_C({line.value})" if isinstance(line.value, int) else f"REAL({line.value!r})"


def _settings(carried: Carried, lines: list[SettingLine], made: Adjusting) -> str:
    rows, live = [], {each.line.name: each for each in made.adjusted}
    for line in lines:
        said = setting_comment(line, live.get(line.name))
        comment = "/* " + "\n   ".join(textwrap.wrap(said.strip(), _WIDTH - 6)) + " */"
        text = f"(adjusted.{line.name.lower()})" if line.name in live else text_of(line)
        rows.append({"comment": comment if said.strip() else "", "name": line.name, "text": text})
    return render(
        "settings.h.jinja", lines=rows, adjusted=[_adjusted(each) for each in made.adjusted],
        bus_unit=0 if carried.real == "float" else 1,
        candidate=carried.candidate.name, project=carried.project.name, fingerprint=carried.fingerprint,
    )  # fmt: skip


def setting_comment(line: SettingLine, adjusted: AdjustedLine | None = None) -> str:
    """What is said of a setting: what it means, its unit and range."""
    said = line.says
    if line.unit:
        said += f" In {line.unit}."
    if line.low is not None and line.high is not None:
        said += f" From {line.low:g} to {line.high:g}."
    if adjusted is not None:
        said += f" Adjustable, in steps of {adjusted.step:g}; at the start {line.value}."
    if not line.edited:
        said += " Follows from the others: not to be edited."
    return said.strip()


def _conditions(lines: list[SettingLine], fits: list[str]) -> list[str]:
    """What must hold of the settings, in C."""
    found = []
    for line in lines:
        if line.edited and line.low is not None and line.high is not None:
            low, high = (f"INT32_C({int(each)})" if isinstance(line.value, int) else f"REAL({float(each)!r})"
                         for each in (line.low, min(line.high, 2e9)))  # fmt: skip
            found.append(f"{line.name} >= {low} && {line.name} <= {high}")
    return found + [f"({each})" for each in fits]


def is_urgent(carried: Carried, record: Any, row: int, name: str) -> bool:
    """Whether a change of what is stored must be stored at once: not what ages, nor a guard that lets go by itself."""
    if record is GuardState:
        return bool(carried.known.rows[Guard][row].latches)
    return name not in SLOW


def _program(carried: Carried, made: Adjusting) -> str:
    rig, stored = carried.project.rig, carried.sources.stored
    urgent = [each.called for each in stored if is_urgent(carried, each.record, each.row, each.name)]
    many = len(rig.drives) > 1
    return render(
        "program.c.jinja",
        title=f"{carried.candidate.name}, {carried.project.name}",
        adjusted=made.adjusted,
        urgent="\n        || ".join(f"now->{each} != kept.stored.{each}" for each in urgent) or "false",
        store_every_ms=STORE_EVERY_MS,
        years=YEARS,
        outputs=[
            {"place": f"states[{k}]" if many else "states", "heats": heats(drive)}
            for k, drive in enumerate(carried.known.rows[Drive])
        ],
        probes=len(rig.probes),
        readings="inputs.readings" if len(rig.probes) > 1 else "&inputs.readings",
    )
