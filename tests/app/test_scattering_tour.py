"""From the files of films that scatter to radii against loading, by Guinier and by a law, and to sizes without one."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from curvesieve.app.panels.shelf.family_menu import FamilyMenu
from curvesieve.app.session.desk import MODEL, View
from curvesieve.core.steps.ranges import Blank
from curvesieve.demo.scattering import FOLDER, write_scattering
from tests.app.gestures import add_step, choose_term, click, drag, drop_files, menu_behind, press, take


def settle(w, qtbot) -> None:
    qtbot.waitUntil(lambda: w.session.sieved() is not None, timeout=20_000)
    QTest.qWait(50)
    qtbot.waitUntil(lambda: w.session.readings.outcomes() is not None, timeout=20_000)


def choose(box, data) -> None:
    """A choice of a drop-down by its data, as a click on its row."""
    box.setCurrentIndex(box.findData(data))
    box.activated.emit(box.currentIndex())
    box.textActivated.emit(box.currentText())


def brought_in(window, qtbot, tmp_path):
    """The films and the one without silver, dropped on a new window and brought in."""
    write_scattering(tmp_path / FOLDER)
    w = window()
    drop_files(w, sorted((tmp_path / FOLDER).glob("*.dat")))
    qtbot.waitUntil(lambda: len(w.tray.ready) == 5, timeout=20_000)
    click(w.intake_bench.files.bring)
    qtbot.waitUntil(lambda: len(w.session.study.document.curves) == 5, timeout=20_000)
    return w, json.loads((tmp_path / FOLDER / "truth.json").read_text(encoding="utf-8"))


def test_radii_against_loading_by_guinier_and_by_spheres_and_sizes_without_a_law(window, qtbot, tmp_path):
    """The issue's task. What was made up is known: each radius must hold in its u."""
    w, truth = brought_in(window, qtbot, tmp_path)
    films = {one["loading"]: one for one in truth.values()}
    (family,) = w.session.study.document.families
    assert (family.condition, family.unit) == ("loading", "wt%")
    assert w.session.sieved().curve.u is not None, "the third column is the u of the second"
    last = next(one for one in w.session.study.document.curves if one.condition == 4.0)
    blank = next(one for one in w.session.study.document.curves if one.condition == 0.0)
    w.session.look(View(last.id))
    canvas = w.curve_bench.canvas
    assert canvas.head.view.slug == "log-log", "intensities over decades are seen so at once"
    assert (canvas.plot.log_x, canvas.plot.log_y) == (True, True)
    # The blank is taken off all films, by its list in the card.
    add_step(w, "subtract a blank")
    field = w.curve_bench.sieve.card(w.session.view.stage).fields["donor"]
    click(field.button)
    QTest.keyClicks(field.list.field, blank.label)
    press(field.list.field, Qt.Key.Key_Return)
    settle(w, qtbot)
    step = w.session.sieved().trail[0].slot.rule
    assert isinstance(step, Blank)
    assert not w.session.sieved().trail[0].problem
    # Guinier's axes, and the reading that is straight there; its band is dragged, and the reading follows.
    choose(canvas.head.axes, "guinier")
    assert canvas.plot.view.slug == "guinier"
    assert canvas.plot.map_x(0.02) == pytest.approx(4e-4)
    click(canvas.head.straight)
    settle(w, qtbot)
    (slot,) = w.session.readings.slots
    assert slot.rule.slug == "guinier"
    first = w.session.readings.outcomes()[0].readings[0]
    assert abs(first.value / 10 - films[4.0]["rg"]) < 2 * first.u / 10
    high = slot.rule.high
    middle = float(np.log(w.session.sieved().curve.y[20]))
    drag(canvas.plot, (high, np.exp(middle)), (0.8 * high, np.exp(middle)))
    settle(w, qtbot)
    assert w.session.readings.slots[0].rule.high < high
    again = w.session.readings.outcomes()[0].readings[0]
    assert again.value != first.value
    assert abs(again.value / 10 - films[4.0]["rg"]) < 2 * again.u / 10
    click(canvas.head.straight)
    assert len(w.session.readings.slots) == 1, "the one that is there is put in hand"
    # The same for all films: found by itself in each, as the smaller ones reach further.
    card = w.curve_bench.readings.card(slot.id)
    choose_field(card, "by", "found")
    settle(w, qtbot)
    take(menu_behind(w.curve_bench.recipe.more), "Share this recipe with the 5 curves")
    settle(w, qtbot)

    def rows():
        return w.curve_bench.drawer.ledger.ledger.rows

    def all_read():
        column = next(c for c in w.curve_bench.drawer.ledger.ledger.columns if c.title == "radius of gyration")
        return all(row.cell(column) is not None for row in rows() if row.curve.condition)

    qtbot.waitUntil(all_read, timeout=30_000)
    ledger = w.curve_bench.drawer.ledger.ledger
    for row in rows():
        if row.curve.condition:
            column = next(c for c in ledger.columns if c.title == "radius of gyration")
            cell = row.cell(column)
            assert abs(cell.value / 10 - films[row.curve.condition]["rg"]) < 2.5 * cell.u / 10, row.curve.label


