"""Steps, contours, slices, numbers and files of fields, against closed forms, SciPy and what was written."""

from __future__ import annotations

import io
import json
from dataclasses import replace

import h5py
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy import ndimage

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.errors import InputError
from curvesieve.core.fields.contours import Levels, lines_of
from curvesieve.core.fields.grid import Grid, nodes
from curvesieve.core.fields.inner import inner
from curvesieve.core.fields.points import Names, Points, gather
from curvesieve.core.fields.reads import MeasureSlot, SeenField, read_field, registered_field_measures
from curvesieve.core.fields.reads.above import above
from curvesieve.core.fields.reads.periods import falls, spectrum
from curvesieve.core.fields.slices import SliceSet, SliceSpec, beside, cut
from curvesieve.core.fields.sources import (
    looks_like_a_matrix,
    of_channels,
    of_curves,
    of_difference,
    of_formula,
    of_matrix,
)
from curvesieve.core.fields.steps import FieldSlot, parse_field_step, pass_points, registered_field_steps
from curvesieve.core.fields.surface import Filling, fill, filling_for
from curvesieve.core.fields.turned import Eye, turned
from curvesieve.core.fields.ways import parse_way
from curvesieve.core.fields.writing import grid_file, lines_csv, lines_svg, matrix
from curvesieve.core.formats.opening import read_bytes
from curvesieve.core.record import Source

NAMES = Names("x", "y", "height", "mm", "mm", "µm")


def lattice(f, nx=41, ny=31, wide=4.0, high=3.0, u=None):
    places = nodes(np.linspace(0, wide, nx), np.linspace(0, high, ny))
    z = f(places[:, 0], places[:, 1])
    return Points(places[:, 0], places[:, 1], z, None if u is None else np.full(len(z), u), NAMES)


def seen(points, way=None):
    surface = fill(points, filling_for(points) if way is None else Filling(way=parse_way(way)))
    return SeenField(surface, surface.grid())


def numbers(field, slug, **fields):
    rule = registered_field_measures()[slug]
    (got,) = read_field(field, [MeasureSlot(id="m", rule=rule.for_field(field).changed(**fields))])
    assert not got.problem, got.problem
    return {one.key.quantity: one for one in got.readings}


def passed(points, slug, **fields):
    (trail,) = pass_points(points, [FieldSlot(id="s", rule=parse_field_step({"step": slug, **fields}))])
    return trail


# -- numbers ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
def test_roughness_of_sine_and_triangular_surfaces_is_their_closed_form(scale):
    """Sine: Sa = 2A/π, Sq = A/√2, Ssk = 0, Sku = 1.5. Triangular: A/2, A/√3, 0, 1.8 (integrals over a period)."""
    places = nodes(np.arange(2000) / 50, np.arange(4.0))
    for shape, expected in (
        (np.sin(2 * np.pi * places[:, 0] + 0.3), (2 / np.pi, np.sqrt(0.5), 1.5)),
        (2 / np.pi * np.arcsin(np.sin(2 * np.pi * places[:, 0] + 0.3)), (0.5, np.sqrt(1 / 3), 1.8)),
    ):
        points = Points(places[:, 0], places[:, 1], scale * 7 * shape, None, NAMES)
        got = numbers(seen(points), "field-roughness")
        assert got["Sa"].value == pytest.approx(scale * 7 * expected[0], rel=5e-3)
        assert got["Sq"].value == pytest.approx(scale * 7 * expected[1], rel=5e-3)
        assert got["Sz"].value == pytest.approx(scale * 14, rel=0.02)
        assert got["Ssk"].value == pytest.approx(0, abs=0.01)
        assert got["Sku"].value == pytest.approx(expected[2], rel=5e-3)
        rows = numbers(seen(points), "field-profiles")
        assert rows["Ra"].value == pytest.approx(scale * 7 * expected[0], rel=0.02)
        assert rows["Rq"].value == pytest.approx(scale * 7 * expected[1], rel=0.02)


