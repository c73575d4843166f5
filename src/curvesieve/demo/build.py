"""The demo study: five spectra as a family, one of them cleaned and fitted, and three relaxation curves, one fitted."""

from __future__ import annotations

from pathlib import Path

from curvesieve.core.fitting import search_model
from curvesieve.core.formats import read
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import Study, edits, save_study
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.demo import EXAMPLE, STUDY_NAME, awkward, faults
from curvesieve.demo.awkward import write_awkward
from curvesieve.demo.charts import FOLDER as CHARTS
from curvesieve.demo.charts import write_charts
from curvesieve.demo.diffraction import FOLDER as DIFFRACTION
from curvesieve.demo.diffraction import write_diffraction
from curvesieve.demo.faults import write_faults
from curvesieve.demo.fields import FOLDER as FIELDS
from curvesieve.demo.fields import write_fields
from curvesieve.demo.mixed import FOLDER, write_mixed
from curvesieve.demo.raman import LOADINGS, write_family
from curvesieve.demo.relaxation import FOLDER as RELAXATION
from curvesieve.demo.relaxation import HUMIDITIES, write_relaxation
from curvesieve.demo.scattering import FOLDER as SCATTERING
from curvesieve.demo.scattering import write_scattering
from curvesieve.demo.tension_files import FOLDER as TENSION
from curvesieve.demo.tension_files import write_tension


def build_study(folder: Path) -> Study:
    """Writes the demo's files into the folder and makes the study of them."""
    records = [read(path) for path in write_family(folder)]
    study = edits.add_curves(
        Study().with_document(title="marram-films"),
        [(record, Take(0, 1)) for record in records],
        "Raman by silver loading",
        labels=[f"{loading:.1f} wt%" for loading in LOADINGS],
        conditions=list(LOADINGS),
        condition=("loading", "wt%"),
    )
    curve_id = study.document.curves[EXAMPLE].id
    study = edits.add_step(curve_id, KeepRange(low=1200, high=1750), "s1")(study)
    study = edits.add_step(curve_id, Despike(), "s2")(study)
    passed = sieved_curve(study, curve_id).curve
    model = Model().with_background("line", passed)
    for place in (1338.0, 1458.0, 1602.0):
        model = model.add_peak("lorentzian", passed, place)
    study = edits.set_model(curve_id, model)(study)
    study = edits.set_fit(curve_id, fit_curve(study, curve_id))(study)
    return _with_relaxation(study, folder)


def _with_relaxation(study: Study, folder: Path) -> Study:
    """The study with the relaxation curves; one has its law, fitted from starts that were found in the data."""
    records = [read(path) for path in write_relaxation(folder / RELAXATION)]
    study = edits.add_curves(
        study,
        [(record, Take(0, 1)) for record in records],
        "Stress relaxation by humidity",
        labels=[f"{humidity:.0f} % RH" for humidity in HUMIDITIES],
        conditions=list(HUMIDITIES),
        condition=("humidity", "%"),
    )
    curve_id = study.document.curves[-1].id
    passed = sieved_curve(study, curve_id).curve
    model = Model(derived=(("kept", "offset/(offset + amplitude1 + amplitude2)"),))
    model = model.with_background("two-exponentials", passed)
    study = edits.set_model(curve_id, model.starting_at(search_model(model, passed)))(study)
    return edits.set_fit(curve_id, fit_curve(study, curve_id))(study)


def write_demo(folder: Path) -> Path:
    """Writes the demo's files and its study file into a folder; an existing study file is kept as it is."""
    path = folder / STUDY_NAME
    if not path.exists():
        write_mixed(folder / FOLDER)
        write_awkward(folder / awkward.FOLDER)
        write_faults(folder / faults.FOLDER)
        write_tension(folder / TENSION)
        write_diffraction(folder / DIFFRACTION)
        write_charts(folder / CHARTS)
        write_fields(folder / FIELDS)
        write_scattering(folder / SCATTERING)
        save_study(build_study(folder), path)
    return path
