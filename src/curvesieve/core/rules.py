"""What a user puts in a list and can set: a frozen declaration with fields, an editor, handles, and a line of JSON.

A step is a rule (a curve goes in, a curve comes out), and so is a measure (readings come out). All that they have in
common stands here, once: cards, lists, files and the command line are made from it.
"""

from __future__ import annotations

import importlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, Self, TypeVar

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    SerializeAsAny,
    ValidationError,
    field_serializer,
    field_validator,
    model_validator,
)
from pydantic.fields import FieldInfo

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, nearest


@dataclass(frozen=True)
class Kind:
    """A family of rules. `tag` is the key of a rule's slug in JSON and the word for one in sentences.

    `modules` declare the rules; they are loaded when a slug is asked for that is not known yet, as most sessions use
    few rules. `groups` is the order in which a list shows them.
    """

    tag: str
    modules: tuple[str, ...]
    groups: tuple[str, ...]


# -- what can be dragged on the plot ------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class Handle:
    """Something of a rule that the plot lets the hand move. `when` is that of `RuleField`; empty means always."""

    when: str = ""


@dataclass(frozen=True, kw_only=True)
class Band(Handle):
    """A stretch of x between two fields. `opens` is where it stands while both are empty, in shares of the curve."""

    low: str = "low"
    high: str = "high"
    opens: tuple[float, float] = (0.0, 1.0)


@dataclass(frozen=True, kw_only=True)
class Flanks(Handle):
    """A width on both sides of the rule's band; as wide as the band while the field is empty."""

    width: str = "flank"


@dataclass(frozen=True, kw_only=True)
class Mark(Handle):
    """One x; in the middle of the curve while the field is empty."""

    at: str = "at"


@dataclass(frozen=True, kw_only=True)
class Anchors(Handle):
    """Places that a double click adds and removes: their x, and their y once they have been moved."""

    at: str = "anchors"
    heights: str = "heights"


# -- fields -------------------------------------------------------------------------------------------


def RuleField(  # a field factory reads as a type at its place of use, like pydantic's own
    default: Any,
    *,
    label: str,
    unit: str = "",
    help: str,
    when: str = "",
    carried: bool = False,
    donor: bool = False,
    **limits: Any,
) -> Any:
    """A rule's field: label, unit (``x`` and ``y`` stand for the curve's own units), limits and help.

    `when` names the choices with which the field acts, as ``method: gaussian, median``; empty means always. A `carried`
    field is no setting: the rule fills it with what it needs from elsewhere, so that this travels with it. A
    `donor` field names other curves.
    """
    extra: dict[str, Any] = {"unit": unit, "when": when, "carried": carried, "donor": donor}
    return Field(default, title=label, description=help, json_schema_extra=extra, **limits)


class Rule(BaseModel):
    """One declaration in a list: what its fields are, how it is written, what of it can be dragged."""

    # Built when first used: most sessions use few of the rules, and the window should be there at once.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    kind: ClassVar[Kind]
    slug: ClassVar[str]
    label: ClassVar[str]
    group: ClassVar[str]
    summary: ClassVar[str]
    words: ClassVar[str] = ""
    """Other words under which the trade looks for it."""
    reference: ClassVar[str] = ""
    told: ClassVar[str] = ""
    """What it did, in the words of a report: ``spikes above {threshold} times the noise were patched``. ``{band}`` is
    its low and high, ``{settings}`` its closed card's line."""
    handles: ClassVar[tuple[Handle, ...]] = ()

    def effort(self, curve: Curve) -> float:
        """How much work the rule is on this curve, in points of a simple filter; the window waits for little of it."""
        return float(len(curve))

    def digest(self) -> str:
        """One short line for the closed card, such as ``window 11, threshold 5``."""
        return ", ".join(f"{info.title} {getattr(self, name)}" for name, info in self.settings().items())

    def in_words(self, x_unit: str = "", y_unit: str = "") -> str:
        """What it did, in a sentence without its end. Units are those of the curve that it was put to."""
        if not self.told:
            return f"{self.label.lower()} ({self.digest()})"
        said = {name: _said(getattr(self, name)) for name in type(self).model_fields}
        for name, info in self.settings().items():
            extra: Any = info.json_schema_extra or {}
            unit = {"x": x_unit, "y": y_unit}.get(extra.get("unit", ""), "")
            if unit and getattr(self, name) is not None:
                said[name] = f"{said[name]} {unit}"
        band = _band_in_words(said.get("low", ""), said.get("high", ""))
        return self.told.format(**said, band=band, settings=self.digest())

    def to_json(self) -> dict[str, Any]:
        """The rule as files have it: its slug and its fields."""
        return {self.kind.tag: self.slug, **self.model_dump(mode="json")}

    def changed(self, **fields: Any) -> Self:
        """The rule with other values of some fields, checked like one from a file; raises InputError."""
        return _validated(type(self), {**self.model_dump(mode="json"), **fields})

    def acts(self, name: str) -> bool:
        """Whether a field does anything with the other choices as they are."""
        extra: Any = type(self).model_fields[name].json_schema_extra or {}
        return self._holds(extra.get("when", ""))

    def handles_now(self) -> tuple[Handle, ...]:
        """What can be dragged with the choices as they are."""
        return tuple(handle for handle in self.handles if self._holds(handle.when))

    def _holds(self, when: str) -> bool:
        choice, colon, values = when.partition(":")
        return not colon or str(getattr(self, choice)) in [value.strip() for value in values.split(",")]

    @classmethod
    def settings(cls) -> dict[str, FieldInfo]:
        """The fields that a user sets, by name."""
        return {n: i for n, i in cls.model_fields.items() if not (i.json_schema_extra or {}).get("carried")}  # type: ignore[union-attr]

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The rule a user starts from on this curve; the defaults unless a rule knows better."""
        return cls()


def _said(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, tuple | list):
        return ", ".join(map(_said, value))
    return "" if value is None else str(value)


def _band_in_words(low: str, high: str) -> str:
    if low and high:
        return f"from {low} to {high}"
    return f"above {low}" if low else f"up to {high}" if high else "chosen by hand"


class Banded(Rule):
    """A rule whose bands are the right way round: no `low` of a declared `Band` is above its `high`."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for handle in self.handles:
            if isinstance(handle, Band):
                low, high = getattr(self, handle.low), getattr(self, handle.high)
                if low is not None and high is not None and low > high:
                    raise ValueError(f"{handle.low} ({low:g}) must not be above {handle.high} ({high:g})")
        return self