@pytest.mark.parametrize("scale", [1e-6, 1.0, 1e6])
def test_area_and_volume_above_levels_of_a_cone_and_a_paraboloid(scale):
    """Cone of height 1 and radius 1 above level l: area π(1−l)², volume π(1−l)³/3. Paraboloid: π(1−l), π(1−l)²/2."""
    axis = np.linspace(-1.2, 1.2, 241)
    x, y = np.meshgrid(axis, axis)
    r = np.hypot(x, y)
    for z, area, volume in (
        (1 - r, lambda left: np.pi * left**2, lambda left: np.pi * left**3 / 3),
        (1 - r**2, lambda left: np.pi * left, lambda left: np.pi * left**2 / 2),
    ):
        grid = Grid(scale * axis, scale * axis, z / scale, None, NAMES)
        for level in (0.0, 0.25, 0.6):
            a, up, down = above(grid, level / scale)
            assert a == pytest.approx(scale**2 * area(1 - level), rel=1e-3)
            assert up == pytest.approx(scale * volume(1 - level), rel=1e-3)
            whole = np.trapezoid(np.trapezoid(z - level, axis), axis)
            assert up - down == pytest.approx(scale * whole, rel=1e-3)
            (line,) = lines_of(grid, np.array([level / scale]))
            assert line.closed
            assert line.area == pytest.approx(a, rel=1e-3)


@given(st.lists(st.floats(-10, 10), min_size=4, max_size=4), st.floats(-10, 10))
@settings(max_examples=200, deadline=None)
def test_the_parts_of_a_cell_are_the_whole(corners, level):
    """What is above and below add up to the mean of the corners, whatever these are."""
    a, up, down = above(Grid(np.array([0.0, 2.0]), np.array([0.0, 3.0]), np.reshape(corners, (2, 2))), level)
    assert 0 <= a <= 6 + 1e-9
    assert up >= -1e-9
    assert down >= -1e-9
    assert up - down == pytest.approx(6 * (np.mean(corners) - level), abs=1e-8)


@pytest.mark.parametrize("angle", [0, 30, 75, 90, 140])
def test_the_spectrum_keeps_the_power_and_finds_period_and_direction(angle):
    turn = np.radians(angle)
    points = lattice(lambda x, y: 2 * np.sin(2 * np.pi / 0.31 * (x * np.cos(turn) + y * np.sin(turn))), 201, 161)
    field = seen(points)
    found = spectrum(field.grid)
    assert found.power.sum() == pytest.approx(np.mean((points.z - points.z.mean()) ** 2), rel=1e-12)  # Parseval
    got = numbers(field, "field-periods")
    assert got["period"].value == pytest.approx(0.31, rel=5e-3)
    off = (got["direction"].value - angle + 90) % 180 - 90
    assert abs(off) < 1.0
    assert got["share"].value > 0.6
    assert got["period"].unit == "mm"


def test_the_correlation_length_of_filtered_noise_is_that_of_its_filter():
    """White noise through a Gaussian of σ has the autocorrelation exp(−r²/4σ²): 0.2 at r = σ·√(4 ln 5)."""
    rng = np.random.default_rng(3)
    z = ndimage.gaussian_filter(rng.standard_normal((600, 600)), (4.0, 8.0), mode="wrap")
    axis = np.arange(600) * 0.1
    reach = falls(Grid(axis, axis, z, None, NAMES), 0.2)
    assert np.nanmin(reach) == pytest.approx(0.4 * np.sqrt(4 * np.log(5)), rel=0.06)
    assert np.nanmax(reach) == pytest.approx(0.8 * np.sqrt(4 * np.log(5)), rel=0.1)
    assert np.nanargmax(reach) * 180 / reach.size < 8


def test_u_of_the_mean_is_that_of_kriging_the_block():
    """u² of a mean over the area: the mean of C over both, less what the points know (Cressie 1993, 3.2.12)."""
    rng = np.random.default_rng(0)
    x, y = rng.random((2, 60))
    law = {"way": "kriging", "shape": "exponential", "range": 0.8, "sill": 1.0, "nugget": 0.05}
    field = seen(gather(x, y, np.sin(5 * x) + y).points, law)
    places, apart = (
        field.coarse.places()[field.coarse.known.ravel()],
        lambda a, b: np.hypot(*(a[:, None] - b[None]).transpose(2, 0, 1)),
    )
    cov = lambda a, b: np.exp(np.log(0.05) * apart(a, b) / 0.8)  # noqa: E731
    at = np.column_stack([x, y])
    system = np.ones((61, 61))
    system[:60, :60] = cov(at, at) + 0.05 * np.eye(60)
    system[60, 60] = 0
    right = np.append(cov(at, places).mean(axis=1), 1.0)
    expected = np.sqrt(cov(places, places).mean() - right @ np.linalg.solve(system, right))
    assert numbers(field, "field-mean")["mean"].u == pytest.approx(expected, rel=0.15)


