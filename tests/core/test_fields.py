"""Ways of filling in between points, against SciPy called directly, closed forms and simulated fields."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import interpolate, spatial

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.compare import common_ways, compare
from curvesieve.core.fields.grid import GridSpec
from curvesieve.core.fields.left_out import left_out
from curvesieve.core.fields.points import gather
from curvesieve.core.fields.surface import Filling, fill, filling_for
from curvesieve.core.fields.variogram import likeness
from curvesieve.core.fields.ways import parse_way, registered_ways
from curvesieve.core.fields.ways.kriging import Kriging

SCALES = [1e-12, 1e-3, 1.0, 1e6, 1e12]


def franke(x, y):
    """Franke's function (1979, NPS-53-79-003; its formula from memory)."""
    return (
        0.75 * np.exp(-((9 * x - 2) ** 2 + (9 * y - 2) ** 2) / 4)
        + 0.75 * np.exp(-((9 * x + 1) ** 2) / 49 - (9 * y + 1) / 10)
        + 0.5 * np.exp(-((9 * x - 7) ** 2 + (9 * y - 3) ** 2) / 4)
        - 0.2 * np.exp(-((9 * x - 4) ** 2) - (9 * y - 7) ** 2)
    )


def scattered(n, seed=1):
    return np.random.default_rng(seed).random((2, n))


def inner_places(n=200, seed=9):
    return 0.2 + 0.6 * np.random.default_rng(seed).random((2, n))


def surface_of(x, y, z, way, **settings):
    return fill(gather(x, y, z).points, Filling(way=parse_way({"way": way, **settings})))


@pytest.mark.parametrize("scale", SCALES)
@pytest.mark.parametrize("way", ["nearest", "linear", "cubic", "thin-plate", "radial"])
def test_ways_are_scipys_own_at_any_scale(way, scale):
    x, y = scattered(150)
    z, (tx, ty) = franke(x, y), inner_places()
    at, there = np.column_stack([x, y]), np.column_stack([tx, ty])
    rbf = interpolate.RBFInterpolator
    wide = max(np.ptp(x), np.ptp(y))
    expected = {
        "nearest": lambda: interpolate.NearestNDInterpolator(at, z)(there),
        "linear": lambda: interpolate.LinearNDInterpolator(at, z)(there),
        "cubic": lambda: interpolate.CloughTocher2DInterpolator(at, z, tol=1e-10, maxiter=4000)(there),
        "thin-plate": lambda: rbf(at, z)(there),
        "radial": lambda: rbf(at / wide, z, kernel="gaussian", epsilon=np.sqrt(150), degree=1)(there / wide),
    }[way]()
    settings = {"shape": "gaussian"} if way == "radial" else {}
    got, _ = surface_of(scale * x, scale * y, z / scale, way, **settings).at(scale * tx, scale * ty)
    rough = 1e-3 if way == "cubic" else 1e-6  # SciPy's slopes at the points are found step by step, to 1e-6 of z
    assert got * scale == pytest.approx(expected, abs=rough * np.ptp(z))


@pytest.mark.parametrize("way", ["linear", "cubic", "thin-plate", "radial", "kriging", "law"])
def test_planes_come_back(way):
    x, y = scattered(80)
    z = 3.0 - 2.0 * x + 5.0 * y
    tx, ty = inner_places()
    settings = {"shape": "matern", "nugget": 0.0, "range": 30.0} if way == "kriging" else {}
    got, _ = surface_of(x, y, z, way, **settings).at(tx, ty)
    rough = {"kriging": 2e-4, "cubic": 1e-5}.get(way, 1e-9)  # kriging's mean is a constant, not a plane
    assert got == pytest.approx(3.0 - 2.0 * tx + 5.0 * ty, abs=rough)


