"""Sixty logs as boards and loggers write them, each with what it says: instants in s, degC, drive 0…1."""

import json
import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

Floats = np.ndarray


@dataclass(frozen=True)
class Foreign:
    """A made file and the truth of it."""

    name: str
    raw: bytes
    time_s: Floats
    degC: Floats
    drive: Floats


@dataclass(frozen=True)
class Course:
    """A step with noise: what all of them tell, each in its own way."""

    t: Floats
    y: Floats
    u: Floats
    room: Floats

    @property
    def rows(self) -> range:
        return range(self.t.size)


def course(seed: int, every_s: float = 2.0, rows: int = 500, level: float = 0.45, start: float = 19.0) -> Course:
    r = np.random.default_rng(seed)
    t = np.arange(rows) * every_s
    on = 0.1 * t[-1]
    y = start + 90 * level * (1 - np.exp(-np.maximum(t - on - 0.01 * t[-1], 0) / (0.3 * t[-1])))
    u = np.where(t >= on, level, 0.0)
    return Course(t, np.round(y + 0.05 * r.standard_normal(rows), 2), u, np.round(start + 0.2 * np.sin(t / 300), 1))


def _clock(s: float, digits: int = 0) -> str:
    s = s % 86400
    whole = f"{int(s // 3600):02d}:{int(s // 60 % 60):02d}:"
    return whole + (f"{int(s % 60):02d}" if not digits else f"{s % 60:0{3 + digits}.{digits}f}")


def _made(name: str, lines: list[str], c: Course, end: str = "\n", encoding: str = "utf-8", drive: Floats | None = None,
          rows: Floats | None = None) -> Foreign:  # fmt: skip
    keep = np.ones(c.t.size, bool) if rows is None else rows
    t = c.t[keep]
    return Foreign(
        name, (end.join(lines) + end).encode(encoding), t - t[0], c.y[keep], (c.u if drive is None else drive)[keep]
    )


Row = Callable[[Course, int], str]
_BEGUN = datetime(2026, 3, 4, 22, 50, 3)


def _at(c: Course, k: int) -> datetime:
    return _BEGUN + timedelta(seconds=float(c.t[k]))


def _comma(text: str) -> str:
    return text.replace(".", ",")


def _on(c: Course, k: int) -> bool:
    return bool(c.u[k] > 0)


