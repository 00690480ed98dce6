"""What column names and units of logs mean."""

import re
from typing import get_args

from kelvarn.model.log import Form, Role

_WORDS: dict[str, tuple[str, ...]] = {
    "time": (
        "time", "times", "timestamp", "ts", "t", "millis", "micros", "elapsed", "up", "seconds", "secs", "sec", "ms",
        "us", "minutes", "zeit", "uhrzeit", "datum", "date", "datetime", "clock", "uptime", "time of day",
        "epoch", "unix",
        "temps", "heure", "fecha", "hora", "tijd", "s", "min", "zeitstempel",
    ),
    "surroundings": (
        "ambient", "amb", "room", "outside", "outdoor", "surroundings", "umgebung", "raum", "aussen", "außen", "ta",
        "tamb", "troom",
        "t amb", "t room", "t out", "tout", "t outside", "t ext", "t env",
        "ambiente", "air outside", "environment", "env",
    ),
    "setpoint": ("setpoint", "set", "target", "sp", "soll", "sollwert", "ziel", "desired", "tset", "set point", "goal",
                 "consigne", "setp", "wanted", "sv", "wsp", "csp", "rsp", "setval", "setvalue", "setpt", "setwert",
                 "nominal", "requested", "commanded", "setpunt", "objetivo", "obiettivo", "börvärde", "asetus"),
    "reference": ("ref", "reference", "referenz", "true", "standard", "calibrator", "trusted"),
    "temperature": (
        "temp", "temperature", "temperatur", "tempc", "tempf", "temps", "ntc", "thermistor", "thermocouple", "probe",
        "sensor", "measured", "actual", "ist", "istwert", "oven", "chamber", "heatsink", "bed", "body", "plate", "pot",
        "t1", "t2", "t3", "tc", "tc1", "tc2", "th1", "input", "adc", "raw", "reading", "analog", "a0", "ai0", "celsius",
        "fahrenheit", "kelvin", "degc", "degf", "tist", "tmeas",
        "tm", "pv", "thermo", "water", "air", "kiln", "bath", "value",
    ),
    "drive": (
        "drive", "duty", "pwm", "output", "out", "heater", "heat", "heating", "power", "relay", "fan", "ssr", "u",
        "analogwrite", "heizleistung", "stellgrad", "stellgröße", "leistung", "heizung", "control", "level",
        "mat", "element", "burner", "cmd",
        "valve", "on", "state", "switch", "op",
        "ausgang", "stellwert", "manipulated", "lüfter", "relais", "actuator", "co", "mv",
    ),
    "energy": ("energy", "energie", "wh", "kwh", "joule", "meter"),
    "note": ("note", "notes", "comment", "remark", "event", "message", "msg", "status", "bemerkung", "info", "text"),
    "left_out": (
        "humidity", "rh", "pressure", "volt", "voltage", "current", "amps", "rpm", "index", "nr", "no", "row", "sample",
        "count", "id", "step", "error", "err", "kp", "ki", "kd", "battery", "rssi", "checksum", "crc",
        "light", "lux", "co2", "weight", "speed", "flow", "seq", "integral", "derivative",
        "heap", "loop", "vbat", "uptime ms",
    ),
}  # fmt: skip

