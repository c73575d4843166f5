"""The reading pattern: how files of a kind become curves, as a value that can be saved and applied again."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.formats import Table, reread
from curvesieve.core.formats.layout import Layout
from curvesieve.core.intake.computed import ComputedChannel
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Record

Role = Literal["x", "y", "u", "condition", "leave"]
ROLES: tuple[Role, ...] = ("x", "y", "u", "condition", "leave")
Arrangement = Literal["one curve", "each y against one x", "x, y pairs"]
WITH_ROWS = ("text", "xlsx", "ods")
"""Formats whose tables are found among rows, so that a wrong guess of where they begin can be corrected."""
ARRANGEMENTS: tuple[Arrangement, ...] = ("one curve", "each y against one x", "x, y pairs")


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class ChannelRule(_Frozen):
    """A channel of the file: `heading` and `file_unit` as the file has them; what the user calls it, and its role.

    `unit` is the unit that its numbers are in, `to` the one that they are converted to (empty for none).
    """

    heading: str
    file_unit: str
    name: str
    unit: str
    to: str = ""
    role: Role = "leave"


class ComputedRule(_Frozen):
    """A computed channel and its role."""

    channel: ComputedChannel
    role: Role = "leave"


class TextRule(_Frozen):
    """Where things are in a text file; rows count from 0."""

    delimiter: str
    decimal: str
    skipped_rows: int
    name_row: int | None = None
    unit_row: int | None = None
    thousands: str = ""


class TestRule(_Frozen):
    """A mechanical test: its kind, the specimen's shape, the channel of extension, and the channels that it made.

    `off` is the row (from 1) at which the extensometer was taken off, None where that is found in each file.
    """

    test: str
    specimen: str
    extension: str
    off: int | None = None
    made: tuple[str, ...]


class Pattern(_Frozen):
    """How files of a kind are read and which curves they make. `name` is empty until it is saved."""

    name: str = ""
    format: str
    text: TextRule | None = None
    arrangement: Arrangement = "one curve"
    channels: tuple[ChannelRule, ...]
    computed: tuple[ComputedRule, ...] = ()
    test: TestRule | None = None
    """The mechanical test that the files are of, whose channels are the computed ones of `made`."""

    @property
    def roles(self) -> tuple[Role, ...]:
        """The roles of all channels, the computed ones last."""
        return (*(rule.role for rule in self.channels), *(rule.role for rule in self.computed))

    @property
    def kind(self) -> tuple[tuple[str, str], ...]:
        """What files of one kind share: the headings and units of their channels."""
        return tuple((rule.heading, rule.file_unit) for rule in self.channels)


def family_kind(pattern: Pattern) -> tuple[object, ...]:
    """What files of one family share: the channels that are taken, by role, and how. Others may come and go.

    Curves of one mechanical test are a family whatever their files call force and extension, and in which units.
    """
    taken = tuple((rule.role, rule.name, rule.to or rule.unit) for rule in pattern.channels if rule.role != "leave")
    if pattern.test is not None:
        return (pattern.arrangement, taken, pattern.test.test)
    return (pattern.arrangement, taken, pattern.computed)


def kind_of(record: Record) -> tuple[tuple[str, str], ...]:
    """The names and units of a record's channels; see `Pattern.kind`."""
    return tuple((channel.name, channel.unit) for channel in record.channels)


def guess(table: Table) -> Pattern:
    """The pattern that a table suggests by itself: its layout, its channels, x and y where they most likely are."""
    record = table.record
    arrangement, roles = _guess_roles(record)
    rules = tuple(
        ChannelRule(heading=c.name, file_unit=c.unit, name=c.name, unit=c.unit, role=role)
        for c, role in zip(record.channels, roles, strict=True)
    )
    return Pattern(format=table.found.format, text=_text_rule(table), arrangement=arrangement, channels=rules)


def carried(old: Pattern, table: Table) -> Pattern:
    """The pattern of a table that was read anew: the old one's roles and units stay where as many channels are left."""
    new = guess(table)
    if len(new.channels) != len(old.channels):
        return new
    rules = tuple(
        rule.model_copy(
            update={"role": was.role, "to": was.to, "unit": was.unit if was.unit != was.file_unit else rule.unit}
        )
        for rule, was in zip(new.channels, old.channels, strict=True)
    )
    return new.model_copy(update={"channels": rules, "computed": old.computed, "arrangement": old.arrangement})