# Name, header lines, row, and options of `_made` or `course`.
_PLAIN: tuple[tuple[str, list[str], Row, dict], ...] = (
    ("millis, pwm", ["millis,temp,pwm"], lambda c, k: f"{1000 * c.t[k]:.0f},{c.y[k]},{round(255 * c.u[k])}", {"level": 0.8}),
    ("seconds, percent", ["time_s,temp_C,duty_%"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("semicolons, decimal comma", ["Zeit [s];Temperatur [°C];Stellgrad [%]"],
     lambda c, k: _comma(f"{c.t[k]:.1f};{c.y[k]};{100 * c.u[k]:.1f}"), {}),
    ("tabs", ["Time (s)\tOven (°C)\tHeater (%)"], lambda c, k: f"{c.t[k]:.1f}\t{c.y[k]}\t{100 * c.u[k]:.0f}", {}),
    ("bars", ["time|temperature|power %"], lambda c, k: f"{c.t[k]:.2f}|{c.y[k]}|{100 * c.u[k]:.0f}", {}),
    ("blanks", ["t temp duty"], lambda c, k: f"{c.t[k]:.2f}  {c.y[k]:7.2f}   {c.u[k]:.2f}", {}),
    ("fahrenheit", ["time_s,temp_F,output_pct"], lambda c, k: f"{c.t[k]:.1f},{c.y[k] * 1.8 + 32:.2f},{100 * c.u[k]:.0f}", {}),
    ("kelvin", ["t [s],T [K],u [0..1]"], lambda c, k: f"{c.t[k]:.1f},{c.y[k] + 273.15:.2f},{c.u[k]:.3f}", {}),
    ("words on and off", ["seconds,Celsius,relay"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{'ON' if _on(c, k) else 'OFF'}", {"level": 1.0}),
    ("true and false", ["seconds,probe,heating"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{str(_on(c, k)).lower()}", {"level": 1.0}),
    ("one and nought", ["seconds,probe,ssr"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{int(_on(c, k))}", {"level": 1.0}),
    ("iso with T", ["timestamp,temperature_c,duty_pct"], lambda c, k: f"{_at(c, k).isoformat()},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("iso with zone", ["timestamp,temperature_c,duty_pct"], lambda c, k: f"{_at(c, k).isoformat()}+02:00,{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("iso with Z", ["timestamp,temperature_c,duty_pct"], lambda c, k: f"{_at(c, k).isoformat()}Z,{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("iso with blank", ["Date Time;Temp °C;Out %"], lambda c, k: _comma(f"{_at(c, k):%Y-%m-%d %H:%M:%S};{c.y[k]};{100 * c.u[k]:.0f}"), {}),
    ("day.month.year", ["Datum;Ist °C;Heizung %"], lambda c, k: f"{_at(c, k):%d.%m.%Y %H:%M:%S};" + _comma(f"{c.y[k]};{100 * c.u[k]:.0f}"), {}),
    ("month/day/year am pm", ["Date,Temp (°F),Fan (%)"],
     lambda c, k: f"{_at(c, k):%m/%d/%Y %I:%M:%S %p},{c.y[k] * 1.8 + 32:.1f},{100 * c.u[k]:.0f}", {}),
    ("clock over midnight", ["Time,Shed °C,Heater %"], lambda c, k: f"{_clock(86000 + c.t[k])},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("clock with parts of seconds", ["Uhrzeit;T1 °C;PWM"], lambda c, k: f"{_clock(3600 + c.t[k], 3)};{_comma(str(c.y[k]))};{round(255 * c.u[k])}", {"level": 0.9}),
    ("spreadsheet days", ["Timestamp,PT100 °C,Duty %"], lambda c, k: f"{46000.25 + c.t[k] / 86400:.7f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("seconds since 1970", ["epoch,temp,duty %"], lambda c, k: f"{1_780_000_000 + c.t[k]:.1f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("milliseconds since 1970", ["ts,temp,duty %"], lambda c, k: f"{1_780_000_000_000 + 1000 * c.t[k]:.0f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("minutes", ["time (min),temp °C,duty %"], lambda c, k: f"{c.t[k] / 60:.4f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("microseconds", ["micros,temp °C,duty %"], lambda c, k: f"{1e6 * c.t[k]:.0f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("wraps", ["ms;temp;pwm"], lambda c, k: f"{(2**32 - 300_000 + int(1000 * c.t[k])) % 2**32};{_comma(str(c.y[k]))};{round(255 * c.u[k])}", {"level": 0.7}),
    ("wraps, no header", [], lambda c, k: f"{(2**32 - 300_000 + int(1000 * c.t[k])) % 2**32},{c.y[k]},{round(255 * c.u[k])}", {"level": 0.7}),
    ("no header", [], lambda c, k: f"{1000 * c.t[k]:.0f},{c.y[k]},{round(255 * c.u[k])}", {"level": 0.9}),
    ("no header, seconds", [], lambda c, k: f"{c.t[k]:.2f}\t{c.y[k]}\t{c.u[k]:.2f}", {}),
    ("interval above", ["Logger 3", "interval: 2 s", "temp;duty %"], lambda c, k: _comma(f"{c.y[k]};{100 * c.u[k]:.0f}"), {}),
    ("units in a row", ["Time,Temp,Heater", "s,°C,%"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("comment above", ["# board 7, firmware 1.2", "# t_s, temp_C, duty"], lambda c, k: f"{c.t[k]:.1f}, {c.y[k]}, {c.u[k]:.2f}", {}),
    ("quoted", ['"Time (s)","Temp (°C)","Out (%)"'], lambda c, k: f'"{c.t[k]:.1f}","{c.y[k]}","{100 * c.u[k]:.0f}"', {}),
    ("quoted decimal commas", ['"Zeit (s)","Temp (°C)","Stell (%)"'], lambda c, k: f'"{_comma(f"{c.t[k]:.1f}")}","{_comma(str(c.y[k]))}","{100 * c.u[k]:.0f}"', {}),
    ("units in the fields", ["time,temp,output"], lambda c, k: f"{c.t[k]:.1f} s,{c.y[k]} °C,{100 * c.u[k]:.0f} %", {}),
    ("ends in a delimiter", ["time_s;temp_C;duty_pct;"], lambda c, k: _comma(f"{c.t[k]:.1f};{c.y[k]};{100 * c.u[k]:.0f};"), {}),
    ("serial monitor", [], lambda c, k: f"temp: {c.y[k]} duty: {100 * c.u[k]:.0f}% t: {c.t[k]:.1f}", {}),
    ("serial monitor with a clock", [], lambda c, k: f"{_clock(5000 + c.t[k], 3)} -> T1={c.y[k]}, pwm={round(255 * c.u[k])}", {"level": 0.85}),
    ("serial monitor, ms", ["ready"], lambda c, k: f"ms:{1000 * c.t[k]:.0f} Temp:{c.y[k]} PWM:{round(255 * c.u[k])}", {"level": 0.85}),
    ("json lines", [], lambda c, k: json.dumps({"ms": 1000 * float(c.t[k]), "temp_c": float(c.y[k]), "duty_pct": 100 * float(c.u[k])}), {}),
    ("json lines, nested", [], lambda c, k: json.dumps({"time": _at(c, k).isoformat(), "oven": {"degC": float(c.y[k])}, "heater": {"on": _on(c, k)}}), {"level": 1.0}),
    ("with humidity and voltage", ["time_s,temp_C,humidity_%,supply_V,duty_%"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{45 + 0.01 * k:.1f},12.1,{100 * c.u[k]:.0f}", {}),
    ("with a row number", ["Nr;Zeit s;Temp °C;PWM %"], lambda c, k: f"{k + 1};" + _comma(f"{c.t[k]:.1f};{c.y[k]};{100 * c.u[k]:.0f}"), {}),
    ("with a setpoint", ["time_s,setpoint_C,temp_C,output_%"], lambda c, k: f"{c.t[k]:.1f},60,{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("with surroundings", ["time_s,ambient_C,oven_C,heater_%"], lambda c, k: f"{c.t[k]:.1f},{c.room[k]},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("with a status", ["time_s,temp_C,duty_%,status"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{100 * c.u[k]:.0f},{'door' if k == 250 else 'OK'}", {}),
    ("date and clock apart", ["Date;Time;Temp °C;Heater %"], lambda c, k: f"{_at(c, k):%Y-%m-%d};{_at(c, k):%H:%M:%S};" + _comma(f"{c.y[k]};{100 * c.u[k]:.0f}"), {}),
    ("watts", ["time_s,temp_C,power_W"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{250 * c.u[k]:.1f}", {"level": 1.0}),
    ("ten bits of drive", ["time_s,temp_C,output"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{round(1023 * c.u[k])}", {"level": 1.0}),
    ("camel case", ["timeMs,boilerTempC,heaterDutyPercent"], lambda c, k: f"{1000 * c.t[k]:.0f},{c.y[k]},{100 * c.u[k]:.0f}", {}),
    ("two temperatures", ["time_s,temp_C,guard_temp_C,duty_%"], lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{c.y[k] + 12.5:.2f},{100 * c.u[k]:.0f}", {}),
)  # fmt: skip


def foreign_files() -> list[Foreign]:
    """All sixty."""
    made = []
    for seed, (name, header, row, options) in enumerate(_PLAIN):
        c = course(seed, level=options.get("level", 0.45))
        made.append(_made(name, [*header, *(row(c, k) for k in c.rows)], c))
    return made + _odd()


def _odd() -> list[Foreign]:
    """Ten with something wrong or unusual in them."""
    found = []
    plain: Row = lambda c, k: f"{c.t[k]:.1f},{c.y[k]},{100 * c.u[k]:.0f}"  # noqa: E731
    head = ["time_s,temp_C,duty_%"]
    c = course(100)
    lines = [*head, *(plain(c, k) for k in c.rows)]
    found.append(_made("byte order mark", lines, c, encoding="utf-8-sig"))
    found.append(_made("utf-16", lines, c, encoding="utf-16"))
    found.append(_made("returns", lines, c, end="\r\n"))
    old = ["Zeit s;Temp °C;Stellgröße %", *(_comma(f"{c.t[k]:.1f};{c.y[k]};{100 * c.u[k]:.0f}") for k in c.rows)]
    found.append(_made("cp1252", old, c, encoding="cp1252"))
    missing = list(lines)
    keep = np.ones(c.t.size, bool)
    for k in (40, 41, 300):
        missing[k + 1] = f"{c.t[k]:.1f},-127,{100 * c.u[k]:.0f}" if k == 41 else f"{c.t[k]:.1f},,{100 * c.u[k]:.0f}"
        keep[k] = False
    found.append(_made("without some readings", missing, c, rows=keep))
    twice = [*lines[:200], lines[199], *lines[200:]]
    found.append(_made("a row twice", twice, c))
    mixed = list(lines)
    mixed[150], mixed[151] = mixed[151], mixed[150]
    found.append(_made("two rows in disorder", mixed, c))
    again = [*lines[:300], head[0], *lines[300:]]
    found.append(_made("header again in the middle", again, c))
    blank = [part for line in lines for part in (line, "")]
    found.append(_made("blank lines between", blank, c))
    k10, beta = 10_000.0, 3950.0
    ohm = k10 * np.exp(beta * (1 / (c.y + 273.15) - 1 / 298.15))
    counts = np.round(1023 * ohm / (ohm + k10)).astype(int)
    shown = 1 / (1 / 298.15 + np.log(counts / (1023 - counts)) / beta) - 273.15
    raw = ["ms,raw,pwm", *(f"{1000 * c.t[k]:.0f},{counts[k]},{round(255 * c.u[k])}" for k in c.rows)]
    found.append(Foreign("raw counts", ("\n".join(raw) + "\n").encode(), c.t, shown, c.u))
    return found


def is_right(file: Foreign, time_s: Floats, degC: Floats, drive: Floats | None) -> bool:
    """Whether what was read is what the file says."""
    if drive is None or time_s.size != file.time_s.size:
        return False
    span = max(file.time_s[-1], 1.0)
    return (
        float(np.abs(time_s - file.time_s).max()) < 0.002 * span + 0.01
        and float(np.abs(degC - file.degC).max()) < 0.1
        and float(np.abs(drive - file.drive).max()) < 0.0022
        and math.isfinite(float(degC.sum()))
    )
