"""Reports of studies: what was done in words, templates, and the files opened again by other libraries."""

from __future__ import annotations

import hashlib
import io
import re
import subprocess
import sys
from datetime import date
from html.parser import HTMLParser

import numpy as np
import pypdf
import pytest

from curvesieve.cli import main
from curvesieve.core.errors import InputError
from curvesieve.core.figures.offers import offers
from curvesieve.core.measures.base import parse_measure
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import ReadingKey
from curvesieve.core.report.blocks import Drawing, Heading, report_of_study
from curvesieve.core.report.study_writing import study_report_written
from curvesieve.core.report.template import DEFAULT, load_template
from curvesieve.core.report.words import fit_in_words, methods_paragraph, references_of, steps_in_words
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.base import parse_step, registered_steps
from curvesieve.core.study import Study, edits, save_study
from curvesieve.core.study.figure_parts import FigureSpec, PanelSpec, TrendContent, WordsMark
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.ledger_tables import short_table
from curvesieve.core.study.measuring import measure_curves
from curvesieve.demo.build import build_study
from tests.core.test_families import decay_model, family_of

WHEN = date(2026, 1, 2)


@pytest.fixture(scope="module")
def study(tmp_path_factory):
    made = build_study(tmp_path_factory.mktemp("demo"))
    curve = made.document.families[1].curves[0]
    measure = parse_measure({"measure": "straight-part", "low": 300.0, "high": 600.0})
    made = edits.add_measure(curve, measure)(made)
    for id_, place in ((made.document.curves[3].id, 0), (curve, 2)):
        made = edits.add_figure(offers(made, id_)[place].spec)(made)
    return made


class _Reader(HTMLParser):
    """Tables, headings and pictures of a page."""

    def __init__(self) -> None:
        super().__init__()
        self.tables: list[list[list[str]]] = []
        self.heads: list[str] = []
        self.svgs = 0
        self._cell: list[str] | None = None
        self._head = False
        self.text = ""

    def handle_starttag(self, tag, attrs):
        if tag == "table":
            self.tables.append([])
        elif tag == "tr":
            self.tables[-1].append([])
        elif tag in ("td", "th"):
            self._cell = []
        elif tag in ("h1", "h2", "h3"):
            self._head = True
        elif tag == "svg":
            self.svgs += 1
        assert not any(name == "src" or (name == "href" and not value.startswith("#")) for name, value in attrs)

    def handle_endtag(self, tag):
        if tag in ("td", "th"):
            self.tables[-1][-1].append("".join(self._cell or []))
            self._cell = None
        elif tag in ("h1", "h2", "h3"):
            self._head = False

    def handle_data(self, data):
        self.text += data
        if self._cell is not None:
            self._cell.append(data)
        elif self._head:
            self.heads.append(data)


def test_the_report_as_html_has_figures_ledger_words_and_hashes(study):
    data = study_report_written(report_of_study(study, when=WHEN), ".html").decode()
    page = _Reader()
    page.feed(data)
    assert page.svgs == 2
    assert page.heads[0] == study.document.title
    assert {"Figures", "Readings", "What was done", "Methods", "References", "Files", "Made with"} <= set(page.heads)
    for family in study.document.families:
        assert [
            list(row) for row in short_table(ledger_of(study, family, measure_curves(study, family.curves)))
        ] in page.tables
    hashes = page.tables[-1]
    assert hashes[0] == ["file", "SHA-256"]
    for name, given in hashes[1:]:
        record = next(one for one in study.document.records if one.file_name == name)
        assert hashlib.sha256(study.sources[record.source]).hexdigest() == given
    assert "spikes above 5 times the noise were patched" in page.text
    assert "three Lorentzian peaks" in page.text
    assert "2026-01-02" in page.text
    assert data == study_report_written(report_of_study(study, when=WHEN), ".html").decode(), "the same each time"


def test_the_report_as_pdf_has_pages_of_a4_with_the_figures_as_lines(study):
    reader = pypdf.PdfReader(io.BytesIO(study_report_written(report_of_study(study, when=WHEN), ".pdf")))
    assert len(reader.pages) >= 2
    for page in reader.pages:
        assert [float(one) / 72 * 25.4 for one in page.mediabox[2:]] == pytest.approx([210, 297], abs=0.1)
        assert not page.images, "figures are lines, no pixels"
    text = "\n".join(page.extract_text() for page in reader.pages)
    assert "4.0 wt%" in text
    assert "Figure 2." in text
    assert "What was done" in text
    for record in study.document.records:
        assert record.source in text, "hashes are whole"
    cells = {
        cell for family in study.document.families for row in short_table(ledger_of(study, family)) for cell in row
    }
    assert all(cell in text for cell in cells if "(" in cell and cell[0].isdigit())