_UNIT_FORMS: tuple[tuple[str, Form], ...] = (
    (r"°\s?c|deg\s?c|celsius|degrees c|grad", "degC"), (r"°\s?f|deg\s?f|fahrenheit", "degF"), (r"kelvin", "K"),
    (r"raw|counts?|adc|digits?|lsb|10 ?bit|12 ?bit", "counts"),
    (r"%|percent|prozent|pct", "percent"), (r"0\s*(?:-|…|\.\.+|to)\s*255|8 ?bit", "of_255"),
    (r"0\s*(?:-|…|\.\.+|to)\s*1023", "of_1023"), (r"0\s*(?:-|…|\.\.+|to)\s*4095", "of_4095"),
    (r"0\s*(?:-|…|\.\.+|to)\s*100", "percent"), (r"0\s*(?:-|…|\.\.+|to)\s*1", "share"),
    (r"kwh", "kWh"), (r"wh", "Wh"), (r"j|joules?", "J"), (r"w|watts?", "watts"),
    (r"ms|millis|milliseconds|msec", "ms"), (r"µs|us|micros|microseconds|usec", "us"),
    (r"s|secs?|seconds|sek|sekunden", "s"), (r"min|mins|minutes|minuten", "min"), (r"h|hours?|hrs|std", "h"),
    (r"days?|tage", "days"), (r"hh:mm:ss|h:m:s", "clock"), (r"c", "degC"), (r"f", "degF"), (r"k", "K"),
)  # fmt: skip
_SCALED: tuple[tuple[str, Form], ...] = (
    (r"[x*×·] ?100\b|\b0\.01\b|1/100\b|(?i:centi ?deg|hundredths)|(?<![A-Za-z])c°?C(?![A-Za-z])", "hundredths"),
    (r"[x*×·] ?10\b|\b0\.1\b|1/10\b|(?i:deci ?deg|tenths|temp_?10\b)|(?<![A-Za-z])d°?C(?![A-Za-z])", "tenths"),
    (r"(?i:milli ?k)|(?<![A-Za-z])mK(?![A-Za-z])", "milli_K"),
    (r"[x*×·] ?1000\b|1/1000\b|(?i:milli ?(?:deg|°|c)|mdeg|thermal ?zone|temp\d input)|(?<![A-Za-z])m°?C(?![A-Za-z])",
     "milli_degC"),
)  # fmt: skip
"""Whole numbers of a small unit, as firmware writes them; looked for in the name as it stands."""
_BRACKETS = re.compile(r"[\[(]\s*([^\])]*?)\s*[\])]")


def words_of(name: str) -> list[str]:
    """A name as lower-case words: heaterTemp_degC is heater, temp, degc."""
    bare = _BRACKETS.sub(" ", name)
    bare = re.sub(r"(?<=[a-zäöü])(?=[A-Z])|(?<=\w)(?=%)", " ", bare)
    return [word for word in re.split(r"[^\w°%µ]+|_|(?<=[a-z])(?=\d+$)", bare.lower()) if word]


def roles_of(name: str) -> dict[Role, float]:
    """How well a name fits each role, from 0 to 1; nothing where it says nothing."""
    words = words_of(name)
    if not words:
        return {}
    if name.strip() == "T":  # in upper case it is rarely the time
        return {"temperature": 0.9, "time": 0.3}
    joined = " ".join(words)
    found: dict[Role, float] = {}
    for key, known in _WORDS.items():
        role: Role = key  # type: ignore[assignment]
        if joined in known or "".join(words) in known:
            found[role] = 1.0
        else:
            hits = [k for k, word in enumerate(words) if word in known and (len(word) > 1 or len(words) == 1)]
            if hits:
                found[role] = 0.7 + 0.02 * hits[-1] - 0.02 * len(words)
    if {"cmd", "command"} & set(words) and "temperature" in found:  # a temperature that is commanded
        found["setpoint"] = 0.9
    if {"surroundings", "setpoint", "reference"} & set(found):
        found.pop("temperature", None)
        if {"setpoint"} & set(found):
            found.pop("drive", None)
    return found


def form_of(name: str, unit: str) -> Form | None:
    """The form that a name or its unit tells; None where they tell none."""
    for pattern, form in _SCALED:
        if re.search(pattern, name.replace("_", " ")) or re.search(pattern, unit):
            return form
    tries = [unit, *(found for found in _BRACKETS.findall(name))]
    words = words_of(name)
    if "/" in name:
        tries.append(name.rsplit("/", 1)[1])
    tries += [
        word
        for word in reversed(words)
        if len(word) > 1 or word in "%°" or (len(words) > 1 and word in ("s", "c", "f", "k", "w", "h"))
    ]
    for text in tries:
        cleaned = text.strip().lower()
        for pattern, form in _UNIT_FORMS:
            if cleaned and re.fullmatch(pattern, cleaned):
                assert form in get_args(Form)
                return form
    joined = "".join(words)
    for ending, form in (("tempc", "degC"), ("tempf", "degF"), ("millis", "ms"), ("micros", "us")):
        if joined.endswith(ending):
            return form
    return None