def test_cubic_radial_functions_bring_quadratics_back_and_splines_cubics():
    x, y = scattered(80)
    tx, ty = inner_places()

    def bowl(x, y):
        return 1 + x - 2 * y + 3 * x * x - x * y + 0.5 * y * y

    got, _ = surface_of(x, y, bowl(x, y), "radial", shape="cubic").at(tx, ty)
    assert got == pytest.approx(bowl(tx, ty), abs=1e-9)
    gx, gy = (one.ravel() for one in np.meshgrid(np.linspace(0, 1, 9), np.linspace(0, 1, 7)))
    got, _ = surface_of(gx, gy, gx**3 - 2 * gx * gy**2 + gy**3, "spline").at(tx, ty)
    assert got == pytest.approx(tx**3 - 2 * tx * ty**2 + ty**3, abs=1e-11)


@pytest.mark.parametrize(("way", "order"), [("nearest", 0.8), ("linear", 1.7), ("cubic", 2.2), ("thin-plate", 2.2)])
def test_errors_of_frankes_function_fall_with_the_points_at_their_order(way, order):
    """h to the power of 1 (nearest), 2 (linear) and more (smooth ways): de Boor, A Practical Guide to Splines."""
    tx, ty = inner_places(2000)
    errors = []
    for side in (12, 48):  # nearly regular points: their distance falls with the side
        jitter = np.random.default_rng(2).uniform(-0.3, 0.3, (2, side * side))
        x, y = (np.stack(np.meshgrid(np.arange(side), np.arange(side))).reshape(2, -1) + jitter + 0.5) / side
        got, _ = surface_of(x, y, franke(x, y), way).at(tx, ty)
        errors.append(np.sqrt(np.mean((got - franke(tx, ty)) ** 2)))
    assert np.log(errors[0] / errors[1]) / np.log(4) > order


# -- kriging ------------------------------------------------------------------------------------------


def by_the_book(x, y, z, tx, ty, cov, noise):
    """Ordinary kriging by its bordered system (Cressie 1993, 3.2), a place at a time."""
    n = x.size
    apart = np.hypot(x[:, None] - x, y[:, None] - y)
    system = np.ones((n + 1, n + 1))
    system[:n, :n] = cov(apart) + noise * np.eye(n)
    system[n, n] = 0
    made = []
    for a, b in zip(tx, ty, strict=True):
        right = np.append(cov(np.hypot(x - a, y - b)), 1.0)
        weights = np.linalg.solve(system, right)
        assert weights[:n].sum() == pytest.approx(1.0)
        made.append((weights[:n] @ z, cov(np.zeros(1))[0] - weights @ right))
    return np.array(made).T


@pytest.mark.parametrize("neighbours", [None, 100])
@pytest.mark.parametrize("shape", ["spherical", "exponential", "matern"])
def test_kriging_is_that_of_the_book(shape, neighbours):
    x, y = scattered(100)
    z, (tx, ty) = franke(x, y), inner_places(40)
    law = {"shape": shape, "range": 0.5, "sill": 0.1, "nugget": 0.004, "neighbours": neighbours}
    surface = surface_of(x, y, z, "kriging", **law)
    expected, variance = by_the_book(x, y, z, tx, ty, lambda h: 0.1 * likeness(shape, h / 0.5, 1.5), 0.004)
    got, u = surface.at(tx, ty)
    assert got == pytest.approx(expected, abs=1e-9)
    assert u == pytest.approx(np.sqrt(variance), abs=1e-7)
    # from its neighbours: the same by the book, of the nearest points of each place
    near, u_near = surface_of(x, y, z, "kriging", **{**law, "neighbours": 30}).at(tx, ty)
    for k in range(12):
        at = np.argsort(np.hypot(x - tx[k], y - ty[k]))[:30]
        cov = lambda h: 0.1 * likeness(shape, h / 0.5, 1.5)  # noqa: E731
        value, square = by_the_book(x[at], y[at], z[at], tx[k : k + 1], ty[k : k + 1], cov, 0.004)
        assert near[k] == pytest.approx(value[0], abs=1e-9)
        assert u_near[k] == pytest.approx(np.sqrt(square[0]), abs=1e-7)


