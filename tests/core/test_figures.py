"""Figures: what they show follows the study; written files opened again; markup; what is amiss is said in its place."""

from __future__ import annotations

import csv
import io
import re
from xml.etree import ElementTree

import numpy as np
import pytest
from PIL import Image

from curvesieve.core.errors import InputError
from curvesieve.core.figures.aids import scientific
from curvesieve.core.figures.colours import contrast
from curvesieve.core.figures.content import shown
from curvesieve.core.figures.data import data_csv
from curvesieve.core.figures.markup import mathtext, pieces, plain
from curvesieve.core.figures.writing import page_of, save, written
from curvesieve.core.reading import ReadingKey
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import edits
from curvesieve.core.study.figure_parts import (
    MANNERS,
    ArrowMark,
    AxisSpec,
    BandMark,
    ConstructionContent,
    CurveContent,
    FamilyContent,
    FigureSpec,
    GuideMark,
    LineSpec,
    PanelSpec,
    Spot,
    TrendContent,
    WordsMark,
)
from curvesieve.demo.build import build_study

MM = 1 / 25.4


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def figure(*panels: PanelSpec, **changes) -> FigureSpec:
    return FigureSpec(id="f", name="figure", panels=panels, **changes)


def lifted(study) -> FigureSpec:
    family = study.document.families[0]
    return figure(
        PanelSpec(contents=(FamilyContent(family=family.id, lifted=True),), y=AxisSpec(numbers="none")),
        width=85.0, height=110.0,
    )  # fmt: skip


# -- out ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("dpi", [72, 300, 600])
@pytest.mark.parametrize("suffix", [".png", ".tiff"])
def test_pictures_have_their_size_in_mm_and_say_their_dots(demo, suffix, dpi):
    image = Image.open(io.BytesIO(written(demo, lifted(demo), suffix, dpi)))
    assert image.size == pytest.approx((85 * MM * dpi, 110 * MM * dpi), abs=1)
    assert tuple(float(one) for one in image.info["dpi"]) == pytest.approx((dpi, dpi), abs=0.1)


def test_a_pdf_has_its_page_and_embedded_fonts(demo):
    data = written(demo, lifted(demo), ".pdf")
    box = [float(one) for one in re.search(rb"/MediaBox \[ ?([\d. ]+)\]", data)[1].split()]
    assert box[2:] == pytest.approx([85 * MM * 72, 110 * MM * 72], abs=0.1)
    assert b"/FontFile2" in data
    assert b"SourceSans3" in data
    assert data == written(demo, lifted(demo), ".pdf")  # the same each time


def test_an_svg_is_xml_with_its_texts_or_with_paths(demo):
    data = written(demo, lifted(demo), ".svg")
    root = ElementTree.fromstring(data)
    texts = ["".join(one.itertext()).strip() for one in root.iter("{http://www.w3.org/2000/svg}text")]
    for name in ("0.0 wt%", "4.0 wt%", "1200"):
        assert name in texts
    assert any("Raman shift" in one for one in texts) or "Raman shift (cm" in "".join(texts)
    paths = ElementTree.fromstring(written(demo, lifted(demo), ".svg", words_as_paths=True))
    assert not list(paths.iter("{http://www.w3.org/2000/svg}text"))


def test_what_cannot_be_written_is_refused(demo):
    for suffix in (".jpg", ""):
        with pytest.raises(InputError, match="is written as"):
            written(demo, lifted(demo), suffix)
    for dpi in (10, 5000):
        with pytest.raises(InputError, match="dots per inch"):
            written(demo, lifted(demo), ".png", dpi)


def test_a_million_points_print_alike_and_stay_small(demo):
    from curvesieve.core.intake.take import Take
    from curvesieve.core.record import Channel, Record, Source
    from curvesieve.core.study import Study

    x = np.linspace(0, 1, 1_000_000)
    y = np.sin(20 * x) + np.random.default_rng(0).normal(0, 0.1, x.size)
    record = Record(Source("big.txt", b"big"), (Channel("x", "s", x), Channel("y", "V", y)))
    study = edits.add_curves(Study(), [(record, Take(0, 1))], "one")
    spec = figure(PanelSpec(contents=(CurveContent(curve=study.document.curves[0].id),)))
    assert len(written(study, spec, ".pdf")) < 5_000_000
    page = page_of(study, spec)
    line = page.axes[0].lines[0]
    assert line.get_xdata().size < 5_000
    assert (line.get_ydata().max(), line.get_ydata().min()) == (y.max(), y.min())


# -- what is shown --------------------------------------------------------------------------------------


