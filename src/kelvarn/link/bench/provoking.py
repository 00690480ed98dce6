"""A provocation: the answer that is expected of it, and how what came compares."""

from typing import NamedTuple

import numpy as np

from kelvarn.engine.layout import Floats
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .observer import Future

SETPOINT_K, SETPOINT_S = -5.0, 900.0
LASTS_S, OPENS_S = 3600.0, 100.0
"""For how long an answer is looked at; how long what has no time of its own lasts."""


class Provocation(NamedTuple):
    """Something that the device is provoked by.

    Attributes:
        name: what it is.
        at_s: when it began, in the session's time.
        expected: from then on.
        undisturbed: what was expected without it.
    """

    name: str
    at_s: float
    expected: Future
    undisturbed: Future


class Answer(NamedTuple):
    """How a reading answers: how far it was off at most, K, with its sign, and when it was back, s; None: not yet."""

    off_K: float
    back_s: float | None


def answer_of(time_s: Floats, degC: Floats, without_degC: Floats, band_K: float) -> Answer:
    """Read an answer: the departure from what would have been without it.

    Args:
        time_s: since it began, shape (m,).
        degC: what was read.
        without_degC: what would have been.
        band_K: inside which it is back.
    """
    off = degC - without_degC
    worst = int(np.argmax(np.abs(off)))
    outside = np.flatnonzero(np.abs(off) > band_K)
    if not outside.size:
        return Answer(float(off[worst]), 0.0)
    last = int(outside[-1])
    return Answer(float(off[worst]), float(time_s[last + 1]) if last + 1 < time_s.size else None)


def expected_answer(provoked: Provocation, band_K: float) -> Answer:
    """The answer that is expected."""
    future = provoked.expected
    return answer_of(future.time_s, future.degC, provoked.undisturbed.degC, band_K)


def score(provoked: Provocation, time_s: Floats, measured_degC: Floats, band_K: float, scale: Scale) -> str:
    """What came beside what was expected, in words.

    Args:
        provoked: it.
        time_s, measured_degC: all that was read, in the session's time.
        band_K: of the trial.
        scale: that the sentence speaks in.
    """
    expected = expected_answer(provoked, band_K)
    after = (time_s >= provoked.at_s) & (time_s <= provoked.at_s + provoked.expected.time_s[-1])
    said = _words(expected, scale)
    if after.sum() < 2:
        return say("{provoked}: expected {expected}", provoked=provoked.name, expected=said)
    at = time_s[after] - provoked.at_s
    without = np.interp(at, provoked.undisturbed.time_s, provoked.undisturbed.degC)
    found = answer_of(at, measured_degC[after], without, band_K)
    return say(
        "{provoked}: {found}; expected {expected}", provoked=provoked.name, found=_words(found, scale), expected=said
    )


def _words(answer: Answer, scale: Scale) -> str:
    size = show(abs(answer.off_K), Quantity.DIFFERENCE, scale)
    down = answer.off_K < 0
    if answer.back_s is None:
        return say("{size} down, not back yet", size=size) if down else say("{size} up, not back yet", size=size)
    back = show(answer.back_s, Quantity.DURATION)
    if down:
        return say("{size} down, back in {time}", size=size, time=back)
    return say("{size} up, back in {time}", size=size, time=back)
