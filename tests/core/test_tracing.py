"""Charts: axes by marks against closed forms, skewed and turned, with u by Monte Carlo."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import Mark, calibrated, framed
from curvesieve.core.tracing.picture import open_picture, read_picture


def chart(turn: float, skew: float, scale: float = 1.0):
    """Pixels of even values: turned and skewed by degrees."""
    a, b = np.radians(turn), np.radians(turn + skew)
    ex = 40 * scale * np.array([np.cos(a), np.sin(a)])
    ey = 30 * scale * np.array([np.sin(b), -np.cos(b)])
    return np.array([100.0, 400.0]), ex, ey


@pytest.mark.parametrize("turn", [0.0, 3.0, -2.0, 90.0])
@pytest.mark.parametrize("skew", [0.0, 5.0])
@pytest.mark.parametrize("kind", ["linear", "log10", "ln", "reciprocal"])
def test_values_are_those_of_the_pixels_for_turned_and_skewed_axes(turn, skew, kind):
    back = {"linear": lambda s: s, "log10": lambda s: 10.0**s, "ln": np.exp, "reciprocal": lambda s: 1 / s}[kind]
    corner, ex, ey = chart(turn, skew)
    xs, ys = [0.5, 2.0, 4.0], [1.0, 3.0]
    x = calibrated([Mark(*(corner + s * ex + 0.0 * ey), float(back(np.array(s)))) for s in xs], kind, "x")
    y = calibrated([Mark(*(corner + 0.3 * ex + t * ey), t) for t in ys], "linear", "y")
    frame = framed(x, y)
    rng = np.random.default_rng(0)
    s, t = rng.uniform(0.5, 4, 50), rng.uniform(0, 5, 50)
    pixels = corner + s[:, None] * ex + t[:, None] * ey
    found = frame.values(pixels)
    assert found[:, 0] == pytest.approx(back(s), rel=1e-9)
    assert found[:, 1] == pytest.approx(t, abs=1e-9)
    assert frame.pixels(found) == pytest.approx(pixels, abs=1e-7)
    assert np.abs(x.misses).max() < 1e-9


@pytest.mark.parametrize("kind", ["linear", "log10"])
def test_u_is_that_of_marks_and_places_that_are_read_to_half_a_pixel(kind):
    back = {"linear": lambda s: s, "log10": lambda s: 10.0**s}[kind]
    corner, ex, ey = chart(2.0, 4.0)
    rng = np.random.default_rng(1)
    place = corner + 2.7 * ex + 1.9 * ey
    true_x = [(corner + s * ex, float(back(np.array(s)))) for s in (0.0, 4.0)]
    true_y = [(corner + t * ey, t) for t in (0.0, 5.0)]

    def frame_of(noise: float):
        marks = [[Mark(*(at + rng.normal(0, noise, 2)), v) for at, v in one] for one in (true_x, true_y)]
        return framed(calibrated(marks[0], kind, "x", 0.5), calibrated(marks[1], "linear", "y", 0.5))

    drawn = np.array([frame_of(0.5).values((place + rng.normal(0, 0.5, 2))[None])[0] for _ in range(4000)])
    told = frame_of(0.0).u(place[None], 0.5)[0]
    assert told == pytest.approx(drawn.std(axis=0), rel=0.08)


def test_marks_that_cannot_be_axes_are_refused():
    good = [Mark(0, 0, 1.0), Mark(10, 0, 2.0)]
    for marks, scale, said in (
        (good[:1], "linear", "two marks"), ([good[0], Mark(0, 0, 2.0)], "linear", "one pixel"),
        ([good[0], Mark(5, 0, 1.0)], "linear", "have the value 1"),
        ([Mark(0, 0, 0.0), good[1]], "log10", "no place for 0"),
        ([Mark(0, 0, 0.0), good[1]], "reciprocal", "no place for 0"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            calibrated(marks, scale, "x")
    one = calibrated(good, "linear", "x")
    with pytest.raises(InputError, match="one direction"):
        framed(one, calibrated([Mark(0, 5, 1.0), Mark(10, 5, 3.0)], "linear", "y"))
    three = calibrated([*good, Mark(20.6, 0, 3.0)], "linear", "x")
    assert np.abs(three.misses).max() == pytest.approx(0.2, abs=0.01)
    assert three.u_px > 0.2


# -- pictures -----------------------------------------------------------------------------------------


def png(pixels: np.ndarray, **kwargs) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, format=kwargs.pop("format", "PNG"), **kwargs)
    return buffer.getvalue()


def test_pictures_are_opened_with_care(tmp_path):
    white = np.full((60, 80, 3), 255, np.uint8)
    picture = read_picture(png(white), "a.png")
    assert picture.size == (80, 60)
    clear = np.zeros((60, 80, 4), np.uint8)
    assert read_picture(png(clear), "a.png").pixels.min() == 255, "on white where it is transparent"
    sixteen = np.full((60, 80), 65535, np.uint16)
    assert read_picture(png(sixteen), "a.png").pixels.min() == 255
    frames = [Image.fromarray(white), Image.fromarray(white // 2)]
    buffer = io.BytesIO()
    frames[0].save(buffer, format="TIFF", save_all=True, append_images=frames[1:])
    assert "2 pictures" in read_picture(buffer.getvalue(), "a.tif").notes[0]
    for content, said in (
        (b"time,force\n1,2\n", "no picture"), (png(white)[:-60], "damaged"), (png(white[:10]), "at the least"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            read_picture(content, "a.png")
    with pytest.raises(InputError, match="cannot be read"):
        open_picture(tmp_path / "none.png")
