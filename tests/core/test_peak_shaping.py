"""What is said of several peaks at once: shared widths, laws of width, second lines, names that a family shares."""

from __future__ import annotations

import math

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.diffraction import RADIATIONS
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit_model
from curvesieve.core.models import PEAKS, Model
from curvesieve.core.models.drawing import height_of, width_of
from curvesieve.core.models.tied import settled
from curvesieve.core.peaks.making import placed_peak
from curvesieve.core.peaks.shaping import (
    alpha_doublet,
    apart,
    chosen_lines,
    matched,
    renamed,
    set_free,
    sharing,
    width_by_place,
    with_profile,
    with_second_lines,
    without_second_lines,
)

FOUR = ((20.0, 100.0, 1.0), (35.0, 80.0, 1.4), (50.0, 60.0, 1.9), (70.0, 90.0, 2.8))


def model_of(peaks=FOUR, slug="lorentzian") -> Model:
    return Model().with_peaks(tuple(placed_peak(slug, k, *p) for k, p in enumerate(peaks, start=1)))


def curve_of(model: Model, noise=1e-5, **units) -> cs.Curve:
    x = np.arange(10, 85, 0.05)
    y = model.sum.evaluate(x, list(model.start.values())) + np.random.default_rng(4).normal(0, noise, x.size)
    return cs.Curve(x, y, **{"x_unit": "deg", **units})


def fitted(model: Model, curve: cs.Curve) -> Model:
    result = fit_model(model, curve)
    assert result.converged, result.message
    return model.starting_at(result.values)


@pytest.mark.parametrize("slug", [slug for slug in PEAKS if slug != "fano"])
def test_another_profile_is_where_the_old_was_as_high_and_as_wide(slug):
    made = with_profile(renamed(model_of(), 2, "G band"), [2, 3], slug)
    assert [p.slug for p in made.peaks] == ["lorentzian", slug, slug, "lorentzian"]
    assert made.term_numbered(2).label == "G band"
    for number, (center, height, fwhm) in enumerate(FOUR, start=1):
        placed = made.term_numbered(number)
        assert placed.parameters["center"].start == center
        assert height_of(placed) == pytest.approx(height)
        assert width_of(placed) == pytest.approx(fwhm)


def test_ties_that_name_what_is_gone_go_with_it():
    made = with_profile(sharing(model_of(), [], "width"), [1], "split-gaussian")
    assert not made.ties  # fwhm_1 is no parameter any more


def test_a_shared_width_is_one_number_of_the_fit_and_the_first_stays_free():
    made = sharing(model_of(), [1, 2, 4], "width")
    assert made.ties == {"fwhm_2": "fwhm_1", "fwhm_4": "fwhm_1"}
    assert made.term_numbered(4).parameters["fwhm"].start == 1.0  # drawn as it will be fitted
    truth = model_of([(c, h, 1.6) for c, h, _ in FOUR])
    found = fitted(sharing(model_of(), [], "width"), curve_of(truth))
    assert {round(p.parameters["fwhm"].start, 4) for p in found.peaks} == {1.6}
    assert set_free(made, [2]).ties == {"fwhm_4": "fwhm_1"}
    held = model_of().replaced(model_of().term_numbered(2).with_state("fwhm", hold=True))
    assert not sharing(held, [1, 2], "width").term_numbered(2).parameters["fwhm"].hold
    pseudo = sharing(model_of(slug="pseudo-voigt"), [], "shape")
    assert pseudo.ties == {f"mixing_{k}": "mixing_1" for k in (2, 3, 4)}
    with pytest.raises(InputError, match="have no shape"):
        sharing(model_of(), [], "shape")
    with pytest.raises(InputError, match="two peaks or more"):
        sharing(model_of(), [3], "width")
    with pytest.raises(InputError, match="give them one profile first"):
        sharing(with_profile(model_of(), [1], "split-gaussian"), [], "width")
    with pytest.raises(InputError, match="no such peak"):
        chosen_lines(model_of(), [9])


@pytest.mark.parametrize(("degree", "law"), [(1, (0.3, 0.02, 0.0)), (2, (0.5, 0.004, 3e-4))])
def test_widths_on_a_law_of_place_are_those_of_a_polynomial_through_the_anchors(degree, law):
    """The law against NumPy's polynomial of the fitted widths, and the truth it was made of."""
    truth = model_of([(c, h, sum(a * c**k for k, a in enumerate(law))) for c, h, _ in FOUR])
    made = width_by_place(model_of(), [], degree)
    assert len(made.ties) == 4 - (degree + 1)
    found = fitted(made, curve_of(truth))
    places = [p.parameters["center"].start for p in found.peaks]
    widths = [p.parameters["fwhm"].start for p in found.peaks]
    assert widths == pytest.approx(np.polyval(np.polyfit(places, widths, degree), places), rel=1e-9)
    assert widths == pytest.approx([p.parameters["fwhm"].start for p in truth.peaks], rel=1e-5)
    with pytest.raises(InputError, match="is drawn through"):
        width_by_place(model_of(), [1, 2], degree)