@pytest.mark.parametrize("neighbours", [None, 25])
def test_points_of_unlike_u_count_by_it(neighbours):
    x, y = scattered(80)
    z, (tx, ty) = franke(x, y), inner_places(8)
    u = np.random.default_rng(1).uniform(0.01, 0.3, 80)
    law = {"way": "kriging", "shape": "exponential", "range": 0.5, "sill": 0.1, "nugget": 0.0, "neighbours": neighbours}
    got, u_got = fill(gather(x, y, z, u).points, Filling(way=parse_way(law))).at(tx, ty)
    for k in range(8):
        at = np.argsort(np.hypot(x - tx[k], y - ty[k]))[: neighbours or 80]
        cov = lambda h: 0.1 * likeness("exponential", h / 0.5, 1.5)  # noqa: E731
        value, square = by_the_book(x[at], y[at], z[at], tx[k : k + 1], ty[k : k + 1], cov, u[at] ** 2)
        assert got[k] == pytest.approx(value[0], abs=1e-8)
        assert u_got[k] == pytest.approx(np.sqrt(square[0]), abs=1e-7)


def test_kriging_with_a_gaussian_law_is_scipys_gaussian_radial_function_with_a_constant():
    """Dual kriging: the same sum of functions about the points (Cressie 1993, 3.4.5)."""
    x, y = scattered(100)
    z, (tx, ty) = franke(x, y), inner_places(60)
    got, _ = surface_of(x, y, z, "kriging", shape="gaussian", range=0.4, sill=0.2, nugget=0.002).at(tx, ty)
    rbf = interpolate.RBFInterpolator(
        np.column_stack([x, y]), z, kernel="gaussian", epsilon=np.sqrt(np.log(20)) / 0.4, smoothing=0.01, degree=0
    )
    assert got == pytest.approx(rbf(np.column_stack([tx, ty])), abs=1e-7)


@pytest.mark.parametrize("scale", SCALES)
def test_kriging_goes_through_the_points_without_a_nugget_and_knows_them(scale):
    x, y = scattered(120)
    z = franke(x, y)
    for neighbours in (None, 30):
        surface = surface_of(
            scale * x, scale * y, z / scale, "kriging", shape="exponential", nugget=0.0, neighbours=neighbours
        )
        got, u = surface.at(scale * x, scale * y)
        assert got * scale == pytest.approx(z, abs=1e-6)
        assert (u * scale).max() < 1e-4


def test_anisotropy_is_a_turned_and_stretched_plane():
    x, y = scattered(150)
    z, (tx, ty) = franke(x, y), inner_places(50)
    law = {"shape": "spherical", "range": 0.6, "sill": 0.1, "nugget": 0.001}
    turn = np.radians(30)

    def stretched(x, y):
        return x * np.cos(turn) + y * np.sin(turn), (y * np.cos(turn) - x * np.sin(turn)) / 0.4

    got, u = surface_of(x, y, z, "kriging", angle=30, ratio=0.4, **law).at(tx, ty)
    again, u_again = surface_of(*stretched(x, y), z, "kriging", **law).at(*stretched(tx, ty))
    assert got == pytest.approx(again, abs=1e-8)
    assert u == pytest.approx(u_again, abs=1e-8)


def simulated(seed, shape, noise, range_, n=160, m=100):
    rng = np.random.default_rng(seed)
    xy = rng.random((n + m, 2))
    apart = np.sqrt(((xy[:, None] - xy[None]) ** 2).sum(-1))
    truth = np.linalg.cholesky(likeness(shape, apart / range_, 1.5) + 1e-9 * np.eye(n + m)) @ rng.standard_normal(n + m)
    return xy[:n], truth[:n] + np.sqrt(noise) * rng.standard_normal(n), xy[n:], truth[n:]


@pytest.mark.parametrize("by", ["likelihood", "variogram"])
def test_u_of_kriging_covers_simulated_fields(by):
    hits = []
    for seed, (shape, noise, range_) in enumerate(
        [
            ("spherical", 0.0, 0.4),
            ("spherical", 0.1, 0.8),
            ("exponential", 0.1, 0.4),
            ("matern", 0.0, 0.8),
            ("matern", 0.1, 0.3),
        ]
        * 3
    ):
        xy, z, places, truth = simulated(seed, shape, noise, range_)
        given = {} if by == "likelihood" else {"by": by, "shape": shape}
        got, u = surface_of(*xy.T, z, "kriging", **given).at(*places.T)
        known = np.isfinite(got)
        hits += list(np.abs(got - truth)[known] < 2 * u[known])
    assert 0.90 < np.mean(hits) < 0.98