def test_numbers_of_a_noisy_measured_field_have_the_u_of_drawing_them_again():
    rng = np.random.default_rng(1)
    means, volumes = [], []
    for _ in range(40):
        points = lattice(lambda x, y: np.sin(x) + y + 0.5 * rng.standard_normal(x.size), 12, 9, u=0.5)
        field = seen(points)
        means.append(numbers(field, "field-mean")["mean"])
        volumes.append(numbers(field, "field-above", level=2.0)["volume-above"])
    for found in (means, volumes):
        assert np.mean([one.u for one in found]) == pytest.approx(np.std([one.value for one in found]), rel=0.3)


def test_extremes_values_and_slopes():
    points = lattice(lambda x, y: 5 - (x - 1) ** 2 - (y - 2) ** 2, 401, 301)
    field = seen(points)
    got = numbers(field, "field-extremes")
    assert (got["maximum"].value, got["maximum-x"].value, got["maximum-y"].value) == pytest.approx((5, 1, 2))
    assert (got["minimum-x"].value, got["minimum-y"].value) == pytest.approx((4, 0))
    places = numbers(field, "field-value", places=[[0.5, 0.5], [9, 9], [1, 2]])
    assert places["value"].value == pytest.approx(5)
    assert places["value"].part == 3
    steep = numbers(field, "field-slopes")
    assert steep["steepest"].value == pytest.approx(2 * np.hypot(3, 2), rel=0.01)
    assert steep["mean-slope-x"].value == pytest.approx(-2.0)  # (z(4) - z(0)) / 4
    assert steep["steepest"].unit == "µm·mm^-1"


def test_uneven_rows_are_seen_and_read_where_they_are():
    """Pictures stand in even steps: a map and a surface of rows at 0, 1, 2, 3 and 20 show each of them in its place."""
    x, y = np.linspace(0, 4, 21), np.array([0.0, 1, 2, 3, 20])
    gx, gy = np.meshgrid(x, y)
    grid = Grid(x, y, 2 * gx + 3 * gy + gx * gy, None, NAMES)
    even = grid.evenly(grid.z)
    ex, ey = np.meshgrid(x, np.linspace(0, 20, len(even)))
    assert len(even) > 100
    assert even == pytest.approx(2 * ex + 3 * ey + ex * ey)
    assert np.array_equal(Grid(x, x, np.eye(21)).evenly(np.eye(21)), np.eye(21))
    gap = grid.z.copy()
    gap[2, 5] = np.nan
    unknown = np.isnan(grid.evenly(gap))
    assert unknown.any(axis=0).nonzero()[0].tolist() == [5]
    assert (ey[unknown] > 1).all()
    assert (ey[unknown] < 3).all()
    eye = turned(grid, Eye(), 300, 200)
    sx, sy = eye.x[eye.seen], eye.y[eye.seen]
    assert eye.seen.sum() > 5000
    assert eye.z[eye.seen] == pytest.approx(2 * sx + 3 * sy + sx * sy)
    bowl = Points(gx.ravel(), gy.ravel(), (gy**2).ravel(), None, NAMES)
    assert numbers(seen(bowl), "field-slopes")["mean-slope-y"].value == pytest.approx(400 / 20)
    noisy = Points(bowl.x, bowl.y, bowl.z, np.full(len(bowl), 1e-6), NAMES)
    top = numbers(seen(noisy), "field-extremes")["maximum-y"]
    assert (top.value, top.u) == pytest.approx((20, 17 / np.sqrt(12)))  # the last row stands for its step


@pytest.mark.parametrize("scale", [1e-9, 1.0, 1e9])
def test_slices_far_from_zero_are_told_apart(scale):
    """As of eastings and northings: millions of metres away, a field of some metres."""
    far = 5_612_000.0 * scale
    points = Points(*(np.array(v) * scale for v in ([0, 9, 0, 9], [0, 0, 8, 8], [0, 1, 1, 2])), None, NAMES)
    points = replace(points, y=points.y + far)
    specs = SliceSet(count=4).specs(points)
    names = {spec.named(NAMES) for spec in specs}
    assert len(names) == 4
    for spec, name in zip(specs, names, strict=True):
        assert far < spec.at < far + 8 * scale
        assert spec.at == pytest.approx(float(spec.named(NAMES).split()[2]), rel=1e-9), name
    level = registered_field_measures()["field-above"].for_field(
        seen(points.with_z(points.z + far, None), {"way": "linear"})
    )
    assert far < level.level < far + 2 * scale


