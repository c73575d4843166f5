"""Pages of figures against the outside: other libraries, closed forms, the script in a clean process; and any spec."""

from __future__ import annotations

import io
import subprocess
import sys
from typing import Annotated, Any, Literal, get_args, get_origin

import colorspacious
import numpy as np
import pypdf
import pytest
from PIL import Image

from curvesieve.core.changed import changed
from curvesieve.core.errors import InputError
from curvesieve.core.figures import aids, layout
from curvesieve.core.figures.colours import READABLE, Eyes, alike, as_seen, contrast, readable, walk
from curvesieve.core.figures.content import Title, shown
from curvesieve.core.figures.data import data_csv
from curvesieve.core.figures.draw import drawn
from curvesieve.core.figures.eyes import confused
from curvesieve.core.figures.fonts import SHIPPED
from curvesieve.core.figures.manners import MANNER_FILES, manners
from curvesieve.core.figures.offers import is_histogram, offers, pieces
from curvesieve.core.figures.parts import (
    can_go,
    lifted,
    lifts,
    moved,
    part_rows,
    value_of,
    with_content,
    with_inset,
    with_mark,
    with_panel,
    with_part,
    without,
)
from curvesieve.core.figures.places import offered_readings, offered_spots
from curvesieve.core.figures.screen import pictured
from curvesieve.core.figures.writing import beside, page_of, save, script_of, written
from curvesieve.core.intake.made import Histogram, histogram
from curvesieve.core.intake.take import Take
from curvesieve.core.measures.base import parse_measure, registered_measures
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.shapes import Fill
from curvesieve.core.study import Study, edits
from curvesieve.core.study.edits.figures import copy_figure, figure_named, with_axis
from curvesieve.core.study.figure_parts import (
    MANNERS,
    MARKS,
    ArrowMark,
    AxisSpec,
    BracketMark,
    ConstructionContent,
    CurveContent,
    FamilyContent,
    FigureSpec,
    GuideMark,
    Inset,
    LineSpec,
    Manner,
    PanelSpec,
    ScaleMark,
    Spot,
    StraightContent,
    WordsMark,
)
from curvesieve.demo.build import build_study


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def study_of(*curves, units=("s", "V"), names=("Time", "Signal")) -> Study:
    """Curves of (x, y) or (x, y, u) as one family over a dose."""
    records, takes = [], []
    for k, parts in enumerate(curves):
        channels = [Channel(names[0], units[0], np.asarray(parts[0], float)),
                    Channel(names[1], units[1], np.asarray(parts[1], float))]  # fmt: skip
        channels += [Channel("u", units[1], np.asarray(parts[2], float))] if len(parts) > 2 else []
        records.append(Record(Source(f"c{k}.txt", f"{k}".encode()), tuple(channels)))
        takes.append(Take(0, 1, 2 if len(parts) > 2 else None))
    return edits.add_curves(
        Study(), list(zip(records, takes, strict=True)), "family", labels=[f"c{k}" for k in range(len(curves))],
        conditions=[float(k) for k in range(len(curves))], condition=("dose", "Gy"),
    )  # fmt: skip


def figure(*panels: PanelSpec, **changes) -> FigureSpec:
    return FigureSpec(id="f", name="figure", panels=panels, **changes)


def first(study: Study, **changes) -> PanelSpec:
    return PanelSpec(contents=(CurveContent(curve=study.document.curves[0].id),), **changes)


def offered(study: Study, curve: str, words: str) -> FigureSpec:
    return next(one for one in offers(study, curve) if words in one.words).spec


def pixels(data: bytes):
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


# -- the same picture by Matplotlib alone ---------------------------------------------------------------


@pytest.mark.parametrize("which", ["lifted", "stack", "rich"])
def test_the_script_draws_the_same_picture_in_a_clean_process(demo, tmp_path, which):
    curve = next(c.id for c in demo.document.curves if demo.fit_is_current(c.id))
    if which == "lifted":
        spec = offered(demo, curve, "lifted")
    elif which == "stack":
        spec = offered(demo, curve, "panel each")
    else:
        x = AxisSpec(cut=(1390.0, 1560.0), small=3)
        bracket = BracketMark(low=Spot(at=1340.0), high=Spot(at=1600.0), number=True)
        marks = (bracket, WordsMark(words="*E*_{max} α"))
        peaks = (CurveContent(curve=curve, peaks=True),)
        rich = PanelSpec(contents=peaks, x=x, marks=marks,
                         inset=Inset(low=1320, high=1360), y=AxisSpec(numbers="scientific", digits=1))  # fmt: skip
        log = PanelSpec(contents=(FamilyContent(family=demo.document.families[1].id),), names="key",
                        x=AxisSpec(scale="logarithmic", low=1.0), y=AxisSpec(scale="reciprocal"))  # fmt: skip
        spec = figure(rich, log, columns=2, width=175.0, manner=MANNERS[2])
    page = page_of(demo, spec)
    (tmp_path / "data.csv").write_text(page.columns.csv(), encoding="utf-8")
    script = script_of(page, 'a "name"\\', "data.csv", "again.png", 120)
    (tmp_path / "again.py").write_text(script, encoding="utf-8")
    for font in SHIPPED.glob("Source*.ttf"):
        (tmp_path / font.name).write_bytes(font.read_bytes())
    alone = "import runpy, sys; sys.modules['curvesieve'] = None; runpy.run_path('again.py')"
    subprocess.run([sys.executable, "-c", alone, "again.png"], check=True, cwd=tmp_path)
    mine, again = pixels(save(page, ".png", 120)), pixels((tmp_path / "again.png").read_bytes())
    assert mine.shape == again.shape
    assert np.abs(mine - again).max() <= 2