def test_left_out_misses_of_kriging_are_those_in_closed_form():
    """e = (K⁻¹z)ᵢ/(K⁻¹)ᵢᵢ with the border of ones in K (Dubrule 1983, Math. Geol. 15, 687)."""
    x, y = scattered(50)
    z = franke(x, y)
    points = gather(x, y, z).points
    way = Kriging(shape="exponential", range=0.5, sill=0.1, nugget=0.001)
    found = left_out(points, way, False)
    system = np.ones((51, 51))
    system[:50, :50] = 0.1 * likeness(
        "exponential", np.hypot(x[:, None] - x, y[:, None] - y) / 0.5, 1.5
    ) + 0.001 * np.eye(50)
    system[50, 50] = 0
    inverse = np.linalg.inv(system)
    expected = -(inverse[:50, :50] @ z) / np.diag(inverse)[:50]
    assert found.how == "one by one"
    assert found.misses[np.argsort(found.which)] == pytest.approx(expected, abs=1e-8)


def test_ways_are_told_apart_by_what_they_do_to_left_out_points():
    x, y = scattered(160)
    points = gather(x, y, franke(x, y)).points
    found = compare(points, common_ways(points, filling_for(points).way), filling_for(points))
    assert {one.way.slug for one in found} == {
        "kriging",
        "thin-plate",
        "cubic",
        "linear",
        "inverse-distance",
        "nearest",
    }
    errors = {one.way.slug: one.error for one in found}
    assert list(errors.values()) == sorted(errors.values())
    assert errors["kriging"] < errors["linear"] < errors["nearest"]
    shares = {one.way.slug: one.beyond for one in found}
    for few in range(1, 4):  # nothing can be left out of so few, and that is said
        rest = points.take(np.arange(few))
        assert all(one.problem for one in compare(rest, common_ways(rest, Kriging()), Filling()))
    assert shares["linear"] == shares["nearest"] == shares["inverse-distance"] == 0
    assert 0 < shares["kriging"] < 0.1
    # what is said to be missed at left-out points is missed at places nobody looked at
    tx, ty = inner_places(2000)
    for slug in ("linear", "cubic", "nearest"):
        got, _ = surface_of(x, y, points.z, slug).at(tx, ty)
        assert 0.3 < np.sqrt(np.mean((got - franke(tx, ty)) ** 2)) / errors[slug] < 1.5, slug


def test_beyond_is_outside_the_twelve_nearest_and_the_corners_of_the_triangle():
    x, y = scattered(150)
    points = gather(x, y, 100 + franke(x, y)).points
    plane = Plane(points, False)
    places = np.column_stack(inner_places(80))
    triangles = spatial.Delaunay(points.places)
    for k, place in enumerate(places):
        nearest = np.argsort(np.hypot(*(points.places - place).T))[:12]
        around = points.z[np.append(nearest, triangles.simplices[triangles.find_simplex(place)])]
        low, high = around.min(), around.max()
        for value, expected in ((low, False), (high, False), (low - 1e-3, True), (high + 1e-3, True), (np.nan, False)):
            assert plane.beyond(plane.put(place[None]), np.array([value]))[0] == expected, k


@pytest.mark.parametrize("way", ["linear", "thin-plate", "inverse-distance"])
def test_u_from_left_out_points_covers_the_truth(way):
    hits = []
    for seed in range(4):
        xy, z, places, truth = simulated(seed, "exponential", 0.02, 0.6, 300)
        field = cs.grid(*xy.T, z, way=way)
        got, u = field.at(*places.T)
        known = np.isfinite(got)
        hits += list(np.abs(got - truth)[known] < 2 * u[known])
    assert 0.90 < np.mean(hits) <= 0.99


