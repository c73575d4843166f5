"""Scattering put together: forms with a distribution of their size, what is between particles, sums, a background.

A slug says what: ``sphere``, ``sphere~schulz``, ``sphere~schulz*hard-spheres``, ``sphere~log-normal+slope``. The
parameters of a second and third part end in its number. A background is always there, and may be held at 0.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache

from curvesieve.core.models.integrals import DISTRIBUTIONS, Average, Averages, Smearing, names_of
from curvesieve.core.models.library.forms import FORMS, Form
from curvesieve.core.models.library.scattering_starts import Asked, started
from curvesieve.core.models.term import Derived, Parameter, Term

GROUP = "Scattering"
MOST_PARTS = 3
_BACKGROUND = Parameter("background", "level under all of it, the same at every q", start=0.0)
_BOX_MOST = 0.577
_FILL = Parameter("fill", "volume fraction of the hard spheres", 0.0, 0.6, 0.1)
_HARD = Parameter("hard_radius", "radius out to which another particle cannot come", lower=0.0, start=5.0)
SEEN: dict[str, tuple[Parameter, ...]] = {
    "pinhole": (
        Parameter("resolution", "standard deviation of q over q", 0.0, 0.5, 0.02, unit=(0, 0), held=True),
        Parameter("resolution_floor", "standard deviation of q where q is small", lower=0.0, start=0.0, unit=(1, 0),
                  held=True),
    ),
    "slit": (Parameter("slit", "length of the slit on one side, in q", lower=0.0, start=0.1, unit=(1, 0), held=True),),
}  # fmt: skip
_SEEN_AS = {"": "", "pinhole": ", through a pinhole", "slit": ", through a slit"}
_INSIDE = "({a}/2*(turn^2 - 1) + {b}*(turn - 1) + {c})*{wave}(2*x*hard_radius*turn)"
_STICK = "(2*(1 + fill/2)/(1 - fill)^2/({b} + sqrt({b}^2 - fill/3*(1 + fill/2)/(1 - fill)^2)))".format(
    b="(fill/(1 - fill) + stickiness)"
)


@dataclass(frozen=True)
class Between:
    """What is between particles: S(q) by R. J. Baxter's factors, 1/S = (1 − 12η·∫Q·cos)² + (12η·∫Q·sin)²."""

    slug: str
    label: str
    parameters: tuple[Parameter, ...]
    reference: str
    a: str
    b: str
    c: str

    def averages(self) -> tuple[Average, Average]:
        """The two integrals over the way from the middle of a particle to where it touches another."""
        made = [
            Average(_INSIDE.format(a=self.a, b=self.b, c=self.c, wave=wave), turn="turn", turn_path="2*hard_radius")
            for wave in ("cos", "sin")
        ]
        return made[0], made[1]