def _text_rule(table: Table) -> TextRule | None:
    if table.found.format not in WITH_ROWS:
        return None
    layout = table.found.layout
    return TextRule(
        delimiter=layout.delimiter, decimal=layout.decimal, skipped_rows=layout.first_row, name_row=layout.name_row,
        unit_row=layout.unit_row, thousands=layout.thousands,
    )  # fmt: skip


def _guess_roles(record: Record) -> tuple[Arrangement, list[Role]]:
    roles: list[Role] = ["leave"] * len(record.channels)
    if len(roles) < 2:
        return "one curve", roles
    if _are_pairs(record):
        return "x, y pairs", ["x" if i % 2 == 0 else "y" for i in range(len(roles))]
    x, y = record.guess_xy()
    roles[x], roles[y] = "x", "y"
    beside = u_of(record, y)
    if beside is not None and beside != x:
        roles[beside] = "u"
    return "one curve", roles


_OF_U = ("u", "s", "d", "δ", "σ", "sigma", "err", "error", "uncertainty", "std", "sd", "dev")


def u_of(record: Record, y: int) -> int | None:
    """The channel with the standard uncertainty of another: of its unit, named after it as u(I), dI, Idev, I error."""
    name, unit = record.channels[y].name.strip().casefold(), record.channels[y].unit
    found = []
    for place, channel in enumerate(record.channels):
        said = re.sub(r"[\s_.()\[\]-]+", "", channel.name.casefold())
        named = {f"{sign}{name}" for sign in _OF_U} | {f"{name}{sign}" for sign in _OF_U if len(sign) > 2}
        if place != y and channel.unit == unit and said in {re.sub(r"[\s_.()\[\]-]+", "", one) for one in named}:
            values = channel.values[np.isfinite(channel.values)]
            if values.size and (values > 0).all():
                found.append(place)
    return found[0] if len(found) == 1 else None


def _are_pairs(record: Record) -> bool:
    """x y x y …: the units repeat in pairs, and so do the names of the x channels, apart from a number at the end."""
    names = [channel.name.rstrip(" 0123456789_").casefold() for channel in record.channels]
    own_units = [channel.unit for channel in record.channels]
    if len(names) < 4 or len(names) % 2 or names[0] == names[1]:
        return False
    return len(set(names[::2])) == 1 and len(set(own_units[::2])) == 1 and len(set(own_units[1::2])) == 1


# -- edits -----------------------------------------------------------------------------------------


def with_role(pattern: Pattern, place: int, role: Role) -> Pattern:
    """Another role for a channel (computed ones count on behind the file's own).

    Where there is one x, or one curve, the channel that had the role gives it up and takes the other's instead.
    """
    roles = list(pattern.roles)
    old = roles[place]
    alone = {"u", "condition"} | ({"x"} if pattern.arrangement != "x, y pairs" else set())
    alone |= {"y"} if pattern.arrangement == "one curve" else set()
    if pattern.arrangement == "x, y pairs":
        alone -= {"u"}
    if role in alone:
        roles = [(old if old in ("x", "y") else "leave") if other == role else other for other in roles]
    roles[place] = role
    return _with_roles(pattern, roles)


def arranged(pattern: Pattern, arrangement: Arrangement) -> Pattern:
    """Another arrangement, with the roles that go with it."""
    roles = list(pattern.roles)
    if arrangement == "x, y pairs":
        own = len(pattern.channels)
        roles = ["x" if i % 2 == 0 else "y" for i in range(own)] + ["leave"] * (len(roles) - own)
    elif "x" in roles:
        x = roles.index("x")
        ys = [i for i, role in enumerate(roles) if role == "y"] or [1 if x == 0 else 0]
        if arrangement == "each y against one x":
            ys = [i for i, role in enumerate(roles) if i != x and role not in ("u", "condition")]
        else:
            ys = ys[:1]
        keep: Sequence[Role] = ("u", "condition")
        roles = [
            "x" if i == x else "y" if i in ys else role if role in keep else "leave" for i, role in enumerate(roles)
        ]
    if arrangement != "x, y pairs":  # of what there can be one of, the first stays
        single = {"u", "condition"} | ({"y"} if arrangement == "one curve" else set())
        roles = ["leave" if role in single and role in roles[:i] else role for i, role in enumerate(roles)]
    return _with_roles(pattern.model_copy(update={"arrangement": arrangement}), roles)