# -- what is written ------------------------------------------------------------------------------------


def test_a_pdf_opened_by_another_library_has_its_size_fonts_and_words(demo):
    spec = offers(demo, demo.document.curves[0].id)[0].spec
    reader = pypdf.PdfReader(io.BytesIO(written(demo, spec, ".pdf")))
    (page,) = reader.pages
    assert [float(one) / 72 * 25.4 for one in page.mediabox[2:]] == pytest.approx([spec.width, spec.height], abs=0.05)
    fonts = [font.get_object() for font in page["/Resources"]["/Font"].values()]
    bases = [str(font["/BaseFont"]) for font in fonts]
    assert any("SourceSans3" in base for base in bases)
    for font in fonts:
        deep = font["/DescendantFonts"][0].get_object() if "/DescendantFonts" in font else font
        assert "/FontFile2" in deep["/FontDescriptor"].get_object(), "every font is embedded"
    text = page.extract_text()
    assert "4.0 wt%" in text
    assert "Intensity (counts)" in text


def test_vector_files_of_many_points_stay_small_and_print_the_same():
    rng = np.random.default_rng(1)
    x = np.linspace(0, 10, 2000)
    study = study_of(*[(x, np.sin(x + k / 50) + rng.normal(0, 0.02, x.size) + k) for k in range(500)])
    family = study.document.families[0].id
    spec = figure(PanelSpec(contents=(FamilyContent(family=family),)), height=200.0, width=170.0)
    page = page_of(study, spec, ".svg")
    data = save(page, ".svg")
    assert len(data) < 5_000_000
    assert len(written(study, spec, ".pdf")) < 5_000_000
    assert any("The names of 500 lines are not set" in one for one in page.said)
    panels = shown(study, spec)
    thin, whole = (pixels(save(drawn(spec, panels, most), ".png", 150)) for most in (200, 2000))
    # the paper's grey as a whole is the same, and few pixels differ by much: the noise of each curve is kept
    assert abs(thin.mean() - whole.mean()) < 4
    assert np.mean(np.abs(thin - whole).max(axis=-1) > 128) < 0.1


# -- colours --------------------------------------------------------------------------------------------

CVD = {"without red": "protanomaly", "without green": "deuteranomaly", "without blue": "tritanomaly"}


@pytest.mark.parametrize("eyes", list(CVD))
def test_pages_are_seen_as_another_library_sees_them(eyes):
    rng = np.random.default_rng(2)
    given = rng.integers(0, 256, (400, 3)).astype(np.uint8)
    space = {"name": "sRGB1+CVD", "cvd_type": CVD[eyes], "severity": 100}
    wanted = np.clip(colorspacious.cspace_convert(given / 255, space, "sRGB1"), 0, 1)
    assert np.abs(as_seen(given, eyes) / 255 - wanted).max() < 0.006


def test_grey_has_the_luminance_of_the_colour():
    given = np.random.default_rng(3).integers(0, 256, (300, 3)).astype(np.uint8)
    xyz = colorspacious.cspace_convert(given / 255, "sRGB1", "XYZ1")[:, 1]
    grey = colorspacious.cspace_convert(as_seen(given, "in grey") / 255, "sRGB1", "XYZ1")[:, 1]
    assert np.abs(grey - xyz).max() < 0.01


def test_colours_that_are_alike_are_those_that_another_library_calls_near():
    rng = np.random.default_rng(4)
    names = ["#" + "".join(f"{int(one):02x}" for one in rng.integers(0, 256, 3)) for _ in range(40)]
    lab = colorspacious.cspace_convert([[int(n[k : k + 2], 16) for k in (1, 3, 5)] for n in names], "sRGB255", "CIELab")
    apart = np.linalg.norm(lab[:, None] - lab[None], axis=-1)
    wanted = {(a, b) for a in range(40) for b in range(a + 1, 40) if apart[a, b] < 11}
    never = {(a, b) for a in range(40) for b in range(a + 1, 40) if apart[a, b] > 13}
    found = set(alike(names, "as printed"))
    assert wanted <= found
    assert not never & found


