"""The words of the guide: formulas are those that are computed, and nothing is left out."""

import random
import re

import pytest

from kelvarn.guide.formulas import MEASURE_FORMULAS, RULE_FORMULAS
from kelvarn.guide.pages import KEYS, page
from kelvarn.guide.settings import kinds, section_of
from kelvarn.model.mark import MEASURES
from kelvarn.tune.process import FirstOrder
from kelvarn.tune.rules import rule_sources, starting_points
from kelvarn.tune.ultimate import ultimate


def test_formulas_of_rules_give_what_the_rules_give() -> None:
    chance, seen = random.Random(4), set()
    for _ in range(40):
        K, T = chance.uniform(20, 300), chance.uniform(50, 5000)
        L = T * chance.uniform(0.02, 0.95)
        plant = FirstOrder(K, T, L)
        at = ultimate(plant)
        assert at is not None
        known = {"K": K, "T": T, "L": L, "r": L / T, "Ku": at.gain_per_K, "Tu": at.period_s, "min": min, "max": max}
        for found in starting_points(plant):
            if found.gains is None:
                continue
            seen.add((found.rule, found.terms))
            for formula, value in zip(RULE_FORMULAS[found.rule, found.terms], found.gains, strict=True):
                told = eval(formula, {"__builtins__": {}}, known) if formula else None
                assert told == (None if value is None else pytest.approx(value, rel=1e-9)), (found.rule, found.terms)
    assert seen == set(RULE_FORMULAS)


def test_every_measure_rule_and_setting_stands_in_the_guide() -> None:
    assert MEASURE_FORMULAS.keys() == MEASURES.keys()
    words, settings = page("words").text, page("settings").text
    assert all(f"`{key}`" in words and kind.title in words for key, kind in MEASURES.items())
    assert all(source in words for source in rule_sources().values())
    for kind in kinds():
        for name, info in kind.model_fields.items():
            if isinstance(info.json_schema_extra, dict) and "quantity" in info.json_schema_extra:
                assert re.search(rf"^\| {re.escape(str(info.title))} \|.*`{name}` \|$", settings, re.MULTILINE), (
                    kind,
                    name,
                )
    titles = [section_of(kind) for kind in kinds() if f"## {section_of(kind)}\n" in settings]
    assert len(set(titles)) == len(titles) > 60


def test_pages_have_titles_and_steps_that_are_numbered_in_order() -> None:
    for key in KEYS:
        found = page(key)
        assert found.title
        numbers = [int(each) for each in re.findall(r"^(\d+)\. ", found.text, re.MULTILINE)]
        assert numbers == list(range(1, len(found.steps) + 1)), key
    with pytest.raises(KeyError):
        page("../secrets")