def test_figures_and_reports_work_out_what_nobody_read_yet(tmp_path):
    """In a process that just opened the study, as the command line does: nothing is left out as not known."""
    study = build_study(tmp_path)
    family = study.document.families[1]
    measure = parse_measure({"measure": "straight-part", "low": 300.0, "high": 600.0})
    study = edits.share(family.curves[0], "measures")(edits.add_measure(family.curves[0], measure)(study))
    slot = study.measures(family.curves[0])[0]
    key = ReadingKey(slot.id, "slope")
    words = WordsMark(words="{slope of 50 % RH}")
    panel = PanelSpec(contents=(TrendContent(family=family.id, key=key),), marks=(words,))
    spec = FigureSpec(id="f", name="f", panels=(panel,))
    path = tmp_path / "s.sieve"
    save_study(edits.add_figure(spec)(study), path)
    code = (
        "import sys; from curvesieve.cli import main; "
        f"sys.exit(main(['figure', {str(path)!r}, 'f', '--out', {str(tmp_path / 'f.svg')!r}]) or "
        f"main(['report', {str(path)!r}, '--out', {str(tmp_path / 'r.html')!r}]))"
    )
    made = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert made.stderr == ""
    assert "slope = " in (tmp_path / "f.svg").read_text(encoding="utf-8")
    page = _Reader()
    page.feed((tmp_path / "r.html").read_text(encoding="utf-8"))
    table = next(one for one in page.tables if one[0][0] == "humidity (%)")
    column = next(k for k, head in enumerate(table[0]) if head.startswith("slope"))
    assert all("(" in row[column] for row in table[1:])


def test_long_tables_go_on_over_pages_and_lose_no_row(study):
    many = study
    for k in range(120):
        many = edits.set_quantity(
            many.document.curves[0].id, Quantity(name=f"thickness_{k}", value=1.5 + k, unit="mm")
        )(many)
    text = "".join(
        page.extract_text()
        for page in pypdf.PdfReader(io.BytesIO(study_report_written(report_of_study(many, when=WHEN), ".pdf"))).pages
    )
    for k in range(120):
        assert f"thickness {k}" in text


def test_one_family_or_curve_is_reported_alone(study):
    family = study.document.families[1]
    report = report_of_study(study, family=family.id, when=WHEN)
    assert report.title == family.label
    assert sum(isinstance(one, Drawing) for one in report.blocks) == 1
    curve = study.document.curves[3].id
    alone = report_of_study(study, curve=curve, when=WHEN)
    assert alone.title == "2.0 wt%"
    data = _Reader()
    data.feed(study_report_written(alone, ".html").decode())
    assert [row[0] for row in data.tables[0]] == ["loading (wt%)", "2.0 wt%"]
    with pytest.raises(InputError, match="no curve in this study"):
        report_of_study(Study())


def test_templates_are_plain_text_and_say_where_they_are_wrong(study, tmp_path):
    report = report_of_study(study, template="# On {title}\n\nSeen {date}.\n## Empty\n## Words\n{methods}\n", when=WHEN)
    heads = [one.text for one in report.blocks if isinstance(one, Heading)]
    assert heads == [f"On {study.document.title}", "Words"], "a heading with nothing below it goes"
    assert report.blocks[1].text == "Seen 2026-01-02."
    with pytest.raises(InputError, match=r"Line 2 of the template: there is no 'figurs'.*figures"):
        report_of_study(study, template="# x\n{figurs}\n")
    with pytest.raises(InputError, match="stands in a line of its own"):
        report_of_study(study, template="see {figures} here")
    path = tmp_path / "t.txt"
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(InputError, match="no text in UTF-8"):
        load_template(path)
    with pytest.raises(InputError, match="cannot be read"):
        load_template(tmp_path / "none.txt")
    path.write_text(DEFAULT, encoding="utf-8")
    assert load_template(path) == DEFAULT


@pytest.mark.parametrize("slug", list(registered_steps()))
def test_every_step_is_told_in_words(slug):
    rule = registered_steps()[slug]
    words = rule().in_words("cm⁻¹", "counts")
    assert words == words.strip()
    assert not re.search(r"[{}]|None|\(\)", words)
    assert words[0].islower()
    assert not words.endswith(".")