def test_every_measure_says_why_where_it_has_nothing():
    flat = seen(lattice(lambda x, y: 0 * x + 3.0, 9, 9))
    unlike = seen(
        Points(*lattice(lambda x, y: x * y, 9, 9).places.T, np.arange(81.0), None, Names(x_unit="mm", y_unit="s"))
    )
    for slug, rule in registered_field_measures().items():
        for field in (flat, unlike):
            (got,) = read_field(field, [MeasureSlot(id=slug, rule=rule.for_field(field))])
            assert got.problem or got.readings, slug
            assert all(np.isfinite(one.value) for one in got.readings), (slug, got.readings)
            assert all(one.u is None or one.u > 0 for one in got.readings), slug
    assert read_field(flat, [MeasureSlot(id="m", rule=registered_field_measures()["field-periods"]())])[0].problem
    out = read_field(flat, [MeasureSlot(id="m", rule=registered_field_measures()["field-value"](places=((99, 99),)))])
    assert "nothing is known" in out[0].problem.lower()
    low = read_field(flat, [MeasureSlot(id="m", rule=registered_field_measures()["field-above"](level=100.0))])[0]
    assert low.readings[0].value == 0
    assert "lies between" in low.message


# -- steps --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("scale", [1e-9, 1.0, 1e9])
def test_levels_take_out_what_was_put_in(scale):
    rough = lambda x, y: np.sin(9 * x) * np.sin(8 * y)  # noqa: E731
    plain = lattice(rough, 60, 50)
    tilted = lattice(lambda x, y: scale * (rough(x, y) + 3 + 2 * x - 5 * y), 60, 50)
    got = passed(tilted, "level-field")
    expected = passed(plain, "level-field").after.z
    assert got.after.z == pytest.approx(scale * expected, abs=1e-9 * scale)
    assert "slopes" in got.passed.message
    x, _, amount = got.caught
    assert amount == pytest.approx(tilted.z - got.after.z)
    assert x.size == len(tilted)
    bowl = lattice(lambda x, y: scale * (x * x - x * y + 2 * y * y + x), 60, 50)
    assert np.abs(passed(bowl, "level-field", degree=2).after.z).max() < 1e-9 * scale
    peaks = lattice(lambda x, y: 2 * x + 100.0 * (np.hypot(x - 1, y - 1) < 0.4), 60, 50)
    robust = passed(peaks, "level-field", robust=True).after.z
    assert np.median(robust) == pytest.approx(0, abs=1e-6)
    kept = passed(plain, "level-field", keep_mean=True).after.z
    assert kept.mean() == pytest.approx(plain.z.mean())


@pytest.mark.parametrize("by", ["median", "mean", "slope"])
@pytest.mark.parametrize("along", ["x", "y"])
def test_lines_lose_their_own_level(by, along):
    rng = np.random.default_rng(0)
    shift = rng.normal(size=31 if along == "x" else 41) * 5
    base = lattice(lambda x, y: 0.01 * np.sin(40 * x + 50 * y))
    line = base.lattice.row if along == "x" else base.lattice.column
    striped = base.with_z(base.z + shift[line], None)
    left = passed(striped, "level-lines", along=along, by=by).after.z
    assert np.std(left) < 0.012
    assert left.mean() == pytest.approx(striped.z.mean(), abs=0.02)


@pytest.mark.parametrize("on_lattice", [True, False])
def test_spikes_are_caught_given_back_and_replaced(on_lattice):
    rng = np.random.default_rng(5)
    smooth = lambda x, y: np.sin(x) + np.cos(y)  # noqa: E731
    points = lattice(smooth)
    if not on_lattice:
        x, y = rng.random((2, 800)) * 4
        points = Points(x, y, smooth(x, y), None, NAMES)
    z = points.z + 0.01 * rng.standard_normal(len(points))
    spikes = rng.choice(len(points), 12, replace=False)
    z[spikes] += rng.choice([-1, 1], 12) * 3.0
    dirty = points.with_z(z, None)
    got = passed(dirty, "despike-field")
    assert set(spikes) <= set(got.passed.gone)
    assert len(got.passed.gone) < 20
    back = (float(dirty.x[spikes[0]]), float(dirty.y[spikes[0]]))
    again = passed(dirty, "despike-field", kept=[list(back)])
    assert list(again.passed.given_back) == [spikes[0]]
    assert len(again.after) == len(got.after) + 1
    mended = passed(dirty, "despike-field", instead="replaced").after
    assert len(mended) == len(dirty)
    assert np.abs(mended.z - points.z).max() < 0.15
    assert got.caught[2].size == len(got.passed.gone)