R = TypeVar("R", bound=Rule)


class Slot(BaseModel, Generic[R]):
    """A rule in its place in a list, with its switch. `id` tells equal rules of one list apart."""

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True, defer_build=True)

    id: str
    rule: SerializeAsAny[R]
    on: bool = True
    name: str = ""
    """What the user calls the rule; empty for its own label."""

    @property
    def title(self) -> str:
        """What the rule is called in this place."""
        return self.name or self.rule.label

    @field_validator("rule", mode="before")
    @classmethod
    def _parse(cls, value: Any) -> Any:
        every = (getattr(kind, "__pydantic_generic_metadata__", {}).get("args", ()) for kind in cls.__mro__)
        (base,) = next(args for args in every if args)
        return value if isinstance(value, base) else parse_rule(base, value)

    @field_serializer("rule")
    def _write(self, rule: R) -> dict[str, Any]:
        return rule.to_json()


S = TypeVar("S", bound=Slot[Any])


def moved(slots: Sequence[S], slot_id: str, place: int) -> tuple[S, ...]:
    """The slots with one of them at another place, from 0; as far as there are places."""
    one = next(slot for slot in slots if slot.id == slot_id)
    rest = [slot for slot in slots if slot.id != slot_id]
    rest.insert(max(0, min(place, len(rest))), one)
    return tuple(rest)


# -- the lists of rules -------------------------------------------------------------------------------


def registered(base: type[R]) -> dict[str, type[R]]:
    """Every rule of a kind by its slug, by group in the order of the kind's groups."""
    for module in base.kind.modules:
        importlib.import_module(module)
    return _loaded(base)


def _loaded(base: type[R]) -> dict[str, type[R]]:
    found = [cls for cls in _subclasses(base) if hasattr(cls, "slug")]
    kind = base.kind

    def place(cls: type[R]) -> tuple[int, int]:
        known = cls.__module__ in kind.modules
        return kind.groups.index(cls.group), kind.modules.index(cls.__module__) if known else len(kind.modules)

    return {cls.slug: cls for cls in sorted(found, key=place)}


def _subclasses(cls: type[R]) -> list[type[R]]:
    return [found for child in cls.__subclasses__() for found in (child, *_subclasses(child))]


def parse_rule(base: type[R], data: Any) -> R:
    """The rule of a kind that `Rule.to_json` wrote. Raises InputError, which names an unknown slug or field."""
    tag = base.kind.tag
    if not isinstance(data, dict) or not isinstance(data.get(tag), str):
        raise InputError(f'A {tag} must look like {{"{tag}": "…", …}}, but is {str(data)[:60]}.')
    slug = data[tag]
    rules = _loaded(base)
    for module in base.kind.modules if slug not in rules else ():  # one after the other: most sessions use few of them
        importlib.import_module(module)
        rules = _loaded(base)
        if slug in rules:
            break
    if slug not in rules:
        raise InputError(f"There is no {tag} {slug!r}; known are {', '.join(rules)}{nearest(slug, list(rules))}")
    return _validated(rules[slug], {key: value for key, value in data.items() if key != tag})


def _validated(rule: type[R], fields: dict[str, Any]) -> R:
    try:
        return rule.model_validate(fields)
    except ValidationError as error:
        raise InputError(f"{rule.kind.tag.capitalize()} {rule.slug}: {explain(error, rule)}") from error


def explain(error: ValidationError, rule: type[Rule]) -> str:
    """The first fault of a validation in plain words: which field, what rule, what it got."""
    fault = error.errors()[0]
    name = str(fault["loc"][0]) if fault["loc"] else ""
    if fault["type"] == "extra_forbidden":
        fields = list(rule.model_fields)
        return f"has no field {name!r}; it has {', '.join(fields)}{nearest(name, fields)}"
    message = str(fault["msg"]).removeprefix("Value error, ").replace("Input should be", "must be")
    return f"{name} {message}, but is {fault['input']!r}." if name else f"{message}."
