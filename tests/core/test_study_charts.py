"""Charts in a study: pictures with their bytes, traces, curves that follow the axes, refusals, files."""

from __future__ import annotations

import hashlib
import io

import numpy as np
import pytest
from PIL import Image

from curvesieve.core.errors import InputError
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.passing import recorded
from curvesieve.core.tracing.parts import AxisSpec, MarkSpec, SeriesSpec, TraceSpec


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