def test_smoothing_is_scipys_within_the_field_and_its_u_that_of_draws():
    rng = np.random.default_rng(2)
    points = lattice(lambda x, y: np.sin(2 * x) + y, 41, 31, u=0.2)
    noisy = points.with_z(points.z + 0.2 * rng.standard_normal(len(points)), points.u)
    table = points.lattice.spread(noisy.z)
    inside = np.s_[9:-9, 9:-9]
    got = passed(noisy, "gaussian-field", sigma=0.2).after
    expected = ndimage.gaussian_filter(table, 2.0)
    assert points.lattice.spread(got.z)[inside] == pytest.approx(expected[inside], abs=1e-6)
    medians = passed(noisy, "median-field", neighbours=8).after.z
    assert points.lattice.spread(medians)[inside] == pytest.approx(ndimage.median_filter(table, 3)[inside])
    again = (points.with_z(points.z + 0.2 * rng.standard_normal(len(points)), points.u) for _ in range(200))
    draws = np.std([passed(one, "gaussian-field", sigma=0.2).after.z for one in again], axis=0)
    assert np.median(got.u / draws) == pytest.approx(1, rel=0.03)
    # scattered points by the same weights: the same where they stand in rows and columns
    shaken = Points(noisy.x + 1e-6 * rng.standard_normal(len(noisy)), noisy.y, noisy.z, noisy.u, NAMES)
    assert shaken.lattice is None
    away = passed(shaken, "gaussian-field", sigma=0.2).after
    assert away.z == pytest.approx(got.z, abs=1e-3)
    assert away.u == pytest.approx(got.u, rel=1e-2)


def test_crops_masks_limits_units_and_factors():
    points = lattice(lambda x, y: x + 10 * y, u=0.5)
    assert passed(points, "crop", x_low=1, x_high=2, y_high=1.5).after.x.min() >= 1
    hole = passed(points, "mask", x=2, y=1.5, width=2, height=1).after
    assert (((hole.x - 2) / 1) ** 2 + ((hole.y - 1.5) / 0.5) ** 2 > 1).all()
    inside = passed(points, "mask", x=2, y=1.5, width=2, height=1, shape="rectangle", out="outside").after
    assert len(inside) + len(passed(points, "mask", x=2, y=1.5, width=2, height=1, shape="rectangle").after) == len(
        points
    )
    assert passed(points, "between", low=5, high=20).after.z.max() <= 20
    nm = passed(points, "convert-field", axis="z", to="nm").after
    assert nm.z == pytest.approx(1000 * points.z)
    assert nm.u == pytest.approx(500.0)
    assert (nm.names.z_unit, nm.names.x_unit) == ("nm", "mm")
    warm = replace(points, names=replace(NAMES, z_unit="°C"))  # a unit with a zero of its own: u is a difference
    kelvin = passed(warm, "convert-field", axis="z", to="K").after
    assert kelvin.z == pytest.approx(points.z + 273.15)
    assert kelvin.u == pytest.approx(0.5)
    both = passed(points, "convert-field", axis="x and y", to="µm").after
    assert both.x == pytest.approx(1000 * points.x)
    over = passed(points, "factor-field", factor=-2, offset=1).after
    assert over.z == pytest.approx(1 - 2 * points.z)
    assert over.u == pytest.approx(1.0)
    for slug, fields, words in (
        ("convert-field", {"to": "s"}, "s"), ("factor-field", {"factor": 0}, "leaves nothing"),
        ("crop", {"x_low": 99}, "no point would be left"), ("despike-field", {"neighbours": 200}, "") ,
    ):  # fmt: skip
        small = points if slug != "despike-field" else gather([0, 1, 2, 5], [0, 1, 0, 2], [1, 2, 3, 9]).points
        trail = passed(small, slug, **fields)
        assert trail.problem, slug
        assert words.lower() in trail.problem.lower()
        assert trail.after is small
    with pytest.raises(InputError, match="ascend"):
        parse_field_step({"step": "crop", "x_low": 2, "x_high": 1})
    for slug, step in registered_field_steps().items():
        assert step.for_points(points).told, slug
        assert step.for_points(points).in_words("mm", "mm"), slug


# -- contours and slices ------------------------------------------------------------------------------


def test_levels_by_number_step_and_list():
    grid = Grid(np.arange(3.0), np.arange(2.0), np.array([[0, 5, 10.0], [1, 2, 3]]))
    assert list(Levels(number=9).of(grid)) == pytest.approx(list(range(11)))
    assert list(Levels(by="step", step=2.5).of(grid)) == [0, 2.5, 5, 7.5, 10]
    assert list(Levels(by="list", given=(7, 3, 99)).of(grid)) == [3, 7, 99]
    assert lines_of(grid, np.array([99.0, -5.0])) == []
    with pytest.raises(InputError, match="wider step"):
        Levels(by="step", step=1e-6).of(grid)


