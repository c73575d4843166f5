"""Charts in a study: pictures with their bytes, traces, curves that follow the axes, refusals, files."""

from __future__ import annotations

import hashlib
import io
from html import unescape

import numpy as np
import pytest
from PIL import Image

from curvesieve.core.errors import InputError
from curvesieve.core.report.blocks import report_of_study
from curvesieve.core.report.study_writing import study_report_written
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.ledger import about_curve
from curvesieve.core.study.passing import recorded
from curvesieve.core.tracing.parts import AxisSpec, MarkSpec, Prepared, SeriesSpec, TraceSpec
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.prepare import carried, mapped, prepared_picture, way_of
from curvesieve.core.tracing.told import told_of


def picture(shade: int = 255) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(np.full((90, 120, 3), shade, np.uint8)).save(buffer, format="PNG")
    return buffer.getvalue()


def trace(top: float = 8.0) -> TraceSpec:
    def marks(*found: tuple[float, float, float]) -> tuple[MarkSpec, ...]:
        return tuple(MarkSpec(px=px, py=py, value=value) for px, py, value in found)

    x = AxisSpec(scale="log10", label="Time", unit="d", marks=marks((10, 80, 0.01), (110, 80, 1.0)))
    y = AxisSpec(label="Released", unit="%", marks=marks((10, 80, 0.0), (10, 10, top)))
    series = (
        SeriesSpec(id="a", name="1 wt%", condition=1.0, places=((60.0, 45.0), (10.0, 80.0))),
        SeriesSpec(id="b", name="2 wt%", condition=2.0, places=((10.0, 10.0), (110.0, 45.0))),
    )
    return TraceSpec(x=x, y=y, series=series, origin="Report 12, figure 3")


def traced() -> Study:
    study = edits.add_chart(picture(), "release.png", "chart-1")(Study())
    return edits.retrace("chart-1", lambda old: trace())(study)


def test_a_traced_curve_follows_the_axes_of_its_chart():
    study = edits.bring_in("chart-1", ["a"], ["c1"])(traced())
    curve = recorded(study, "c1")
    assert (curve.x.tolist(), curve.y.tolist()) == (pytest.approx([0.01, 0.1]), pytest.approx([0.0, 4.0]))
    assert (curve.x_unit, curve.y_unit, curve.x_label) == ("d", "%", "Time")
    assert (curve.u > 0).all()
    key = study.digest("c1")
    again = edits.retrace("chart-1", lambda old: trace(top=80.0))(study)
    assert recorded(again, "c1").y == pytest.approx([0.0, 40.0])
    assert again.digest("c1") != key, "a fit of the old numbers is out of date"
    assert study.origin("c1") == "release.png"
    assert recorded(study, "c1").y == pytest.approx([0.0, 4.0]), "what stood before is as it was"


def test_several_series_come_as_a_family_in_the_order_of_their_condition():
    study = edits.bring_in("chart-1", ["a", "b"])(traced())
    (family,) = study.document.families
    assert [study.entry(id_).condition for id_ in family.curves] == [1.0, 2.0]
    assert [study.entry(id_).label for id_ in family.curves] == ["1 wt%", "2 wt%"]


def test_pictures_are_kept_by_their_hash_and_come_back_from_the_file(tmp_path):
    study = edits.bring_in("chart-1", ["a"], ["c1"])(traced())
    save_study(study, tmp_path / "s.sieve")
    back = load_study(tmp_path / "s.sieve")
    (chart,) = back.document.charts
    assert chart == study.document.charts[0]
    assert back.sources[chart.picture] == picture()
    assert chart.picture == hashlib.sha256(picture()).hexdigest()
    assert recorded(back, "c1").digest == recorded(study, "c1").digest