def test_a_probe_map_off_its_places_comes_back_within_the_noise():
    """21 × 21 places, each off by a third of a step, which the probe knows; noise of a hundredth of the extent."""
    rng = np.random.default_rng(4)
    x, y = np.stack(np.meshgrid(np.arange(21.0), np.arange(21.0))).reshape(2, -1) + rng.uniform(-1 / 3, 1 / 3, (2, 441))
    truth = lambda x, y: np.sin(x / 3) + np.cos(y / 4)  # noqa: E731
    field = cs.grid(x, y, truth(x, y) + 0.04 * rng.standard_normal(441), shape=(41, 41))
    off = field.z - truth(*np.meshgrid(field.x, field.y))
    known = np.isfinite(off)
    assert known.mean() > 0.9
    assert np.sqrt(np.mean(off[known] ** 2)) < 0.04
    assert 0.9 < np.mean(np.abs(off[known]) < 2 * field.u[known]) <= 0.99
    assert 0.04 < field.left_out_error < 0.06  # the noise of the point left out, and a little of the surface


# -- what a surface does not know ---------------------------------------------------------------------


def test_nothing_is_extrapolated_unless_it_is_asked_for():
    x, y = scattered(60)
    z = franke(x, y)
    far = np.array([-1.0, 2.0]), np.array([0.5, 0.5])
    for slug, way in registered_ways().items():
        points = gather(x, y, z).points
        if way().suits(points):
            with pytest.raises(InputError, match="choose another way"):
                fill(points, Filling(way=way()))
            continue
        got, _ = fill(points, Filling(way=way())).at(*far)
        assert np.isnan(got).all(), slug
        nearest, _ = fill(points, Filling(way=way(), outside="nearest")).at(*far)
        typed, _ = fill(points, Filling(way=way(), outside="value", value=-7.0)).at(*far)
        assert set(nearest) <= set(z)
        assert (typed == -7.0).all()
        if slug == "law":
            assert np.isfinite(fill(points, Filling(way=way(), outside="law")).at(*far)[0]).all()
        else:
            with pytest.raises(InputError, match="only a law"):
                fill(points, Filling(way=way(), outside="law"))
    got, _ = fill(gather(x, y, z).points, Filling(reach=0.02)).at(*inner_places(500))
    tree = interpolate.NearestNDInterpolator(np.column_stack([x, y]), np.column_stack([x, y]))
    distance = np.hypot(*(tree(*inner_places(500)) - np.column_stack(inner_places(500))).T)
    assert (np.isfinite(got) == (distance <= 0.02)).all()


def test_doubled_places_are_averaged_and_counted_and_rows_without_numbers_told():
    made = gather([0, 1, 1, 2, np.nan, 1], [0, 0, 0, 1, 1, 0], [1, 2, 4, 5, 6, 6], [0.3] * 6)
    assert (made.gone, made.doubled, made.furthest) == (1, 2, 4.0)
    assert list(made.points.z) == [1.0, 4.0, 5.0]
    assert made.points.u == pytest.approx([0.3, 0.3 / np.sqrt(3), 0.3])
    assert "1 row without numbers" in made.told
    assert "2 at a doubled place averaged (up to 4 apart)" in made.told


ON_A_LINE = (np.arange(9.0), 2 * np.arange(9.0), np.arange(9.0) ** 2)


@pytest.mark.parametrize(
    "way", ["linear", "cubic", "thin-plate", "radial", "inverse-distance", "kriging", "law", "nearest"]
)
def test_what_cannot_be_filled_is_refused_with_a_sentence(way):
    with pytest.raises(InputError, match="on one line"):
        surface_of(*ON_A_LINE, way)
    with pytest.raises(InputError, match="three points"):
        surface_of([0, 1], [0, 1], [1, 2], way)
    with pytest.raises(InputError):
        surface_of([0, 1, np.nan], [0, np.nan, 1], [np.nan, 1, 2], way)