def test_slices_along_x_along_y_and_anywhere_are_the_surface():
    rng = np.random.default_rng(0)
    x, y = rng.random((2, 400)) * 10
    f = lambda x, y: np.sin(x / 2) + 0.3 * y  # noqa: E731
    field = cs.grid(x, y, f(x, y), way="thin-plate")
    along_x = field.slice(y=5.0)
    assert along_x.y == pytest.approx(f(along_x.x, 5.0), abs=0.02)
    along_y = field.slice(x=4.0)
    assert along_y.y == pytest.approx(f(4.0, along_y.x), abs=0.02)
    across = field.slice(ends=(2, 2, 8, 7))
    share = across.x / np.hypot(6, 5)
    assert across.y == pytest.approx(f(2 + 6 * share, 2 + 5 * share), abs=0.02)
    wide = field.slice(y=5.0, width=2.0)
    assert wide.y == pytest.approx(f(wide.x, 5.0), abs=0.02)  # the mean over ±1 of what is straight in y
    specs = SliceSet(count=5).specs(field.surface.points)
    assert [spec.at for spec in specs] == pytest.approx(np.linspace(1, 9, 5), abs=0.1)
    near, z = beside(field.surface.points, SliceSpec(along="x", at=5.0), 0.3)
    assert near.size == np.count_nonzero(np.abs(y - 5) <= 0.3)
    assert z == pytest.approx(f(x, y)[np.abs(y - 5) <= 0.3])
    near, _ = beside(field.surface.points, SliceSpec(along="line", ends=(2, 2, 8, 7)), 0.2)
    assert near.size > 0
    with pytest.raises(InputError, match="nothing that is known"):
        field.slice(y=50.0)
    with pytest.raises(InputError, match="one of"):
        field.slice()
    with pytest.raises(InputError, match="two ends"):
        cut(field.surface, SliceSpec(along="line", ends=(1, 1, 1, 1)))


def test_a_width_is_across_the_slice_whatever_its_direction():
    """z = (distance from the line)²: the mean over nine lines across a width w is w² times that of their places."""
    rng = np.random.default_rng(0)
    x, y = rng.random((2, 200)) * 10
    across = ((y - 2) * 6 - (x - 2) * 5) / np.hypot(6, 5)
    field = cs.grid(x, y, across**2, way="radial", settings={"shape": "cubic"})
    assert field.slice(ends=(2, 2, 8, 7)).y == pytest.approx(0, abs=1e-6)
    wide = field.slice(ends=(2, 2, 8, 7), width=1.5)
    assert wide.y == pytest.approx(np.mean((1.5 * np.linspace(-0.5, 0.5, 9)) ** 2), abs=1e-6)


def test_the_inner_part_is_the_largest_rectangle_without_gaps():
    rng = np.random.default_rng(1)
    for _ in range(30):
        z = np.where(rng.random((12, 15)) < 0.04, np.nan, 1.0)
        try:
            got, _ = inner(Grid(np.arange(15.0), np.arange(12.0), z))
        except InputError:
            continue
        assert got.known.all()
        best = max(
            ((b - a) * (d - c) for a in range(12) for b in range(a + 1, 13) for c in range(15) for d in range(c + 1, 16)
             if np.isfinite(z[a:b, c:d]).all()), default=0,
        )  # fmt: skip
        assert got.z.size == best


# -- in and out ---------------------------------------------------------------------------------------


def record(content, name):
    return read_bytes(Source(name, content))