def test_the_data_are_those_of_the_study_to_the_last_digit(demo):
    family = demo.document.families[1]
    key = ReadingKey("fit", "tau1", 0)
    study = edits.share(family.curves[-1], "model")(demo)
    from curvesieve.core.study.jointly import fit_each

    study = edits.set_family_fit(family.id, fit_each(study, family.id))(study)
    spec = figure(
        PanelSpec(contents=(TrendContent(family=family.id, key=key),)),
        PanelSpec(contents=(CurveContent(curve=family.curves[0]),)),
    )
    rows = list(csv.reader(io.StringIO(data_csv(shown(study, spec)))))
    head = rows[0]
    assert head[0] == "panel 1, tau1, Stress relaxation by humidity: humidity (%)"
    taus = [float(row[1]) for row in rows[1:4]]
    assert taus == [study.fit(id_).result.values["tau1"] for id_ in family.curves]
    us = [float(row[2]) for row in rows[1:4]]
    assert us == [study.fit(id_).result.parameters["tau1"].u for id_ in family.curves]
    column = head.index("panel 2, 30 % RH: Stress (MPa)")
    assert [float(row[column]) for row in rows[1:602]] == study.from_record(family.curves[0]).y.tolist()


def test_a_figure_follows_a_step_and_says_what_is_gone(demo):
    id_ = demo.document.curves[0].id
    spec = figure(PanelSpec(contents=(CurveContent(curve=id_),)))
    before = shown(demo, spec)[0].lines[0]
    after = shown(edits.add_step(id_, KeepRange(low=1300.0), "s")(demo), spec)[0].lines[0]
    assert before.x.min() < 1300 <= after.x.min()
    gone = edits.remove_curve(id_)(demo)
    page = page_of(gone, spec)
    assert any("not in the study any more" in one for one in page.said)
    assert any("not in the study any more" in text.get_text().replace("\n", " ") for text in page.axes[0].texts)
    empty = page_of(demo, figure(PanelSpec()))
    assert empty.said == ["Nothing is in this panel yet."]


def test_a_lifted_family_has_its_names_guide_and_ticks_on_four_sides(demo):
    curve = next(c for c in demo.document.curves if demo.fit_is_current(c.id))
    key = ReadingKey("fit", "center", 1)
    guide = GuideMark(spot=Spot(curve=curve.id, key=key), number=True)
    panel = lifted(demo).panels[0].model_copy(update={"marks": (guide,)})
    page = page_of(demo, figure(panel, width=85.0, height=110.0))
    axes = page.axes[0]
    texts = [text.get_text() for text in axes.texts]
    assert [one for one in texts if one.endswith("wt%")] == ["0.0 wt%", "0.5 wt%", "1.0 wt%", "2.0 wt%", "4.0 wt%"]
    center = demo.fit(curve.id).result.values["center_1"]
    upright = [line for line in axes.lines if len(set(line.get_xdata())) == 1]
    assert upright[0].get_xdata()[0] == pytest.approx(center)
    assert any(f"{center:.6g}" in one for one in texts)
    tick = axes.xaxis.get_major_ticks()[0]
    assert tick.tick1line.get_visible()
    assert tick.tick2line.get_visible()
    assert not axes.yaxis.get_major_ticks()[0].label1.get_visible()
    assert axes.get_xlabel() == "Raman shift (cm⁻¹)"
    assert all(spine.get_visible() for spine in axes.spines.values())


def test_negative_numbers_have_no_place_on_a_logarithm_and_are_counted(demo):
    id_ = demo.document.curves[-1].id
    spec = figure(PanelSpec(contents=(CurveContent(curve=id_),), x=AxisSpec(scale="logarithmic")))
    page = page_of(demo, spec)
    assert "70 % RH: 1 point has no place on the logarithmic x axis (x = 0)." in page.said
    upside = PanelSpec(contents=(CurveContent(curve=id_),), y=AxisSpec(low=50.0, high=10.0))
    assert page_of(demo, figure(upside)).axes[0].get_ylim() == (50.0, 10.0)


def test_three_panels_share_an_axis_and_write_scientific_numbers(demo):
    family = demo.document.families[1]
    panels = [
        PanelSpec(contents=(CurveContent(curve=id_, fit=False),), y=AxisSpec(numbers="scientific", digits=1))
        for id_ in family.curves
    ]
    page = page_of(demo, figure(*panels, gap=0.0, letters=True, share_x=True))
    assert [axes.get_xlabel() for axes in page.axes] == ["", "", "Time (s)"]
    assert [axes.texts[0].get_text() for axes in page.axes] == ["(a)", "(b)", "(c)"]
    page.figure.canvas.draw()
    numbers = [label.get_text() for label in page.axes[0].get_yticklabels()]
    assert any("×10" in one for one in numbers)