def test_words_of_steps_have_their_settings_and_units(study):
    assert (
        parse_step({"step": "keep-range", "low": 5, "high": 7}).in_words("s") == "only points from 5 s to 7 s were kept"
    )
    assert parse_step({"step": "keep-range", "low": 5}).in_words("s") == "only points above 5 s were kept"
    told = steps_in_words(study, study.document.curves[3].id)
    caught = re.search(r"\[(\d+) points caught\]", told)
    assert caught is not None
    plain = steps_in_words(study, study.document.curves[3].id, with_numbers=False)
    assert "[" not in plain
    turned = edits.set_sieve(
        study.document.curves[0].id,
        tuple(StepSlot(id=str(k), rule=parse_step(one)) for k, one in enumerate((
            {"step": "keep-range", "low": 1200.0, "high": 1750.0}, {"step": "spectral-axis", "to": "wavelength"},
            {"step": "keep-range", "low": 6000.0, "high": 8000.0},
        ))),
    )(study)  # fmt: skip
    words = steps_in_words(turned, study.document.curves[0].id)
    assert "from 1200 cm⁻¹ to 1750 cm⁻¹" in words
    assert "from 6000 nm to 8000 nm" in words, "units are those of the stage"
    off = edits.switch_step(study.document.curves[3].id, study.slots(study.document.curves[3].id)[0].id, False)(study)
    assert "were kept" not in steps_in_words(off, study.document.curves[3].id)


def test_words_say_how_points_were_really_weighed():
    """Weights by u are asked for by default; points without u weigh the same, and that is what is told."""
    rng = np.random.default_rng(0)
    x = np.linspace(0, 5, 60)
    y = 2 * np.exp(-x) + 0.1 + rng.normal(0, 0.02, 60)
    for parts, said in (
        ((x, y), "all points weighed the same"),
        ((x, y, np.full(60, 0.02)), "each point weighed by its u"),
    ):
        study, _, ids = family_of([parts], [1.0], decay_model)
        study = edits.set_fit(ids[0], fit_curve(study, ids[0]))(study)
        assert said in fit_in_words(study.model(ids[0]), study.fit(ids[0]))
        assert said in methods_paragraph(study, ids, "0")


def test_the_methods_paragraph_tells_curves_treated_alike_once(study):
    family = study.document.families[0]
    shared = edits.share(study.document.curves[3].id, "sieve")(study)
    words = methods_paragraph(shared, family.curves, "0")
    assert words.count("spikes above 5 times") == 1
    assert f"all curves of {family.label}" in words
    assert references_of(study, [study.document.families[1].curves[0]]) == ["least squares, JCGM 100:2008, H.3"]


def test_reports_and_figures_by_the_command_line(study, tmp_path, capsys):
    path = tmp_path / "s.sieve"
    save_study(study, path)
    for out in ("r.html", "r.pdf"):
        assert main(["report", str(path), "--out", str(tmp_path / out)]) == 0
        assert (tmp_path / out).stat().st_size > 10_000
    assert main(["report", str(path), "--out", str(tmp_path / "f.html"), "--curve", "30 % RH"]) == 0
    assert "30 % RH" in (tmp_path / "f.html").read_text(encoding="utf-8")
    figure = ["figure", str(path), "1", "--out", str(tmp_path / "f.svg"), "--data", str(tmp_path / "f.csv")]
    assert main(figure) == 0
    assert (tmp_path / "f.py").exists()
    capsys.readouterr()
    for given, said in (
        (["report", str(path), "--out", str(tmp_path / "r.doc")], "written as .html, .pdf"),
        (["report", str(path), "--out", str(tmp_path / "r.pdf"), "--family", "no"], "There is no family 'no'"),
        (["report", str(path), "--out", str(tmp_path / "r.pdf"), "--curve", "no"], "There is no curve 'no'"),
        (["figure", str(path), "nine", "--out", str(tmp_path / "f.svg")], "There is no figure 'nine'"),
        (["figure", str(path), "1", "--out", str(tmp_path / "f.bmp")], "A figure is written as"),
        (["figure", str(path), "1", "--out", "/no/such/folder/f.png"], "cannot be written"),
    ):
        assert main(given) == 2
        err = capsys.readouterr().err
        assert said in err
        assert err.count("\n") == 1