def test_default_colours_are_told_apart_and_words_are_readable():
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.005)  # a known pair, from memory
    for manner in MANNERS:
        assert not alike(manner.palette[:4], "as printed")
        for colour in (*manner.palette, *manner.along):
            assert contrast(readable(colour, manner.ink, manner.paper), manner.paper) >= READABLE
    for eyes in ("without red", "without green"):
        assert not alike(MANNERS[0].palette[:3], eyes)
    assert walk(("#000000", "#ffffff"), 0.5) == "#808080"
    assert walk(("#102030",), 0.7) == "#102030"


def test_lines_that_look_alike_are_told_unless_their_dashes_differ():
    study = study_of(([0, 1], [0, 1]), ([0, 1], [1, 2]))
    ids = [c.id for c in study.document.curves]
    lines = tuple((id_, LineSpec(colour=colour)) for id_, colour in zip(ids, ("#c00000", "#005c00"), strict=True))
    panel = PanelSpec(contents=tuple(CurveContent(curve=id_) for id_ in ids), lines=lines)
    spec = figure(panel)
    assert not confused(spec, shown(study, spec), "as printed")
    (said,) = confused(spec, shown(study, spec), "in grey")
    assert "c0 and c1" in said
    dashed = with_part(f"line 0 {ids[1]}", dash="dashed")(spec)
    assert not confused(dashed, shown(study, dashed), "in grey")


# -- axes -----------------------------------------------------------------------------------------------


def test_an_axis_with_a_stretch_left_out_goes_there_and_back():
    there, back = aids.left_out(10.0, 1000.0, 2.0)
    x = np.array([-5.0, 0, 9.9, 10, 500, 1000, 1001, 1e6])
    assert np.all(np.diff(there(x)) > 0)
    assert back(there(x)) == pytest.approx(x, rel=1e-9)
    assert there(1000.0) - there(10.0) == pytest.approx(2.0)
    assert there(1100.0) - there(1000.0) == pytest.approx(100.0)


def test_what_is_left_out_is_told_and_not_drawn():
    x = np.concatenate([np.arange(10.0), np.arange(1000.0, 1010.0), [500.0]])
    study = study_of((x, np.ones(21)))
    page = page_of(study, figure(first(study, x=AxisSpec(cut=(20.0, 990.0)))))
    assert any("1 point in the stretch that is left out" in one for one in page.said)
    ticks = page.axes[0].xaxis.get_majorticklocs()
    assert all(one <= 20 or one >= 990 for one in ticks)
    assert {0.0, 1000.0} <= set(ticks)
    line = page.pen.at("line0_0")[0]
    assert np.isnan(line.get_ydata()).sum() == 1
    high = study_of((np.arange(6.0), [0.0, 1.0, 2.0, 50.0, 100.0, 101.0]))
    upright = page_of(high, figure(first(high, y=AxisSpec(cut=(5.0, 95.0)))))
    assert "c0: 1 point in the stretch that is left out of the y axis." in upright.said
    assert np.isnan(upright.pen.at("line0_0")[0].get_ydata()).tolist() == [False, False, False, True, False, False]
    assert sum(line.get_linestyle() == "None" and line.get_markersize() == 7 for line in upright.axes[0].lines) == 2


def test_the_other_side_has_the_other_unit():
    study = study_of(([1000.0, 2000.0, 4000.0], [1, 2, 3]), units=("1/cm", "counts"), names=("Wavenumber", "I"))
    page = page_of(study, figure(first(study, x=AxisSpec(also="nm"))))
    other = page.pen.at("ax0x2")
    assert other.get_xlabel() == "Wavelength (nm)"
    forward = other._functions[0]
    assert forward(np.array([2000.0])) == pytest.approx([1e7 / 2000])  # λ in nm of 1/cm, in vacuum
    linear = page_of(study, figure(first(study, x=AxisSpec(also="1/m")))).pen.at("ax0x2")
    assert linear._functions[0](np.array([1.0])) == pytest.approx([100.0])
    warm = study_of(([0.0, 100.0], [1, 2]), units=("°C", "V"), names=("Temperature", "U"))
    kelvin = page_of(warm, figure(first(warm, x=AxisSpec(also="K")))).pen.at("ax0x2")
    assert kelvin._functions[0](np.array([0.0, 25.0])) == pytest.approx([273.15, 298.15])
    assert kelvin._functions[1](np.array([273.15])) == pytest.approx([0.0], abs=1e-9)
    for unit in ("kg", "nonsense", "°C"):
        said = page_of(study, figure(first(study, x=AxisSpec(also=unit)))).said
        assert any(one.startswith("The second x axis:") for one in said), unit
    zero = page_of(study, figure(first(study, x=AxisSpec(also="nm", low=-10.0))))
    assert any("has no place for" in one for one in zero.said)