@pytest.mark.parametrize(("arguments", "words"), [
    ({"way": "krigin"}, "did you mean 'kriging'"),
    ({"shape": (1, 5)}, "two rows and two columns"),
    ({"shape": (10_000, 10_000)}, "are more than"),
    ({"step": 1e-9}, "wider step"),
    ({"step": 50.0}, "wider than"),
    ({"outside": "guess"}, "must be empty"),
    ({"settings": {"shape": "cubical"}}, "must be"),
    ({"settings": {"colour": 1}}, "has no field 'colour'"),
    ({"way": "law", "settings": {"formula": "a + q("}}, "bracket"),
    ({"way": "law", "settings": {"formula": "a + b"}}, "Nothing varies in"),
    ({"way": "law", "settings": {"starts": "a: 1"}}, "starts look like"),
    ({"way": "spline"}, "rows and columns"),
])  # fmt: skip
def test_requests_that_make_no_sense(arguments, words):
    x, y = scattered(40)
    with pytest.raises(InputError, match=words):
        cs.grid(x, y, franke(x, y), **arguments)


def test_axes_of_wildly_different_scale_are_said_and_scaled():
    x, y = scattered(200)
    plain = cs.grid(x, y, franke(x, y), way="thin-plate", shape=(21, 21), scaled=True)
    wide = cs.grid(1e6 * x, y, franke(x, y), way="thin-plate", shape=(21, 21))
    assert "spans" in gather(1e6 * x, y, x).points.unlike_axes
    assert wide.z == pytest.approx(plain.z, abs=1e-9, nan_ok=True)
    stripes = cs.grid(1e6 * x, y, franke(x, y), way="thin-plate", shape=(21, 21), scaled=False)
    assert wide.left_out_error < 0.2 * stripes.left_out_error


def test_three_points_are_a_plane_without_u():
    field = cs.grid([0, 1, 0], [0, 0, 1], [1, 2, 3], way="linear", shape=(3, 3))
    assert field.u is None
    assert np.isnan(field.left_out_error)
    assert field.at(0.25, 0.25)[0] == pytest.approx(1.75)


def test_grids_by_number_step_limits_and_of_a_lattice():
    points = gather([0, 1, 0, 1], [0, 0, 2, 2], [1, 2, 3, 4]).points
    x, y = GridSpec(step=0.3).axes(points)
    assert x == pytest.approx([0, 0.3, 0.6, 0.9])
    assert y[-1] == pytest.approx(1.8)
    x, y = GridSpec(columns=5, rows=3, x_low=-1, x_high=3).axes(points)
    assert (list(x), list(y)) == ([-1, 0, 1, 2, 3], [0, 1, 2])
    measured = fill(points, filling_for(points)).grid()
    assert measured.z.tolist() == [[1, 2], [3, 4]]


@pytest.mark.parametrize(
    "way", ["nearest", "linear", "cubic", "thin-plate", "radial", "inverse-distance", "kriging", "law"]
)
def test_awkward_points_give_numbers_or_a_sentence(way):
    """Any points: few, clustered, doubled, equal values, 1e-12 to 1e12. Never an infinite number, never a traceback."""
    rng, refused = np.random.default_rng(8), []
    for _ in range(15):
        n = int(rng.choice([1, 2, 3, 4, 5, 9, 40, 120]))
        x, y, z = rng.normal(size=(3, n))
        if rng.random() < 0.3:
            x = np.round(x)
        if rng.random() < 0.2:
            z[:] = 3.0
        if rng.random() < 0.3:
            x, y = np.repeat(x, 2)[:n], np.repeat(y, 2)[:n]
        a, b, c = 10.0 ** rng.uniform(-12, 12, 3)
        offset = rng.choice([0.0, 1e3, 1e6])
        try:
            field = cs.grid(a * (x + offset), b * y, c * z, way=way, shape=(15, 15))
        except InputError as error:
            refused.append(str(error))
            continue
        known = field.z[np.isfinite(field.z)]
        assert not np.isinf(field.z).any()
        if way in ("nearest", "linear", "inverse-distance") and known.size:
            assert known.min() >= c * z.min() - 1e-6 * c * np.ptp(z) - 1e-14 * c * np.abs(z).max()
            assert known.max() <= c * z.max() + 1e-6 * c * np.ptp(z) + 1e-14 * c * np.abs(z).max()
        if field.u is not None:
            assert (field.u[np.isfinite(field.u)] >= 0).all()
    assert all(said.endswith(".") for said in refused), refused
