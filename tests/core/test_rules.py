"""What steps and measures have in common: declarations that hold together, slots of any kind, one line of JSON."""

from __future__ import annotations

from dataclasses import fields
from typing import ClassVar, Literal

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.rules import (
    Anchors,
    Band,
    Flanks,
    Handle,
    Kind,
    Mark,
    Rule,
    RuleField,
    Slot,
    parse_rule,
    registered,
)
from curvesieve.core.steps import registered_steps
from curvesieve.core.steps.axis import Resample
from curvesieve.core.steps.baseline import Baseline
from curvesieve.core.steps.bridge import Bridge

STEPS = registered_steps()


def choices_of(rule: type[Rule], when: str) -> tuple[str, list[str], list[str]]:
    """A condition's field, the values it names, and the values that the field may have."""
    name, _, values = when.partition(":")
    info = rule.model_fields[name]
    options = info.examples or info.annotation.__args__  # a free text names its usual choices
    return name, [value.strip() for value in values.split(",")], [str(option) for option in options]


@pytest.mark.parametrize("slug", list(STEPS))
def test_handles_and_conditions_name_fields_and_choices_that_are_there(slug):
    rule = STEPS[slug]
    for handle in rule.handles:
        told = {field.name: getattr(handle, field.name) for field in fields(handle)}
        when = told.pop("when")
        assert {name for name in told.values() if isinstance(name, str)} <= set(rule.settings())
        if when:
            _, named, options = choices_of(rule, when)
            assert set(named) <= set(options)
    for info in rule.model_fields.values():
        if when := (info.json_schema_extra or {}).get("when", ""):
            _, named, options = choices_of(rule, when)
            assert set(named) <= set(options)
    if {"low", "high"} <= set(rule.settings()):
        assert any(isinstance(handle, Band) for handle in rule.handles), "a band that no hand can move"


def kinds(rule: Rule) -> list[type[Handle]]:
    return [type(handle) for handle in rule.handles_now()]


def test_what_can_be_dragged_follows_the_choices():
    assert kinds(Bridge()) == [Band, Flanks]
    assert kinds(Baseline(method="arpls")) == []
    assert kinds(Baseline(method="constant")) == [Band]
    assert kinds(Baseline(method="anchors")) == [Anchors]
    assert kinds(Baseline(method="polynomial")) == [Band]
    assert kinds(Baseline(method="polynomial", anchors=(1.0,))) == [Anchors]
    assert kinds(STEPS["scale"](by="point")) == [Mark]
    assert kinds(STEPS["running-area"]()) == [Mark]
    assert kinds(Resample(onto="grid", method="pchip")) == [Band]
    assert kinds(Resample(onto="given x")) == []


class Tally(Rule):
    """A kind of rule of the test's own, as measures will be one."""

    kind: ClassVar[Kind] = Kind("tally", (), ("counts", "others"))


class CountAbove(Tally):
    slug = "count-above"
    label = "Count above"
    group = "counts"
    summary = "How many points lie above a level"

    level: float = RuleField(0.0, label="level", unit="y", ge=0, help="The level.")
    by: Literal["all", "used"] = RuleField("all", label="of", help="Which points.")


def test_another_kind_of_rule_needs_its_declarations_and_nothing_else():
    assert registered(Tally) == {"count-above": CountAbove}
    made = parse_rule(Tally, {"tally": "count-above", "level": 2.5})
    assert made == CountAbove(level=2.5)
    assert made.to_json() == {"tally": "count-above", "level": 2.5, "by": "all"}
    assert made.digest() == "level 2.5, of all"
    assert made.changed(by="used") == CountAbove(level=2.5, by="used")
    with pytest.raises(cs.InputError, match=r"Tally count-above: level must be greater than or equal to 0, but is -1"):
        made.changed(level=-1)
    with pytest.raises(cs.InputError, match=r"There is no tally 'count'; known are count-above"):
        parse_rule(Tally, {"tally": "count"})
    with pytest.raises(cs.InputError, match=r"A tally must look like"):
        parse_rule(Tally, {"step": "despike"})
    slot = Slot[Tally](id="t1", rule=made, name="mine")
    assert slot.title == "mine"
    assert Slot[Tally].model_validate_json(slot.model_dump_json()) == slot
    with pytest.raises(ValueError, match="tally"):
        Slot[Tally].model_validate({"id": "t", "rule": {"step": "despike"}})
    assert CountAbove.fitted_to(cs.Curve(np.arange(3.0), np.arange(3.0))) == CountAbove()