def test_units_stand_in_brackets_or_after_a_slash():
    """ISO 80000-1: the number on an axis is the quantity divided by its unit."""
    assert Title("Time", "s").said("in brackets") == "Time (s)"
    assert Title("Time", "s").said("after a slash") == "Time / s"
    assert Title("Stress", "N/mm^2").said("after a slash") == "Stress / (N·mm⁻²)"
    assert Title("Strain", "").said("after a slash") == "Strain"
    study = study_of(([1.0, 2.0], [1, 2]), units=("K", "V"), names=("T", "U"))
    slash = Manner(units="after a slash")
    page = page_of(study, figure(first(study, x=AxisSpec(scale="reciprocal")), manner=slash))
    assert page.axes[0].get_xlabel() == "1/T / K⁻¹"
    assert page.pen.at("line0_0")[0].get_xdata().tolist() == [1.0, 0.5]


def test_limits_the_wrong_way_round_alike_or_impossible():
    study = study_of(([1.0, 2.0, 3.0], [1.0, 10.0, 100.0]))
    turned = page_of(study, figure(first(study, x=AxisSpec(low=3.0, high=1.0))))
    assert turned.axes[0].get_xlim() == (3.0, 1.0)
    same = page_of(study, figure(first(study, x=AxisSpec(low=2.0, high=2.0))))
    assert any("from 2 to 2" in one for one in same.said)
    log = page_of(study, figure(first(study, y=AxisSpec(scale="logarithmic", low=-1.0))))
    assert any("cannot go from -1" in one for one in log.said)
    assert log.axes[0].get_ylim()[0] > 0


def test_words_of_300_letters_stay_on_the_page_and_are_told():
    study = study_of(([1.0, 2.0], [1.0, 2.0]), ([1.0, 2.0], [2.0, 3.0]))
    words = "word " * 60
    ids = [curve.id for curve in study.document.curves]
    panel = PanelSpec(
        contents=tuple(CurveContent(curve=id_) for id_ in ids), x=AxisSpec(words=words), y=AxisSpec(words="x" * 300),
        marks=(WordsMark(words=words),), lines=((ids[0], LineSpec(label=words)),),
    )  # fmt: skip
    page = page_of(study, figure(panel))
    assert sum("end in …" in one or "ends in …" in one for one in page.said) >= 3
    page.figure.canvas.draw()
    renderer = page.figure.canvas.get_renderer()
    for text in (page.axes[0].xaxis.label, page.axes[0].yaxis.label, page.pen.at("mark0_0")):
        box = text.get_window_extent(renderer)
        assert box.width < page.figure.bbox.width * 1.02
        assert box.height < page.figure.bbox.height * 1.02


def test_small_ticks_stand_evenly_between_the_others():
    study = study_of((np.linspace(0, 100, 11), np.linspace(0, 1, 11)))
    page = page_of(study, figure(first(study, x=AxisSpec(small=4, low=0.0, high=100.0))))
    large = page.axes[0].xaxis.get_majorticklocs()
    step = large[1] - large[0]
    marks = [line for line in page.axes[0].lines if line.get_marker() in (2, 3)]
    assert len(marks) == 2, "on both sides"
    assert np.allclose(np.mod(marks[0].get_xdata() / (step / 5), 1), 0, atol=1e-9)
    assert len(marks[0].get_xdata()) == 4 * (len(large) - 1)


def test_contents_of_other_units_are_converted_or_told():
    one = study_of(([0, 1], [0, 1]), units=("s", "V"))
    record = Record(
        Source("b.txt", b"b"), (Channel("Time", "ms", np.array([0.0, 500])), Channel("U", "mV", np.array([5.0, 6])))
    )
    other = Record(
        Source("c.txt", b"c"), (Channel("Time", "s", np.array([0.0, 1])), Channel("F", "N", np.array([5.0, 6])))
    )
    study = edits.add_curves(one, [(record, Take(0, 1)), (other, Take(0, 1))], "more")
    a, b, c = (curve.id for curve in study.document.curves)
    panel = PanelSpec(contents=tuple(CurveContent(curve=id_) for id_ in (a, b, c)))
    (made,) = shown(study, figure(panel))
    assert [line.x.tolist() for line in made.lines] == [[0, 1], [0, 0.5]]
    assert made.lines[1].y.tolist() == [0.005, 0.006]
    assert any("is in N, and this axis in V" in one for one in made.said)
    right = changed(panel, contents=(CurveContent(curve=a), CurveContent(curve=c, right=True)))
    page = page_of(study, figure(right))
    assert not page.said
    assert page.pen.at("ax0r").get_ylabel() == "F (N)"
    assert page.pen.at("ax0r").lines[0].get_ydata().tolist() == [5, 6]