def test_constructions_marks_and_live_words_are_drawn(demo):
    from curvesieve.core.measures.base import parse_measure

    id_ = demo.document.families[1].curves[0]
    study = edits.add_measure(id_, parse_measure({"measure": "straight-part", "low": 300.0, "high": 600.0}))(demo)
    from curvesieve.core.study.measuring import measure_curves

    read = measure_curves(study, [id_])[id_][0].readings[0]
    marks = (
        WordsMark(words=f"{{{read.symbol} of 30 % RH}}"), WordsMark(words="{E of nobody}"),
        BandMark(low=Spot(at=100), high=Spot(at=200)), ArrowMark(words="here"),
    )  # fmt: skip
    page = page_of(study, figure(PanelSpec(contents=(ConstructionContent(curve=id_),), marks=marks)))
    texts = [text.get_text() for text in page.axes[0].texts]
    assert f"{read.symbol} = {read.written}" in texts
    assert "[no E]" in texts
    assert "There is no E of nobody now." in page.said
    assert len(page.axes[0].lines) > 1


# -- words ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "made"),
    [
        ("cm^-1", "cm⁻¹"), ("cm⁻¹", "cm⁻¹"), ("x^{a-1}", r"x$^{\mathregular{a{-}1}}$"),
        ("x_{max}", r"x$_{\mathregular{max}}$"), ("*E* (GPa)", r"$\mathit{E}$ (GPa)"), (r"\alpha 2\theta", "α 2θ"),
        ("5 $ and %", r"5 \$ and %"), ("10 \\deg C", "10 ° C"), ("a * b", "a * b"), ("{x", "{x"),
    ],
)  # fmt: skip
def test_markup_becomes_mathtext(text, made):
    assert mathtext(text) == made


def test_markup_that_cannot_be_read_is_shown_as_it_is_and_told():
    for text in ("{x", "a * b", r"\nonsense x"):
        assert plain(text) == text
        assert pieces(text)[1]
    assert not pieces("x^2_{a} *b*")[1]


@pytest.mark.parametrize("seed", range(30))
def test_any_words_can_be_drawn(demo, seed):
    rng = np.random.default_rng(seed)
    letters = list("ab1 ^_{}*\\$%#&~-⁻²°µ<>(){}αΔ\n")
    words = "".join(rng.choice(letters, int(rng.integers(1, 40)))) * (8 if seed == 0 else 1)
    panel = PanelSpec(
        contents=(CurveContent(curve=demo.document.curves[0].id),), x=AxisSpec(words=words),
        marks=(WordsMark(words=words),),
    )  # fmt: skip
    assert written(demo, figure(panel), ".png", 72).startswith(b"\x89PNG")


def test_scientific_numbers():
    assert scientific(1)(1200.0) == "1.2×10³"
    assert scientific(None)(1e6) == "10⁶"
    assert scientific(None)(-2.5e-7) == "−2.5×10⁻⁷"
    assert scientific(2)(0.0) == "0"


# -- manners --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("manner", MANNERS, ids=lambda one: one.name)
def test_every_manner_can_be_read(demo, manner):
    assert contrast(manner.ink, manner.paper) > 7
    assert all(contrast(one, manner.paper) > 2.3 for one in manner.palette)
    page = page_of(demo, lifted(demo).model_copy(update={"manner": manner}))
    assert page.axes[0].xaxis.label.get_fontsize() == manner.words
    assert not page.said
    other = manner.model_copy(update={"font": "No Such Font"})
    assert any(
        "No Such Font is not here" in one
        for one in page_of(demo, lifted(demo).model_copy(update={"manner": other})).said
    )


def test_letters_that_the_font_has_not_come_from_the_spare_one_or_are_told(demo):
    words = PanelSpec(contents=(CurveContent(curve=demo.document.curves[0].id),), x=AxisSpec(words="α ℵ ℏ"))
    page = page_of(demo, figure(words))
    assert page.settings["font.family"] == ["Source Sans 3", "DejaVu Sans"]
    assert save(page, ".png", 72)
    assert not page.said
    none = page_of(demo, figure(words.model_copy(update={"x": AxisSpec(words="\U00012000")})))
    save(none, ".png", 72)
    assert any("cannot be set: no font here has it" in one for one in none.said)
    plain_ = page_of(demo, figure(words.model_copy(update={"x": AxisSpec(words="\\alpha x^2")})))
    assert plain_.settings["font.family"] == ["Source Sans 3"]


def test_a_line_is_styled_by_its_id(demo):
    family = demo.document.families[0]
    style = LineSpec(colour="#ff0000", width=3.0, dash="dashed", mark="square", every=10, label="one")
    panel = PanelSpec(contents=(FamilyContent(family=family.id),), lines=((family.curves[1], style),), names="key")
    page = page_of(demo, figure(panel))
    line = page.pen.at(page.parts[f"line 0 {family.curves[1]}"])[0]
    assert (line.get_color(), line.get_linewidth(), line.get_marker()) == ("#ff0000", 3.0, "s")
    assert line.get_markevery() == 10
    assert "one" in [text.get_text() for text in page.axes[0].get_legend().get_texts()]