@pytest.mark.parametrize("anode", list(RADIATIONS))
def test_second_lines_lie_where_the_other_wavelength_has_them(anode):
    """Bragg's law with both wavelengths, written out here."""
    places, ratio = alpha_doublet("deg", anode)
    made = with_second_lines(model_of(slug="pseudo-voigt"), [2, 3], places, ratio)
    assert [p.second_of for p in made.peaks] == [0, 0, 0, 0, 2, 3]
    assert [p.label for p in made.peaks][-2:] == ["P2′", "P3′"]
    lines = RADIATIONS[anode]
    for placed in made.peaks[4:]:
        first = made.term_numbered(placed.second_of)
        d = lines.alpha1 / (2 * math.sin(math.radians(first.parameters["center"].start / 2)))
        want = 2 * math.degrees(math.asin(lines.alpha2 / (2 * d)))
        assert placed.parameters["center"].start == pytest.approx(want, rel=1e-12)
        assert placed.parameters["height"].start == pytest.approx(first.parameters["height"].start / 2)
        for name in ("fwhm", "mixing"):
            assert placed.parameters[name].start == first.parameters[name].start
    q_places, _ = alpha_doublet("1/nm", anode)
    at = settled(with_second_lines(model_of(), [1], q_places, ratio)).peaks[-1].parameters["center"].start
    assert at == pytest.approx(20.0 * lines.alpha2 / lines.alpha1)


def test_a_doublet_is_fitted_as_one_and_its_second_lines_are_no_readings():
    places, ratio = alpha_doublet("deg", "Cu")
    truth = with_second_lines(model_of(), [], places, ratio)
    found = fitted(with_second_lines(model_of([(c + 0.05, h, w) for c, h, w in FOUR]), [], places, ratio),
                   curve_of(truth))  # fmt: skip
    assert [p.parameters["center"].start for p in found.lines] == pytest.approx([c for c, _, _ in FOUR], abs=1e-5)
    again = with_second_lines(found, [1], apart(-0.8), 0.25)  # another in its place
    assert sum(p.second_of == 1 for p in again.peaks) == 1
    moved = next(p for p in again.peaks if p.second_of == 1)
    assert moved.parameters["center"].start == pytest.approx(20.0 - 0.8, abs=1e-5)
    assert len(without_second_lines(again, []).peaks) == 4
    assert not without_second_lines(again, []).ties
    with pytest.raises(InputError, match="a share of the first"):
        with_second_lines(found, [], places, 0.0)
    with pytest.raises(InputError, match="x is in s"):
        alpha_doublet("s", "Cu")
    with pytest.raises(InputError, match="lines of Xx"):
        alpha_doublet("deg", "Xx")


def test_names_are_unique_and_numbers_follow_those_of_another_curve():
    named = renamed(renamed(model_of(), 1, "D"), 2, "  G \n band ")
    assert [p.label for p in named.peaks] == ["D", "G band", "P3", "P4"]
    with pytest.raises(InputError, match="Another peak is called D"):
        renamed(named, 3, "D")
    assert renamed(named, 1, "").term_numbered(1).label == "P1"
    other = model_of([(70.4, 9, 2), (20.3, 5, 1), (90.0, 1, 1), (35.2, 4, 1)])
    other = sharing(other, [2, 4], "width").model_copy(update={"derived": (("ratio", "area_4/area_2"),)})
    made, told = matched(other, named)
    assert {p.number: (p.label, p.parameters["center"].start) for p in made.peaks} == {
        1: ("D", 20.3), 2: ("G band", 35.2), 4: ("P4", 70.4), 5: ("P5", 90.0)}  # fmt: skip
    assert made.ties == {"fwhm_2": "fwhm_1"}
    assert made.derived == (("ratio", "area_2/area_1"),)
    assert told == ("P3 has no counterpart here", "1 peak more than there")
    lines = with_second_lines(other, [2], apart(1.0), 0.5)
    seconds = matched(lines, named)[0]
    assert [p.second_of for p in seconds.peaks if p.second_of] == [1]
    assert seconds.ties["center_6"] == "center_1 + 1.0"


def test_tied_starts_follow_ties_on_ties_and_leave_circles_to_the_fit():
    made = model_of()
    first = made.term_numbered(1).with_state("fwhm", tie="2*fwhm_2")
    second = made.term_numbered(2).with_state("fwhm", tie="fwhm_3 + 1")
    both = settled(made.replaced(first).replaced(second))
    assert both.term_numbered(1).parameters["fwhm"].start == pytest.approx(2 * (1.9 + 1))
    circle = settled(both.replaced(made.term_numbered(3).with_state("fwhm", tie="log(0)*fwhm_9")))
    assert circle.term_numbered(3).parameters["fwhm"].start == 1.9