def test_only_axes_of_one_quantity_are_shared():
    one = study_of(([0, 1], [0, 1]), ([0, 5], [1, 2]))
    other = Record(
        Source("c.txt", b"c"), (Channel("Shift", "1/cm", np.array([100.0, 900])), Channel("I", "", np.array([5.0, 6])))
    )
    study = edits.add_curves(one, [(other, Take(0, 1))], "more")
    panels = [PanelSpec(contents=(CurveContent(curve=curve.id),)) for curve in study.document.curves]
    page = page_of(study, figure(*panels, share_x=True, share_y=True, height=150.0))
    assert [axes.get_xlabel() for axes in page.axes] == ["", "Time (s)", "Shift (cm⁻¹)"]
    low, high = page.axes[0].get_xlim()
    assert low < 0 < 5 < high < 6, "both over time"
    assert page.axes[2].get_xlim()[0] > 50
    assert "Panel C is over another x, Shift (cm⁻¹): its axis is its own." in page.said


def test_curves_without_names_have_their_units_looked_at():
    study = study_of(([0, 1], [0, 1]), names=("", ""))
    other = Record(
        Source("c.txt", b"c"), (Channel("", "ms", np.array([0.0, 500])), Channel("", "V", np.array([5.0, 6])))
    )
    study = edits.add_curves(study, [(other, Take(0, 1))], "more")
    panel = PanelSpec(contents=tuple(CurveContent(curve=curve.id) for curve in study.document.curves))
    (made,) = shown(study, figure(panel))
    assert made.lines[1].x.tolist() == [0, 0.5]


def test_lifted_numbers_are_told_as_such(demo):
    spec = offered(demo, demo.document.curves[0].id, "lifted")
    heads = data_csv(shown(demo, spec)).splitlines()[0]
    assert '0.0 wt%: Intensity (counts)",' in heads
    assert "0.5 wt%: Intensity (counts), lifted by" in heads
    assert not any("hold for the lowest" in one for one in page_of(demo, spec).said)
    numbered = with_part("y 0", numbers="plain")(spec)
    assert any("hold for the lowest curve alone" in one for one in page_of(demo, numbered).said)
    alike_ = with_part("content 0 0", normal="by maximum")(spec)
    assert shown(demo, alike_)[0].y.words == "Intensity, by maximum"


def test_a_curve_with_gaps_is_thinned_between_them():
    x = np.linspace(0, 10, 200_000)
    study = study_of((x, np.sin(x)))
    page = page_of(study, figure(first(study, x=AxisSpec(cut=(3.0, 4.0)))))
    line = page.pen.at("line0_0")[0]
    y = line.get_ydata()
    assert y.size < 30_000
    assert np.isnan(y).any()
    assert np.nanmax(y) == np.sin(x[(x <= 3) | (x >= 4)]).max()


def test_no_other_file_is_lost_beside_a_figure(demo, tmp_path):
    page = page_of(demo, offered(demo, demo.document.curves[0].id, "lifted"))
    path = tmp_path / "f.csv"
    assert [one.name for one in beside(page, "f", path, 300, script=True)] == ["f.csv", "f.py"]
    for one, content in beside(page, "f", path, 300, script=True).items():
        one.write_bytes(content)
    assert beside(page, "f", path, 300, script=True), "what was written here before may be written again"
    for name in ("f.py", "f.csv"):
        kept = (tmp_path / name).read_bytes()
        (tmp_path / name).write_text("time,force\n")
        with pytest.raises(InputError, match=f"{name} is there already"):
            beside(page, "f", path, 300, script=True)
        (tmp_path / name).write_bytes(kept)


def test_a_scale_bar_is_as_long_as_it_says():
    study = study_of((np.linspace(0, 100, 50), np.zeros(50)))
    page = page_of(study, figure(first(study, marks=(ScaleMark(length=20.0),), x=AxisSpec(low=50.0, high=100.0))))
    bar = page.pen.at("mark0_0")[0]
    assert np.ptp(bar.get_xdata()) == pytest.approx(0.4)
    assert any(text.get_text() == "20 s" for text in page.axes[0].texts)
    long = page_of(study, figure(first(study, marks=(ScaleMark(length=500.0),))))
    assert any("longer than its axis" in one for one in long.said)


def test_an_inset_magnifies_what_is_there():
    x = np.linspace(0, 10, 101)
    study = study_of((x, x**2))
    page = page_of(study, figure(first(study, inset=Inset(low=4.0, high=5.0))))
    inset = page.pen.at("inset0")
    assert inset.get_xlim() == (4.0, 5.0)
    low, high = inset.get_ylim()
    assert low < 16 < 25 < high < 30
    empty = page_of(study, figure(first(study, inset=Inset(low=40.0, high=50.0))))
    assert any("nothing to magnify" in one for one in empty.said)