def test_every_axes_view_is_turned_to_and_what_is_straight_there_is_read(window, qtbot, tmp_path):
    """A point lies where its view says, by hand; each button gives the reading of its law, and undo takes it away."""
    w, _ = brought_in(window, qtbot, tmp_path)
    canvas = w.curve_bench.canvas
    settle(w, qtbot)
    by_hand = {
        "plain": lambda x, y: (x, y), "log-log": lambda x, y: (np.log10(x), np.log10(y)),
        "guinier": lambda x, y: (x**2, np.log(y)), "guinier-rods": lambda x, y: (x**2, np.log(x * y)),
        "guinier-sheets": lambda x, y: (x**2, np.log(x**2 * y)), "porod": lambda x, y: (x, x**4 * y),
        "kratky": lambda x, y: (x, x**2 * y), "zimm": lambda x, y: (x**2, 1 / y),
    }  # fmt: skip
    assert [canvas.head.axes.itemData(k) for k in range(canvas.head.axes.count())] == list(by_hand)
    curve = w.session.sieved().curve
    x, y = float(curve.x[20]), float(curve.y[20])
    read = {"log-log": "power-of-q", "guinier": "guinier", "guinier-rods": "guinier", "guinier-sheets": "guinier",
            "porod": "porod"}  # fmt: skip
    for slug, placed in by_hand.items():
        choose(canvas.head.axes, slug)
        plot = canvas.plot
        assert (plot.map_x(x), plot.map_y(y, x)) == pytest.approx(placed(x, y), rel=1e-9), slug
        assert plot.unmap(*placed(x, y)) == pytest.approx((x, y), rel=1e-9), slug
        assert canvas.head.straight.isHidden() == (slug not in read), slug
        if slug in read:
            click(canvas.head.straight)
            settle(w, qtbot)
            (slot,) = w.session.readings.slots
            assert slot.rule.slug == read[slug]
            assert getattr(slot.rule, "form", "particle") == {"guinier-rods": "rod", "guinier-sheets": "sheet"}.get(
                slug, "particle"
            )
            (outcome,) = w.session.readings.outcomes()
            assert outcome.readings, outcome.problem
            assert all(np.isfinite(one.value) for one in outcome.readings)
            w.session.undo()
            qtbot.waitUntil(lambda: not w.session.readings.slots, timeout=10_000)