def test_what_is_written_reads_back():
    grid = Grid(np.linspace(0, 2, 5), np.linspace(0, 1, 4), np.arange(20.0).reshape(4, 5), np.full((4, 5), 0.5), NAMES)
    grid.z[0, 0] = grid.u[0, 0] = np.nan
    for suffix in (".csv", ".tsv", ".xlsx", ".h5", ".json"):
        made = record(grid_file(grid, suffix, "map"), f"map{suffix}")
        points = of_channels(made[1], made[2], made[3], made[4]).points
        assert len(points) == 19, suffix
        assert points.names == NAMES, suffix
        again = fill(points, filling_for(points)).grid()
        assert again.z == pytest.approx(grid.z, nan_ok=True), suffix
        assert again.u == pytest.approx(grid.u, nan_ok=True), suffix
    arrays = np.load(io.BytesIO(grid_file(grid, ".npz", "map")))
    assert arrays["z"] == pytest.approx(grid.z, nan_ok=True)
    table = record(matrix(grid).encode(), "map.csv")
    assert looks_like_a_matrix(table.channels)
    points = of_matrix(table.channels, True, None, None, NAMES).points
    assert fill(points, filling_for(points)).grid().z == pytest.approx(grid.z, nan_ok=True)
    stepped = of_matrix(table.channels, True, 0.25, 2.0, NAMES).points
    assert stepped.spans == pytest.approx((1.0, 6.0))
    lines = lines_of(grid, np.array([7.5, 12.5]))
    rows = lines_csv(lines, grid).splitlines()
    assert rows[0] == "height (µm),line,x (mm),y (mm)"
    assert len(rows) == 1 + sum(len(line.places) for line in lines)
    svg = lines_svg(lines, grid)
    assert svg.count("<path") == len(lines)
    assert "7.5 µm" in svg
    with pytest.raises(InputError, match="no format"):
        grid_file(grid, ".docx", "map")


def test_axes_of_maps_in_hdf5_are_places_edges_or_each_nodes_own_and_what_fits_not_is_said():
    """NXdata (NeXus manual, 2024: `axes`, "." for none): edges have one more; whatever else is there is noted."""
    z = np.arange(12.0).reshape(3, 4)

    def made(shape=(3, 4), **axes):
        file = io.BytesIO()
        with h5py.File(file, "w") as out:
            group = out.create_group("map")
            group.attrs["NX_class"], group.attrs["signal"] = "NXdata", "z"
            group.attrs["axes"] = ["y" if "y" in axes else ".", "x" if "x" in axes else "."]
            group.create_dataset(
                "z", shape, "f8", data=z if shape == z.shape else None, chunks=shape != z.shape or None
            )
            for name, values in axes.items():
                group.create_dataset(name, data=values).attrs["units"] = "mm"
        return read_bytes(Source("map.h5", file.getvalue()))

    y = np.array([1.0, 2, 4])
    record = made(x=[0.0, 1, 2, 3, 4], y=y)
    assert record[1].values.reshape(3, 4)[1].tolist() == [0.5, 1.5, 2.5, 3.5]
    assert record[2].values.reshape(3, 4)[:, 2].tolist() == [1, 2, 4]
    assert record[3].values.tolist() == z.ravel().tolist()
    assert any("edges of 4 places" in note for note in record.notes)
    own = made(x=z + 100, y=-z)
    assert (own[1].values.tolist(), own[2].values.tolist()) == ((z + 100).ravel().tolist(), (-z).ravel().tolist())
    assert own[1].unit == "mm"
    none = made(y=y)
    assert none[1].values.reshape(3, 4)[0].tolist() == [0, 1, 2, 3]
    assert none[1].unit == ""
    odd = made(x=[5.0, 6], y=y)
    assert any("counted from 0" in note for note in odd.notes)
    assert odd[1].unit == ""
    with pytest.raises(InputError, match="beyond 25,000,000 a map is not read"):
        made((6000, 6000))


def test_height_maps_in_pictures():
    heights = (1000 * (1 + np.sin(np.arange(40) / 5))[None, :] * np.ones((30, 1))).astype(np.uint16)
    heights[0] = 7
    for name, image, options in (
        ("map.png", Image.fromarray(heights), {"dpi": (2540, 2540)}),
        ("map.tif", Image.fromarray(heights), {"dpi": (2540, 2540)}),
        ("float.tif", Image.fromarray(heights.astype(np.float32)), {"dpi": (2540, 2540)}),
    ):
        file = io.BytesIO()
        image.save(file, name.split(".")[1].replace("tif", "tiff"), **options)
        made = record(file.getvalue(), name)
        points = of_channels(made["x"], made["y"], made["height"]).points
        assert points.names.x_unit == "mm", name
        assert points.spans == pytest.approx((0.39, 0.29), rel=1e-3), name
        table = points.lattice.spread(points.z)
        assert table[::-1] == pytest.approx(heights.astype(float)), name  # y runs upwards
    file = io.BytesIO()
    Image.fromarray(heights).save(file, "png")
    assert any("counted in pixels" in note for note in record(file.getvalue(), "plain.png").notes)
    coloured = io.BytesIO()
    Image.new("RGB", (40, 40)).save(coloured, "png")
    with pytest.raises(InputError, match="Trace bench"):
        record(coloured.getvalue(), "colours.png")
    with pytest.raises(InputError, match="damaged and cannot be opened"):
        record(file.getvalue()[:60], "cut.png")