def test_straight_axes_and_histograms(tmp_path):
    x = np.linspace(0, 5, 60)
    study = study_of((x, 3 * np.exp(-0.7 * x)))
    (made,) = shown(study, figure(PanelSpec(contents=(StraightContent(curve=study.document.curves[0].id),))))
    assert made.y.words == "ln (Signal / V)"
    assert made.lines[1].y[-1] == pytest.approx(np.log(3) - 0.7 * 5)
    values = np.random.default_rng(5).normal(10, 1, 500)
    record = Record(Source("d.txt", b"d"), (Channel("Length", "mm", values),))
    held = histogram(record.channels[0], record.source, Histogram(bins=20)).record
    counts = edits.add_curves(Study(), [(held, Take(0, 1))], "histogram")
    curve = counts.document.curves[0].id
    assert is_histogram(counts, curve)
    spec = next(one for one in offers(counts, curve) if one.words.endswith("alone")).spec
    page = page_of(counts, spec)
    assert len(page.axes[0].patches) == 20


def test_constructions_are_those_that_are_asked_for():
    x = np.linspace(0, 10, 200)
    study = study_of((x, 2 * x))
    curve = study.document.curves[0].id
    for slug, fields in (("straight-part", {"low": 2.0, "high": 5.0}), ("area", {}), ("maximum", {})):
        if slug in registered_measures():
            study = edits.add_measure(curve, parse_measure({"measure": slug, **fields}))(study)
    (every,) = shown(study, figure(PanelSpec(contents=(ConstructionContent(curve=curve, areas=True),))))
    (plain,) = shown(study, figure(PanelSpec(contents=(ConstructionContent(curve=curve),))))
    (one,) = shown(study, figure(PanelSpec(contents=(ConstructionContent(curve=curve, only="SLOPE, no such"),))))
    fills = [any(isinstance(shape, Fill) for group in made.shapes for shape in group) for made in (every, plain)]
    assert fills == [True, False]
    assert len(one.shapes) == 1
    assert one.said == ("c0 has no reading no such.",)


@pytest.mark.parametrize("seed", range(8))
def test_what_is_known_of_a_layout_is_what_would_be_measured(seed):
    """The room of words and numbers is kept by what decides on it: a page from there is that of a fresh measure."""
    rng = np.random.default_rng(seed)
    study = study_of((np.linspace(0, 7 * 10.0 ** (seed - 3), 50), rng.normal(0, 10.0**seed, 50)))
    axes = {name: any_part(rng, AxisSpec) for name in ("x", "y")}
    spec = figure(first(study, **axes), first(study), share_x=bool(seed % 2), gap=float(seed % 3), width=120.0)

    def places() -> list[tuple[float, ...]]:
        page = page_of(study, spec)
        return [one.get_position().bounds for one in page.axes]

    layout._known.clear()
    fresh = places()
    assert places() == fresh
    page_of(study, changed(spec, manner=Manner(words=12.0)))
    layout._known.pop(next(iter(layout._known)))
    assert places() == fresh


# -- parts ----------------------------------------------------------------------------------------------


def test_parts_are_listed_changed_and_taken_out(demo):
    curve = demo.document.curves[3].id
    spec = offered(demo, curve, "residual")
    spec = with_mark(0, GuideMark(spot=Spot(at=1350.0)))(spec)
    spec = with_inset(0, Inset(low=1300.0, high=1400.0))(with_mark(0, ArrowMark())(spec))
    rows = {row.id: row for row in part_rows(demo, spec)}
    assert list(rows) == [
        "panel 0", "content 0 0", "x 0", "y 0", "names 0", "inset 0", "mark 0 0", "mark 0 1",
        "panel 1", "content 1 0", "x 1", "y 1", "names 1",
    ]  # fmt: skip
    assert rows["mark 0 0"].about == "1350"
    for part in rows:
        assert value_of(spec, part) is not None
        if can_go(part):
            fewer = without(part)(spec)
            assert len(part_rows(demo, fewer)) < len(rows)
        else:
            with pytest.raises(InputError, match="belong to their panel"):
                without(part)(spec)
    assert value_of(spec, "panel 9") is None
    assert value_of(spec, "mark 0 7") is None
    # a scale that panels share is that of all; words are the panel's own
    shared = with_axis(0, "x", scale="logarithmic", words="w")(spec)
    assert [(p.x.scale, p.x.words) for p in shared.panels] == [("logarithmic", "w"), ("logarithmic", None)]
    with pytest.raises(InputError, match="small: input should be less than or equal to 9"):
        with_part("x 0", small=12)(spec)
    with pytest.raises(InputError, match="what stood there is kept"):
        with_part("", width=1.0)(spec)
    assert len(with_panel()(spec).panels) == 3
    assert moved(ArrowMark(), 0.1, -0.1) == pytest.approx({"x0": 0.4, "x1": 0.55, "y0": 0.7, "y1": 0.5})
    assert with_part(f"line 0 {curve}", width=2.0)(spec).panels[0].lines == ((curve, LineSpec(width=2.0)),)
    styled = with_part(f"line 0 {curve}", width=2.0)(spec)
    assert with_part(f"line 0 {curve}", width=None)(styled).panels[0].lines == (), "nothing said is nothing kept"


