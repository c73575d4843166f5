"""What is said of several peaks of a model at once: another profile, shared widths, second lines, names."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from curvesieve.core.diffraction import RADIATIONS, axis_of
from curvesieve.core.errors import InputError, counted
from curvesieve.core.models import Model, ParameterState, PlacedTerm
from curvesieve.core.models.drawing import height_of, width_of
from curvesieve.core.models.tied import settled
from curvesieve.core.peaks.making import placed_peak, shapes_of

_LEAST = {1: 3, 2: 4}
"""So many peaks are needed for a law of their widths: one more than it has numbers."""


def chosen_lines(model: Model, numbers: Sequence[int]) -> list[PlacedTerm]:
    """The peaks of these numbers that are no second lines, all where none is given, in the order of x.

    Raises InputError where there is none.
    """
    chosen = [placed for placed in model.lines if not numbers or placed.number in numbers]
    if not chosen:
        raise InputError("The model has no such peak; find peaks, or double-click one on the plot.")
    return sorted(chosen, key=_center)


def _center(placed: PlacedTerm) -> float:
    return placed.parameters["center"].start


def with_profile(model: Model, numbers: Sequence[int], profile: str) -> Model:
    """The model with another profile for these peaks and their second lines, at the same place, as high and as wide.

    Ties that name a parameter which is gone go, too. Raises InputError for terms that are no peaks.
    """
    chosen = {placed.number for placed in chosen_lines(model, numbers)}
    made: list[PlacedTerm] = []
    for placed in model.peaks:
        if not chosen & {placed.number, placed.second_of} or placed.slug == profile:
            made.append(placed)
            continue
        other = placed_peak(profile, placed.number, _center(placed), height_of(placed), width_of(placed))
        kept = {name: placed.parameters[name] for name in other.parameters if name in placed.parameters}
        states = {
            name: state.model_copy(update={"start": other.parameters[name].start}) for name, state in kept.items()
        }
        made.append(
            other.model_copy(
                update={
                    "parameters": {**other.parameters, **states},
                    "name": placed.name,
                    "second_of": placed.second_of,
                }
            )
        )
    return settled(model.with_peaks(tuple(made)).whole())


def _alike(chosen: Sequence[PlacedTerm], what: str) -> list[str]:
    """The names of the widths, or of the shapes, that all chosen peaks have. Raises InputError where they differ."""
    names = [_widths(placed) if what == "width" else shapes_of(placed) for placed in chosen]
    if any(one != names[0] for one in names) or not names[0]:
        kinds = ", ".join(dict.fromkeys(placed.term.label for placed in chosen))
        raise InputError(
            f"Peaks of the kind {kinds} have no {what} that they could share; give them one profile first."
        )
    return names[0]


def _widths(placed: PlacedTerm) -> list[str]:
    shape = placed.term.shape
    return [] if shape is None else [name for name, _ in shape.widths]


def _said(model: Model, placed: PlacedTerm, ties: dict[str, str]) -> Model:
    """The model with ties of some parameters of a peak; an empty one sets it free."""
    placed = model.term_numbered(placed.number)
    states = {
        name: state.model_copy(update={"tie": ties[name], "hold": False}) if name in ties else state
        for name, state in placed.parameters.items()
    }
    return model.replaced(placed.model_copy(update={"parameters": states}))


def sharing(model: Model, numbers: Sequence[int], what: str) -> Model:
    """The model with one ``width``, or one ``shape``, for these peaks: that of the first, which stays free.

    Raises InputError for fewer than two peaks, or for peaks that have none alike.
    """
    chosen = chosen_lines(model, numbers)
    if len(chosen) < 2:
        raise InputError(f"A {what} is shared by two peaks or more; choose their rows.")
    names = _alike(chosen, what)
    first = chosen[0]
    made = _said(model, first, dict.fromkeys(names, ""))
    for placed in chosen[1:]:
        made = _said(made, placed, {name: first.full_name(name) for name in names})
    return settled(made)


def width_by_place(model: Model, numbers: Sequence[int], degree: int = 1) -> Model:
    """The model with the widths of these peaks on a smooth law of their places: a line, or a parabola.

    The law goes through the free widths of two peaks (or three) at the ends (and in the midst); Lagrange's form of it
    is the tie of each other. Raises InputError for too few peaks, or for peaks that have no widths alike.
    """
    chosen = chosen_lines(model, numbers)
    if len(chosen) < _LEAST[degree]:
        what = "line" if degree == 1 else "parabola"
        raise InputError(f"A {what} of widths is drawn through {_LEAST[degree]} peaks or more; choose their rows.")
    names = _alike(chosen, "width")
    anchors = [chosen[0], chosen[-1]] if degree == 1 else [chosen[0], chosen[len(chosen) // 2], chosen[-1]]
    made = model
    for placed in anchors:
        made = _said(made, placed, dict.fromkeys(names, ""))
    for placed in (one for one in chosen if one not in anchors):
        made = _said(made, placed, {name: _through(anchors, placed, name) for name in names})
    return settled(made)


def _through(anchors: Sequence[PlacedTerm], placed: PlacedTerm, name: str) -> str:
    at = placed.full_name("center")
    parts = []
    for one in anchors:
        factors = [
            f"({at} - {other.full_name('center')})/({one.full_name('center')} - {other.full_name('center')})"
            for other in anchors
            if other is not one
        ]
        parts.append("*".join([one.full_name(name), *factors]))
    return " + ".join(parts)


def set_free(model: Model, numbers: Sequence[int]) -> Model:
    """The model with these peaks tied to nothing and not held; their second lines stay tied to them."""
    for placed in chosen_lines(model, numbers):
        states = {
            name: state.model_copy(update={"tie": "", "hold": False}) for name, state in placed.parameters.items()
        }
        model = model.replaced(placed.model_copy(update={"parameters": states}))
    return model


def with_second_lines(model: Model, numbers: Sequence[int], places: str, ratio: float) -> Model:
    """The model with a second line for each of these peaks: at a place that follows from the first's, `ratio` as high.

    `places` is a formula in ``center``, the place of the first line. Widths and shapes are those of the first. Peaks
    that have a second line already get this one for it. Raises InputError for a ratio that is not above zero.
    """
    if not 0 < ratio < 1e6:
        raise InputError(f"The second line is a share of the first, such as 0.5, and not {ratio:g}.")
    chosen = chosen_lines(model, numbers)
    numbers = [placed.number for placed in chosen]
    model = without_second_lines(model, numbers)
    number = max(placed.number for placed in model.terms)
    more: list[PlacedTerm] = []
    for k, placed in enumerate(chosen, start=1):
        shape = placed.term.shape
        assert shape is not None
        ties = {name: placed.full_name(name) for name in placed.parameters}
        ties[shape.size] = f"{ratio!r}*{placed.full_name(shape.size)}"
        ties["center"] = places.replace("center", placed.full_name("center"))
        states = {
            name: ParameterState(start=placed.parameters[name].start, tie=ties[name]) for name in placed.parameters
        }
        more.append(
            placed.model_copy(
                update={"number": number + k, "parameters": states, "second_of": placed.number, "name": ""}
            )
        )
    return settled(model.with_peaks((*model.peaks, *more)))


def without_second_lines(model: Model, numbers: Sequence[int]) -> Model:
    """The model without the second lines of these peaks, or of all."""
    gone = [p.number for p in model.peaks if p.second_of and (not numbers or p.second_of in numbers)]
    for number in gone:
        model = model.without(number)
    return model.whole()


def alpha_doublet(x_unit: str, anode: str, ratio: float = 0.5) -> tuple[str, float]:
    """Where the Kα2 line of a reflection lies in a formula in ``center``, its Kα1 line, and how high it is against it.

    sin θ₂ = sin θ₁·λ₂/λ₁ on an angle, q₂ = q₁·λ₂/λ₁ on q that was worked out with λ₁. Half as high (common practice).
    Raises InputError for an anode that is not known, or an x that is neither.
    """
    if anode not in RADIATIONS:
        raise InputError(f"The lines of {anode} are not known; known are {', '.join(RADIATIONS)}.")
    lines, axis = RADIATIONS[anode], axis_of(x_unit)
    times = lines.alpha2 / lines.alpha1
    if axis.kind == "q":
        return f"{times!r}*center", ratio
    half = axis.factor / 2
    return f"asin({times!r}*sin({half!r}*center))/{half!r}", ratio


def apart(by: float) -> str:
    """Where a second line lies that is always as far from the first, as of a pair by spin and orbit."""
    return f"center + {by!r}" if by >= 0 else f"center - {-by!r}"


def renamed(model: Model, number: int, name: str) -> Model:
    """The model with another name for a peak; an empty one gives back P1, P2 … Raises InputError for one twice."""
    name = " ".join(name.split())[:60]
    if name and any(placed.label == name and placed.number != number for placed in model.peaks):
        raise InputError(f"Another peak is called {name}; give each a name of its own.")
    return model.replaced(model.term_numbered(number).model_copy(update={"name": name}))


def matched(model: Model, reference: Model) -> tuple[Model, tuple[str, ...]]:
    """The model with its peaks numbered and named as those of another curve that lie at their places.

    Each peak of the reference takes the nearest one within the wider of the two widths, closest pairs first; the others
    get numbers after all of these. Ties, holds and limits move along. Sentences tell what has no counterpart.
    """
    theirs, ours = list(reference.lines), list(model.lines)
    pairs = sorted(
        ((abs(_center(a) - _center(b)), a, b) for a in theirs for b in ours),
        key=lambda one: one[0],
    )
    found: dict[int, PlacedTerm] = {}
    taken: set[int] = set()
    for distance, a, b in pairs:
        if a.number in {p.number for p in found.values()} or b.number in taken:
            continue
        if distance <= max(width_of(a), width_of(b)):
            found[b.number] = a
            taken.add(b.number)
    number = max([placed.number for placed in reference.terms] or [0])
    new: dict[int, int] = {}
    names: dict[int, str] = {}
    for placed in model.peaks:
        if placed.number in found:
            new[placed.number], names[placed.number] = found[placed.number].number, found[placed.number].name
        else:
            number += 1
            new[placed.number], names[placed.number] = number, placed.name
    told = []
    lacking = [placed.label for placed in theirs if placed.number not in {p.number for p in found.values()}]
    if lacking:
        told.append(f"{', '.join(lacking)} {'has' if len(lacking) == 1 else 'have'} no counterpart here")
    more = len(ours) - len(found)
    if more:
        told.append(f"{counted(more, 'peak')} more than there")
    return renumbered(model, new, names), tuple(told)


def renumbered(model: Model, new: dict[int, int], names: dict[int, str]) -> Model:
    """The model with other numbers and names for its peaks; ties and named quantities follow."""
    owned = {
        placed.full_name(name): f"{name}_{new[placed.number]}" for placed in model.peaks for name in placed.parameters
    }
    owned |= {
        full: f"{derived.name}_{new[placed.number]}" for full, (placed, derived) in model.following.items()
        if placed.number
    }  # fmt: skip

    def moved(placed: PlacedTerm) -> PlacedTerm:
        states = {
            name: state.model_copy(update={"tie": _with_names(state.tie, owned)}) if state.tie else state
            for name, state in placed.parameters.items()
        }
        if not placed.number:
            return placed.model_copy(update={"parameters": states})
        changes = {
            "parameters": states, "number": new[placed.number], "name": names.get(placed.number, placed.name),
            "second_of": new.get(placed.second_of, 0) if placed.second_of else 0,
        }  # fmt: skip
        return placed.model_copy(update=changes)

    peaks = sorted((moved(placed) for placed in model.peaks), key=lambda placed: placed.number)
    rest = tuple(moved(placed) for placed in model.terms if not placed.number)
    derived = tuple((name, _with_names(text, owned)) for name, text in model.derived)
    return model.model_copy(update={"terms": (*peaks, *rest), "derived": derived})


def _with_names(text: str, names: Mapping[str, str]) -> str:
    """A formula with other names in the place of some."""
    return re.sub(r"[^\W\d]\w*", lambda match: names.get(match[0], match[0]), text)