def test_spheres_of_many_sizes_are_fitted_to_all_films_and_their_sizes_found_without_a_law(window, qtbot, tmp_path):
    w, truth = brought_in(window, qtbot, tmp_path)
    films = {one["loading"]: one for one in truth.values()}
    curves = {one.condition: one for one in w.session.study.document.curves}
    w.session.look(View(curves[4.0].id))
    add_step(w, "subtract a blank")
    field = w.curve_bench.sieve.card(w.session.view.stage).fields["donor"]
    click(field.button)
    QTest.keyClicks(field.list.field, curves[0.0].label)
    press(field.list.field, Qt.Key.Key_Return)
    settle(w, qtbot)
    w.session.look_at_stage(MODEL)
    choose_term(w, "Sphere, Schulz")
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    panel = w.curve_bench.model
    assert panel.parts.isVisible()
    assert panel.parts.sizes[0].currentData() == "schulz"
    click(panel.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=30_000)
    found = w.session.fit.result.parameters
    assert abs(found["radius"].value / 10 - films[4.0]["radius"]) < 2.5 * found["radius"].u / 10
    assert abs(found["spread"].value - films[4.0]["spread"]) < 2.5 * found["spread"].u
    assert "over u" in w.curve_bench.canvas.strip.title.text()
    # Another law of sizes keeps what is known; what is between particles and another part come and go.
    choose(panel.parts.sizes[0], "log-normal")
    qtbot.waitUntil(lambda: w.session.model.background.slug == "sphere~log-normal", timeout=20_000)
    assert w.session.model.start["radius"] == pytest.approx(found["radius"].value, rel=1e-6)
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    choose(panel.parts.between[0], "hard-spheres")
    qtbot.waitUntil(lambda: "fill" in w.session.model.start, timeout=20_000)
    choose(panel.parts.more, "slope")
    qtbot.waitUntil(lambda: w.session.model.background.slug.endswith("+slope"), timeout=20_000)
    assert len(panel.parts.gone) == 2
    click(panel.parts.gone[1])
    qtbot.waitUntil(lambda: w.session.model.background.slug == "sphere~log-normal*hard-spheres", timeout=20_000)
    choose(panel.parts.between[0], "sticky-spheres")
    qtbot.waitUntil(lambda: {"fill", "stickiness"} <= set(w.session.model.start), timeout=20_000)
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    choose(panel.parts.between[0], "")
    choose(panel.parts.sizes[0], "schulz")
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    # The instrument: of the file's own dq = 1e-4 + 0.01·q, and held.
    choose(panel.parts.seen, "pinhole")
    qtbot.waitUntil(lambda: w.session.model.background.slug == "sphere~schulz@pinhole", timeout=20_000)
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    assert 0.009 < w.session.model.start["resolution"] < 0.0125
    assert {"resolution", "resolution_floor"} <= set(w.session.model.held)
    choose(panel.parts.seen, "slit")
    qtbot.waitUntil(lambda: "slit" in w.session.model.held, timeout=20_000)
    choose(panel.parts.seen, "")
    qtbot.waitUntil(lambda: w.session.model.background.slug == "sphere~schulz", timeout=20_000)
    qtbot.waitUntil(lambda: not w.session.modelling.is_searching, timeout=30_000)
    # All films of the family by the same law.
    take(menu_behind(w.curve_bench.recipe.more), "Share this recipe with the 5 curves")
    settle(w, qtbot)
    rows = dict(FamilyMenu(w.session, w.shelf).rows(w.session.study.document.families[0].id))
    rows["Fit its curves"]()
    qtbot.waitUntil(lambda: all(w.session.study.fit(curves[loading].id) for loading in films), timeout=60_000)
    for loading, film in films.items():
        radius = w.session.study.fit(curves[loading].id).result.parameters["radius"]
        assert abs(radius.value / 10 - film["radius"]) < 3 * radius.u / 10, loading
    # Sizes without a law, for this one film.
    take(menu_behind(w.curve_bench.recipe.more), "Give this curve a recipe of its own")
    add_step(w, "size distribution of spheres")
    settle(w, qtbot)
    passed = w.session.sieved().curve
    assert passed.x_label == "R"
    mean = float(passed.x @ passed.y / passed.y.sum())
    square = films[4.0]["spread"] ** 2
    assert mean / 10 == pytest.approx(films[4.0]["radius"] * (1 + 3 * square), rel=0.02)
    assert w.curve_bench.canvas.head.axes.isHidden(), "a radius is no q"
    assert not w.curve_bench.canvas.plot.log_y


def choose_field(card, name: str, text: str) -> None:
    """A choice in a card, as its drop-down gives it."""
    box = card.fields[name].widget
    box.setCurrentText(text)
    box.textActivated.emit(text)