def test_curves_of_a_lifted_family_are_lifted_by_hand(demo):
    curve = demo.document.curves[0].id
    spec = offered(demo, curve, "lifted")
    part = f"line 0 {curve}"
    assert lifts(spec, part)
    before = shown(demo, spec)[0].lines[0].y
    more = lifted(spec, part, 50.0)(spec)
    more = lifted(more, part, 25.0)(more)
    assert shown(demo, more)[0].lines[0].y - before == pytest.approx(75.0)
    laid = offered(demo, curve, "laid over")
    assert not lifts(laid, part)
    with pytest.raises(InputError, match="lifted family"):
        lifted(laid, part, 1.0)


def test_parts_are_found_at_their_pixels(demo):
    curve = demo.document.curves[3].id
    spec = offered(demo, curve, "residual")
    picture = pictured(demo, with_mark(0, WordsMark(words="here", x=0.7, y=0.8))(spec), 100.0)
    assert picture.pixels.shape[:2] == pytest.approx((90 / 25.4 * 100, 85 / 25.4 * 100), abs=1)
    for part in ("x 1", "y 0", "y 1", "mark 0 0"):
        left, top, right, bottom = picture.boxes[part]
        assert picture.part_at((left + right) / 2, (top + bottom) / 2) == part
    x, y = picture.traces[f"line 1 residual {curve}"][200]
    assert picture.part_at(x, y) == f"line 1 residual {curve}"
    x, y = picture.traces[f"line 0 {curve}"].min(axis=0)  # beside the left end, above all that is drawn there
    flat = picture.traces[f"line 0 {curve}"][0]
    assert picture.part_at(flat[0] + 1, flat[1] + 4).startswith("line 0"), "near is enough"
    assert picture.part_at(x + 2, y + 60) == "panel 0"
    assert picture.part_at(1, 1) == ""
    scales = picture.panels[0]
    left, top, right, bottom = scales.box
    assert scales.place(left, bottom) == pytest.approx((scales.x[0], scales.y[0]))
    assert scales.share(right, top) == pytest.approx((1.0, 1.0))


def test_what_stands_is_offered_first(demo):
    curve, family = demo.document.curves[3].id, demo.document.families[0]
    for stand, words in (("laid over", "laid over"), ("lifted", "lifted"), ("gallery", "a panel each")):
        study = edits.look_at_family(family.id, lambda look, stand=stand: look.model_copy(update={"stand": stand}))(
            demo
        )
        assert offers(study, curve)[0].words == f"{family.label}, {words}"
    study = edits.look_at_family(
        family.id, lambda look: look.model_copy(update={"recorded": True, "beside": (demo.document.families[1].id,)})
    )(demo)
    first_ = offers(study, curve)[0].spec
    assert len(first_.panels[0].contents) == 2
    spike = {made.id: made.y.max() for made in shown(study, first_)[0].lines}[curve]
    passed = {made.id: made.y.max() for made in shown(demo, offers(demo, curve)[0].spec)[0].lines}[curve]
    assert spike > passed, "before the sieve, as it stands there"
    assert offers(demo, curve, curve_first=True)[0].words == "2.0 wt%, with fit and residual"
    assert offers(demo, None) == []


def test_names_of_figures_are_their_own(demo):
    spec = offers(demo, demo.document.curves[0].id)[0].spec
    study = edits.add_figure(spec)(demo)
    study = copy_figure(spec.id, "two")(study)
    assert [one.name for one in study.document.figures] == [spec.name, f"{spec.name} 2"]
    with pytest.raises(InputError, match="already"):
        edits.name_figure("two", spec.name)(study)
    with pytest.raises(InputError, match="needs a name"):
        edits.name_figure("two", "  ")
    assert figure_named(study, "2").id == "two"
    with pytest.raises(InputError, match="There is no figure 'x'"):
        figure_named(study, "x")
    assert [one.id for one in edits.remove_figure(spec.id)(study).document.figures] == ["two"]