def with_unit(pattern: Pattern, place: int, text: str) -> Pattern:
    """Another unit for a channel: ``N`` says what its numbers are in, ``kN → N`` converts them.

    Raises InputError when a conversion is asked that does not exist.
    """
    unit, to = units.read_change(text)
    if to:
        units.convert(np.zeros(1), unit, to)
    own = len(pattern.channels)
    if place >= own:
        rule = pattern.computed[place - own]
        changed = rule.channel.model_copy(update={"unit": to or unit})
        return with_computed(pattern, place - own, changed)
    return _with_rule(pattern, place, {"unit": unit, "to": to})


def with_name(pattern: Pattern, place: int, name: str) -> Pattern:
    """Another name for a channel of the file; raises InputError when it is empty or taken."""
    name = name.strip()
    if not name:
        raise InputError("A channel needs a name; the old one is kept.")
    others = [rule.name for i, rule in enumerate(pattern.channels) if i != place]
    if name in others + [rule.channel.name for rule in pattern.computed]:
        raise InputError(f"There is a channel {name!r} already; choose another name.")
    return _with_rule(pattern, place, {"name": name})


def with_computed(pattern: Pattern, place: int | None, channel: ComputedChannel) -> Pattern:
    """A computed channel changed, or a new one added behind the others.

    Raises InputError for a name that is taken or missing.
    """
    others = [rule.name for rule in pattern.channels]
    others += [rule.channel.name for i, rule in enumerate(pattern.computed) if i != place]
    if channel.name in others:
        raise InputError(f"There is a channel {channel.name!r} already; choose another name.")
    if place is None:
        return pattern.model_copy(update={"computed": (*pattern.computed, ComputedRule(channel=channel))})
    old = pattern.computed[place].channel.name
    rules = tuple(
        rule.model_copy(update={"channel": channel}) if i == place else rule for i, rule in enumerate(pattern.computed)
    )
    test = pattern.test
    if test is not None:  # a channel of the test stays one under another name
        made = tuple(channel.name if name == old else name for name in test.made)
        test = test.model_copy(update={"made": made})
    return pattern.model_copy(update={"computed": rules, "test": test})


def with_quantity(pattern: Pattern, place: int, name: str, quantity: Quantity | None) -> Pattern:
    """Another value for many files of a quantity that a computed channel names, or none any more."""
    channel = pattern.computed[place].channel
    others = tuple(q for q in channel.quantities if q.name.casefold() != name.casefold())
    made = others if quantity is None else (*others, quantity)
    return with_computed(pattern, place, channel.model_copy(update={"quantities": made}))


def without_computed(pattern: Pattern, place: int) -> Pattern:
    """One computed channel less; without one of its channels a mechanical test is none any more."""
    name, test = pattern.computed[place].channel.name, pattern.test
    kept = None if test is not None and name in test.made else test
    rest = (*pattern.computed[:place], *pattern.computed[place + 1 :])
    return pattern.model_copy(update={"computed": rest, "test": kept})


def _with_rule(pattern: Pattern, place: int, changes: dict[str, object]) -> Pattern:
    rules = tuple(rule.model_copy(update=changes) if i == place else rule for i, rule in enumerate(pattern.channels))
    return pattern.model_copy(update={"channels": rules})


def _with_roles(pattern: Pattern, roles: Sequence[Role]) -> Pattern:
    own = len(pattern.channels)
    channels = tuple(r.model_copy(update={"role": role}) for r, role in zip(pattern.channels, roles, strict=False))
    computed = tuple(r.model_copy(update={"role": role}) for r, role in zip(pattern.computed, roles[own:], strict=True))
    return pattern.model_copy(update={"channels": channels, "computed": computed})


# -- applying a saved one --------------------------------------------------------------------------


def fitting(pattern: Pattern, table: Table) -> Table | None:
    """The table as a saved pattern reads it, or None when the pattern is for another kind of file.

    Where the file's own layout gives other channels, a text is read once more with the pattern's rows.
    """
    if pattern.format != table.found.format:
        return None
    if kind_of(table.record) == pattern.kind:
        return table
    rule, found = pattern.text, table.found
    if rule is None or rule.skipped_rows >= len(found.lines) or rule.name_row is None:
        return None
    layout = Layout(
        rule.delimiter, rule.decimal, rule.skipped_rows, found.layout.last_row, 1, thousands=rule.thousands
    ).with_data_from(rule.skipped_rows, found.lines)
    try:
        made = reread(table, layout)
    except InputError:
        return None
    return made if kind_of(made.record) == pattern.kind else None