def test_what_curves_come_from_is_not_taken_away():
    study = edits.bring_in("chart-1", ["a"], ["c1"])(traced())
    for act in (edits.remove_chart("chart-1"), edits.retrace("chart-1", lambda old: TraceSpec())):
        with pytest.raises(InputError, match="1 curve on the shelf comes from this"):
            act(study)
    free = edits.remove_curve("c1")(study)
    assert edits.remove_chart("chart-1")(free).document.charts == ()
    with pytest.raises(InputError, match="already"):
        edits.bring_in("chart-1", ["a"])(study)
    with pytest.raises(InputError, match="not in the chart"):
        edits.bring_in("chart-1", ["z"])(study)
    with pytest.raises(InputError, match="not in the study"):
        edits.bring_in("chart-9", ["a"])(study)
    two = edits.add_chart(picture(200), "release.png", "chart-2")(study)
    assert [one.name for one in two.document.charts] == ["release.png", "release.png 2"]
    for name, said in (("", "needs a name"), ("release.png", "already")):
        with pytest.raises(InputError, match=said):
            edits.name_chart("chart-2", name)(two)
    with pytest.raises(InputError, match="two marks"):
        edits.bring_in("chart-2", ["a"])(edits.retrace("chart-2", lambda old: TraceSpec(series=trace().series))(two))


# -- pictures made ready --------------------------------------------------------------------------------


def test_a_photograph_of_a_page_is_pulled_straight_by_four_corners():
    """A page seen from aside by a known projective map; marks that were placed before go along (a closed form)."""
    corners = ((60.0, 40.0), (330.0, 70.0), (350.0, 260.0), (40.0, 280.0))
    way, size = way_of(Prepared(corners=corners), (400, 320))
    to = mapped(np.array(corners), way)
    assert to[:, 0] == pytest.approx([to[0, 0], to[1, 0], to[1, 0], to[0, 0]])
    assert to[:, 1] == pytest.approx([to[0, 1], to[0, 1], to[2, 1], to[2, 1]])
    assert (to >= 0).all()
    assert (to <= size).all()
    series = SeriesSpec(id="a", places=corners)
    marks = (MarkSpec(px=60, py=40, value=1), MarkSpec(px=330, py=70, value=2))
    before = TraceSpec(x=AxisSpec(marks=marks), series=(series,))
    after = carried(before, Prepared(), Prepared(corners=corners), (400, 320))
    assert np.array(after.series[0].places) == pytest.approx(to)
    assert (after.x.marks[0].px, after.x.marks[0].py) == pytest.approx(tuple(to[0]))
    back = carried(after, Prepared(corners=corners), Prepared(), (400, 320))
    assert np.array(back.series[0].places) == pytest.approx(np.array(corners))


def test_a_picture_is_turned_and_cropped_about_what_stays():
    pixels = np.full((100, 200, 3), 255, np.uint8)
    pixels[20, 150] = 0
    quarter = prepared_picture(Picture("p", pixels, ""), Prepared(turn=90))
    assert quarter.size == (100, 200)
    assert tuple(np.argwhere(quarter.pixels[..., 0] < 128)[0]) == (150, 79), "20 from the top is 20 from the right"
    cut = prepared_picture(Picture("p", pixels, ""), Prepared(crop=(140, 10, 190, 60)))
    assert cut.size == (50, 50)
    assert tuple(np.argwhere(cut.pixels[..., 0] < 128)[0]) == (10, 10)
    for refused, said in (
        (Prepared(crop=(0, 0, 10, 10)), "larger box"),
        (Prepared(corners=((0, 0), (100, 0), (50, 0), (0, 90))), "corners"),
        (Prepared(corners=((0, 0), (0, 90), (100, 90), (100, 0))), "clockwise"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            way_of(refused, (200, 100))


def test_what_was_traced_keeps_its_numbers_when_the_picture_is_turned():
    study = edits.bring_in("chart-1", ["a"], ["c1"])(traced())
    turned = edits.prepare("chart-1", Prepared(turn=7.0), (120, 90))(study)
    assert turned.document.charts[0].trace != study.document.charts[0].trace
    assert recorded(turned, "c1").y == pytest.approx(recorded(study, "c1").y)
    assert recorded(turned, "c1").x == pytest.approx(recorded(study, "c1").x)


def test_a_report_says_from_which_chart_curves_were_traced_and_how():
    study = edits.bring_in("chart-1", ["a", "b"], ["c1", "c2"])(traced())
    page = unescape(study_report_written(report_of_study(study), ".html").decode())
    assert hashlib.sha256(picture()).hexdigest() in page
    assert "release.png (picture of a chart)" in page
    said = "from Report 12, figure 3; axes by 2 marks (x, log10) and 2 (y, linear)"
    assert f"release.png: {said}" in page
    assert f"All curves of release.png were traced from the picture release.png, {said}." in page
    assert dict(about_curve(study, "c1"))["traced"] == said
    assert told_of(TraceSpec()) == "whose origin is not said; its axes are not calibrated"