def test_manners_are_kept_as_json(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    made = Manner(name="thesis", words=11.0, palette=("#112233",))
    path = MANNER_FILES.save(made, "thesis")
    assert manners()[0]["thesis"] == made
    path.write_text('{"name": "thesis", "words": 900}')
    found, problems = manners()
    assert "thesis" not in found
    assert "words" in problems[0]


def test_pieces_and_readings_are_offered(demo):
    curve = demo.document.curves[3].id
    groups = {one.group for one in pieces(demo)}
    assert groups == {"Families", "Curves", "Residuals", "Readings"}
    panel = PanelSpec(contents=(CurveContent(curve=curve),))
    spots = dict(offered_spots(demo, panel, "cm-1"))
    assert "P1 center of 2.0 wt%" in spots
    assert not any("FWHM" in words for words in spots), "a width is no place"
    assert any(text == "{P1 FWHM of 2.0 wt%}" for _, text in offered_readings(demo, panel))
    spec = with_content(0, CurveContent(curve=curve))(figure(panel))
    assert len(spec.panels[0].contents) == 2


# -- any page can be drawn --------------------------------------------------------------------------------


def any_value(rng: np.random.Generator, annotation: Any) -> Any:
    """Something that a field takes, often at an edge."""
    while get_origin(annotation) is Annotated:
        annotation = get_args(annotation)[0]
    options = [one for one in get_args(annotation) if one is not type(None)] if get_args(annotation) else [annotation]
    if get_origin(annotation) is Literal:
        return rng.choice(get_args(annotation)).item()
    if type(None) in get_args(annotation) and rng.random() < 0.5:
        return None
    kind = options[0]
    if get_origin(kind) is Literal:
        return rng.choice(get_args(kind)).item()
    if kind is bool:
        return bool(rng.random() < 0.5)
    if kind is int:
        return int(rng.integers(0, 9))
    if kind is float:
        return float(rng.choice([0.0, 1.0, -3.0, 1e-12, 1e12, 0.4, 2.0]))
    if kind is str:
        return str(rng.choice(["", "x^2", "*a* {b", "T_{max}", "\\alpha", "1" * 300, "nm", "{E of c0}"]))
    if get_origin(kind) is tuple and float in get_args(kind):
        return tuple(float(one) for one in rng.choice([0.0, 1.0, -2.0, 0.5, 1e3], 2))
    return None


_PARTS = ("kind", "lines", "marks", "contents", "x", "y", "right", "inset", "spot")


def any_part(rng: np.random.Generator, kind: type, **fixed: Any) -> Any:
    """A part with some fields at random; values that it cannot have are left at their defaults."""
    made = kind(**fixed)
    for name, info in kind.model_fields.items():
        if (
            name in fixed
            or name in ("kind", "lines", "marks", "contents", "x", "y", "right", "inset", "spot")
            or rng.random() < 0.5
        ):
            continue
        try:
            made = changed(made, **{name: any_value(rng, info.annotation)})
        except InputError:
            continue
    return made


def awkward(rng: np.random.Generator) -> Study:
    """Curves at any scale, with zeros, negative numbers, one point, one x, values beside zero."""
    scale = 10.0 ** rng.integers(-12, 13)
    x = np.sort(rng.normal(0, 1, 40)) * 10.0 ** rng.integers(-12, 13)
    return study_of(
        (x, rng.normal(0, 1, 40) * scale, np.abs(rng.normal(0, 0.1, 40)) * scale), (x[:1], [scale]),
        (np.ones(5), np.arange(5.0)), (x, np.full(40, 3 * scale)),
    )  # fmt: skip


def test_lines_are_thick_enough_to_have_dashes():
    """Dashes are as long as the line is wide: of one of 1e-12 pt there would be no end."""
    for field, value in (("width", 1e-12), ("width", 0.0), ("mark_size", 0.0)):
        with pytest.raises(InputError, match="greater than or equal"):
            changed(LineSpec(), **{field: value})
    with pytest.raises(InputError, match="greater than or equal"):
        changed(Manner(), lines=1e-9)


@pytest.mark.parametrize("seed", range(40))
def test_any_page_of_any_data_is_drawn_or_told(seed):
    rng = np.random.default_rng(seed)
    study = awkward(rng)
    ids = [curve.id for curve in study.document.curves]
    panels = []
    for _ in range(int(rng.integers(1, 4))):
        contents = [CurveContent(curve=str(rng.choice(ids)), right=bool(rng.random() < 0.2))]
        if rng.random() < 0.5:
            contents = [any_part(rng, FamilyContent, family=study.document.families[0].id)]
        marks = tuple(any_part(rng, kind) for kind in MARKS.values() if rng.random() < 0.4)
        lines = tuple((id_, any_part(rng, LineSpec)) for id_ in ids if rng.random() < 0.5)
        inset = any_part(rng, Inset, low=-1.0, high=1.0) if rng.random() < 0.3 else None
        axes = {name: any_part(rng, AxisSpec) for name in ("x", "y", "right")}
        panels.append(any_part(rng, PanelSpec).model_copy(
            update={"contents": tuple(contents), "marks": marks, "lines": lines, "inset": inset, **axes}
        ))  # fmt: skip
    spec = any_part(rng, FigureSpec, id="f", name="n", panels=tuple(panels), manner=MANNERS[seed % 4])
    picture = pictured(study, spec, 60.0)
    assert picture.pixels.std() > 0
    assert all(isinstance(one, str) and one for one in picture.said)
    for eyes in get_args(Eyes):
        confused(spec, shown(study, spec), eyes)