def test_fields_of_families_formulas_and_differences():
    x = np.linspace(0, 1, 30)
    curves = [(place, cs.Curve(x, place * x, x_unit="s", y_unit="N")) for place in (1.0, 2.0, 4.0)]
    made = of_curves(curves, "loading", "wt%").points
    assert (len(made), made.names.y, made.names.y_unit, made.names.z_unit) == (90, "loading", "wt%", "N")
    with pytest.raises(InputError, match="two conditions"):
        of_curves(curves[:1], "loading", "wt%")
    with pytest.raises(InputError, match="different units"):
        of_curves([*curves, (5.0, cs.Curve(x, x))], "loading", "wt%")
    wave = of_formula("sin(x)*y", (0, 3), (0, 2), 31, 21, Names()).points
    assert wave.z == pytest.approx(np.sin(wave.x) * wave.y)
    with pytest.raises(InputError, match="has no value"):
        of_formula("a*x", (0, 3), (0, 2), 31, 21, Names())
    with pytest.raises(InputError, match="ascend"):
        of_formula("x", (3, 0), (0, 2), 31, 21, Names())
    rng = np.random.default_rng(0)
    sx, sy = rng.random((2, 300)) * [[3], [2]]
    second = fill(gather(sx, sy, np.sin(sx) * sy - 1).points, Filling())
    first = fill(wave, filling_for(wave))
    left = of_difference(first, first.grid(), second).points
    assert left.z == pytest.approx(1.0, abs=0.02)
    here, there = (lattice(lambda x, y: x + y, 9, 9, u=u) for u in (0.3, 0.4))
    measured = fill(here, filling_for(here))
    both = of_difference(measured, measured.grid(), fill(there, filling_for(there))).points
    assert both.u == pytest.approx(0.5)
    assert both.z == pytest.approx(0)
    with pytest.raises(InputError, match="different units"):
        of_difference(first, first.grid(), fill(Points(sx, sy, sx, None, NAMES), Filling()))


def test_the_command_line_fills_in_compares_and_writes(tmp_path, capsys):
    rng = np.random.default_rng(0)
    x, y = rng.random((2, 150)) * 10
    path = tmp_path / "map.csv"
    z = np.sin(x / 2) + 0.1 * y
    np.savetxt(path, np.column_stack([x, y, z]), delimiter=",", header="x (mm),y (mm),t (um)", comments="", fmt="%.17g")
    ask = ["grid", str(path), "--x", "x", "--y", "2", "--z", "t"]
    assert main([*ask, "--way", "linear", "--shape", "21x11", "--out", str(tmp_path / "grid.csv")]) == 0
    made = read_bytes(Source("grid.csv", (tmp_path / "grid.csv").read_bytes()))
    same = cs.grid(x, y, z, way="linear", shape=(11, 21))
    assert len(made) == 231
    assert made[3].values.reshape(11, 21) == pytest.approx(same.z, nan_ok=True)
    assert made[4].values.reshape(11, 21) == pytest.approx(same.u, nan_ok=True)
    capsys.readouterr()
    limits = ["--step", "0.5", "--reach", "0.4", "--scaled", "yes", "--outside", "value", "--value", "7"]
    assert main([*ask, "--way", "nearest", *limits, "--out", str(tmp_path / "near.csv")]) == 0
    made = read_bytes(Source("near.csv", (tmp_path / "near.csv").read_bytes()))
    same = cs.grid(x, y, z, way="nearest", step=0.5, reach=0.4, scaled=True, outside="value", value=7)
    assert np.diff(same.x) == pytest.approx(0.5)
    assert 0 < np.isnan(same.z).sum() < same.z.size
    assert (same.z == 7).any()
    assert made[3].values.reshape(same.z.shape) == pytest.approx(same.z, nan_ok=True)
    capsys.readouterr()
    assert main([*ask, "--compare", "--json"]) == 0
    ways = json.loads(capsys.readouterr().out)
    assert ways[0]["left_out_error"] < ways[-1]["left_out_error"]
    assert {"way", "left_out_error", "beyond_neighbours"} <= ways[0].keys()
    assert (
        main([*ask, "--way", "kriging", "--set", "shape=gaussian", "nugget=0.0001", "--matrix", "--shape", "5x5"]) == 0
    )
    assert capsys.readouterr().out.startswith("y (mm),")
    for bad in (["--way", "krig"], ["--shape", "5"], ["--set", "colour=1"], ["--z", "nothing"], ["--outside", "there"]):
        assert main([*ask, *bad]) == 2, bad
        assert "curvesieve:" in capsys.readouterr().err