BETWEEN: dict[str, Between] = {
    one.slug: one
    for one in (
        Between(
            "hard-spheres", "hard spheres", (_FILL, _HARD),
            "J. K. Percus and G. J. Yevick 1958; M. S. Wertheim 1963: S(0) = (1 − η)⁴/(1 + 2η)² (from memory)",
            "(1 + 2*fill)/(1 - fill)^2", "(-3*fill)/(2*(1 - fill)^2)", "0",
        ),
        Between(
            "sticky-spheres", "sticky hard spheres",
            (_FILL, _HARD, Parameter("stickiness", "τ: small sticks, large is a hard sphere", 0.01, 1e4, 1.0)),
            "R. J. Baxter, J. Chem. Phys. 49 (1968) 2770 (from memory)",
            f"(1 + 2*fill - {_STICK}*fill*(1 - fill))/(1 - fill)^2",
            f"({_STICK}*fill*(1 - fill) - 3*fill)/(2*(1 - fill)^2)", f"{_STICK}/12",
        ),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Part:
    """One part of a sum: a form, how its size spreads, what is between its particles."""

    form: str
    distribution: str = ""
    between: str = ""

    @property
    def slug(self) -> str:
        """As it stands in a term's slug."""
        return (
            self.form
            + (f"~{self.distribution}" if self.distribution else "")
            + (f"*{self.between}" if self.between else "")
        )


def parts_of(slug: str) -> tuple[Part, ...] | None:
    """The parts that a slug says; None for one that is no scattering."""
    slug, at, seen = slug.partition("@")
    if at and seen not in SEEN:
        return None
    texts = slug.split("+")
    if len(texts) > MOST_PARTS:
        return None
    made = []
    for text in texts:
        match = re.fullmatch(r"([a-z0-9-]+)(?:~([a-z-]+))?(?:\*([a-z-]+))?", text)
        if match is None or match[1] not in FORMS:
            return None
        part = Part(match[1], match[2] or "", match[3] or "")
        form = FORMS[part.form]
        if part.distribution and (part.distribution not in DISTRIBUTIONS or not form.size):
            return None
        if part.between and (part.between not in BETWEEN or form.average is None):
            return None
        made.append(part)
    return tuple(made)


def slug_of(parts: tuple[Part, ...], seen: str = "") -> str:
    """The slug of these parts, seen through a pinhole or a slit."""
    return "+".join(part.slug for part in parts) + (f"@{seen}" if seen else "")


def seen_through(slug: str) -> str:
    """``pinhole`` or ``slit`` where a law is smeared, else nothing."""
    return slug.partition("@")[2]


def same_form(one: str, other: str | None) -> bool:
    """Whether two slugs are laws of scattering whose first part has the same form."""
    first, second = parts_of(one), parts_of(other or "")
    return bool(first and second) and first[0].form == second[0].form  # type: ignore[index]


@lru_cache(maxsize=256)
def scattering(slug: str) -> Term | None:
    """The term that a slug says; None for one that is no scattering."""
    parts = parts_of(slug)
    if parts is None:
        return None
    made = [_one(part, str(number) if number > 1 else "") for number, part in enumerate(parts, 1)]
    sums = [f"({one.formula})" if len(parts) > 1 else one.formula for one in made]
    formula = "\n".join([*(line for one in made for line in one.lets), " + ".join([*sums, "background"])])
    parameters = [p for one in made for p in one.parameters]
    averages = [average for one in made for average in one.averages]
    derived = [follows for one in made for follows in one.derived]
    smearing = Smearing(seen_through(slug)) if seen_through(slug) else None
    parameters += SEEN.get(seen_through(slug), ())
    order = names_of(formula, tuple(averages))
    known = {one.name: one for one in (*parameters, _BACKGROUND)}
    own = set(order) | set(smearing.names if smearing else ())
    assert own == set(known)
    size, times = FORMS[parts[0].form].first
    alike = tuple(tuple(f"{name}{k}" for name in ("rg", "guinier", "porod", "exponent")) for k in range(1, 4))
    alike = tuple(group for group in alike if len(parts) == 1 and set(group) <= set(known))
    asked = Asked(formula, tuple(averages), tuple(known.values()), size, times, alike)
    label = " + ".join(_label(part) for part in parts) + _SEEN_AS[seen_through(slug)]
    return Term(
        slug, label, "law", formula, tuple(known.values()),
        "; ".join(dict.fromkeys(_reference(part) for part in parts)), GROUP, FORMS[parts[0].form].description,
        search=lambda data, fixed: started(asked, data, fixed), derived=tuple(derived), averages=tuple(averages),
        read_as=_read_as(made, formula),
        smearing=smearing,
    )  # fmt: skip


def _read_as(made: list[_Made], formula: str) -> str:
    """What scatters and how it adds up; how it is averaged, and what is between particles, the label says."""
    shown = [f"{name} = {one.shown}" for part in made for name, one in part.averages if one.shown]
    own = [line for part in made if not part.averages for line in part.lets]
    return "\n".join([*shown, *own, formula.split("\n")[-1]])


@dataclass(frozen=True)
class _Made:
    """A part as formulas: its lets, its last line, and what these need."""

    lets: tuple[str, ...]
    formula: str
    parameters: tuple[Parameter, ...]
    averages: Averages
    derived: tuple[Derived, ...]

    def numbered(self, tail: str) -> _Made:
        """The same with a number at every name."""
        lets = {line.split(" = ")[0] for line in self.lets}
        names = {*(p.name for p in self.parameters), *(name for name, _ in self.averages), *lets}
        return _Made(
            tuple(_renamed(line, names, tail) for line in self.lets),
            _renamed(self.formula, names, tail),
            tuple(
                replace(p, name=p.name + tail, description=f"{p.description} (part {tail})") for p in self.parameters
            ),
            tuple((f"{name}{tail}", _average_renamed(one, names, tail)) for name, one in self.averages),
            tuple(replace(d, name=d.name + tail, formula=_renamed(d.formula, names, tail)) for d in self.derived),
        )


def _one(part: Part, tail: str) -> _Made:
    form = FORMS[part.form]
    parameters, averages, formula = list(form.parameters), list[tuple[str, Average]](), form.formula
    if form.average is not None:
        average = form.average
        if part.distribution:
            most = _BOX_MOST if part.distribution == "boxcar" else 2.0
            words = f"standard deviation of {form.size} over its mean, by number"
            parameters.insert(2, Parameter("spread", words, 0.0, most, 0.15, unit=(0, 0)))
            average = replace(average, distribution=part.distribution)
        averages.append(("form", average))
    if part.between:
        between = BETWEEN[part.between]
        parameters += between.parameters
        averages += list(zip(("inward", "outward"), between.averages(), strict=True))
        formula = f"between = 1/((1 - 12*fill*inward)^2 + (12*fill*outward)^2)\n{formula}*between"
    *lets, last = formula.split("\n")
    made = _Made(tuple(lets), last, tuple(parameters), tuple(averages), tuple(_following(part, form)))
    return made.numbered(tail) if tail else made


def _renamed(text: str, names: set[str], tail: str) -> str:
    return re.sub(r"[A-Za-z_][A-Za-z_0-9]*", lambda m: m[0] + tail if m[0] in names else m[0], text)


def _average_renamed(one: Average, names: set[str], tail: str) -> Average:
    return replace(
        one,
        integrand=_renamed(one.integrand, names, tail),
        norm=_renamed(one.norm, names, tail),
        path=_renamed(one.path, names, tail),
        turn_path=_renamed(one.turn_path, names, tail),
        shown=_renamed(one.shown, names, tail),
        size=one.size + tail if one.size else "",
        spread=one.spread + tail,
    )


def _following(part: Part, form: Form) -> list[Derived]:
    """The radius of gyration, and for spheres what their number and surface follow from."""
    made = []
    if form.slug == "sphere":
        moment = DISTRIBUTIONS[part.distribution].moment if part.distribution else (lambda order: "1")
        ratio = f"{moment(8)}/{moment(6)}"
        made.append(Derived("rg", f"sqrt(3/5*radius^2*({ratio}))", "Rg² = 3/5·⟨R⁸⟩/⟨R⁶⟩, seen at small q"))
        if part.distribution:
            made.append(Derived("radius_by_volume", f"radius*{moment(4)}/{moment(3)}", "mean by volume, ⟨R⁴⟩/⟨R³⟩"))
        made.append(
            Derived("contrast_by_volume", f"forward*{moment(3)}/(4/3*pi*radius^3*{moment(6)})",
                    "φ·Δρ² = I(0)·⟨V⟩/⟨V²⟩, without what is between particles")
        )  # fmt: skip
    elif form.squared_rg and form.squared_rg != "rg^2" and not part.distribution:
        made.append(Derived("rg", f"sqrt({form.squared_rg})", "closed form for one size"))
    return made


def _label(part: Part) -> str:
    said = FORMS[part.form].label
    if part.distribution:
        said += f", {DISTRIBUTIONS[part.distribution].label} sizes"
    return said + (f", {BETWEEN[part.between].label}" if part.between else "")


def _reference(part: Part) -> str:
    said = [FORMS[part.form].reference]
    if part.distribution:
        said.append(DISTRIBUTIONS[part.distribution].reference)
    if part.between:
        said.append(BETWEEN[part.between].reference)
    return "; ".join(said)


_OFFERED = tuple(
    form + ("~schulz" if form in ("sphere", "core-shell-sphere") else "") for form in FORMS
)  # fmt: skip
TERMS: tuple[Term, ...] = tuple(term for slug in _OFFERED if (term := scattering(slug)) is not None)
