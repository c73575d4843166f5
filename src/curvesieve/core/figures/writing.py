"""A figure on its way out: PNG, TIFF, SVG and PDF, and a script that draws it again with Matplotlib alone."""

from __future__ import annotations

import io
from importlib.resources import files
from pathlib import Path

from curvesieve.core.errors import InputError
from curvesieve.core.figures.content import shown
from curvesieve.core.figures.draw import STRETCHES, VECTOR_POINTS, Page, drawn, painted
from curvesieve.core.figures.pen import source
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.study.study import Study

SUFFIXES = {".png": "PNG", ".tiff": "TIFF", ".svg": "SVG", ".pdf": "PDF"}
DPI = (72, 1200)
_NOTHING: dict[str, dict[str, str | None]] = {
    ".svg": {"Date": None}, ".pdf": {"CreationDate": None, "Producer": None, "Creator": "Curve Sieve"},
    ".png": {"Software": "Curve Sieve"},
}  # fmt: skip
"""What files say of themselves: nothing that differs from one time to the next."""


def page_of(study: Study, spec: FigureSpec, suffix: str = ".png") -> Page:
    """The page of a figure as the study stands, to be looked at or written as one of `SUFFIXES`."""
    panels = shown(study, spec)
    count = sum(line.x.size for panel in panels for line in panel.lines)
    lines = max(sum(len(panel.lines) for panel in panels), 1)
    vector = suffix in (".svg", ".pdf") and count > VECTOR_POINTS
    return drawn(spec, panels, max(min(STRETCHES, VECTOR_POINTS // (2 * lines)), 50) if vector else STRETCHES)


def written(study: Study, spec: FigureSpec, suffix: str, dpi: int = 600, words_as_paths: bool = False) -> bytes:
    """A figure as the content of a file of one of `SUFFIXES`, at its size in mm.

    Raises InputError as `checked` does.
    """
    suffix = checked(suffix, dpi)
    return save(page_of(study, spec, suffix), suffix, dpi, words_as_paths)


def checked(suffix: str, dpi: int) -> str:
    """The suffix of `SUFFIXES` that is meant.

    Raises InputError for another one, and for dots that nobody could print or look at.
    """
    meant = ".tiff" if suffix.lower() == ".tif" else suffix.lower()
    if meant not in SUFFIXES:
        raise InputError(f"A figure is written as {', '.join(SUFFIXES)}, not as {suffix or 'a file without a suffix'}.")
    if not DPI[0] <= dpi <= DPI[1]:
        raise InputError(f"Between {DPI[0]} and {DPI[1]} dots per inch can be written, not {dpi}.")
    return meant


def save(page: Page, suffix: str, dpi: int = 600, words_as_paths: bool = False) -> bytes:
    """A drawn page as the content of a file of one of `SUFFIXES`; SVG has its words as text, or as paths."""
    buffer = io.BytesIO()
    more = {"pil_kwargs": {"compression": "tiff_lzw"}} if suffix == ".tiff" else {"metadata": _NOTHING[suffix]}
    page.settings |= {"svg.fonttype": "path" if words_as_paths else "none", "pdf.fonttype": 42,
                      "svg.hashsalt": "curve sieve"}  # fmt: skip
    painted(page, lambda: page.figure.savefig(buffer, format=suffix[1:], dpi=dpi, **more))
    return buffer.getvalue()


def script_of(page: Page, name: str, data: str, out: str, dpi: int = 300) -> str:
    """A script that draws the page again from the file `data` (see `data.data_csv`) with Matplotlib alone.

    It writes to `out`, or to the file that it is given as its argument. Fonts lying beside it are used.
    """
    size = page.figure.get_size_inches().tolist()
    aids = files(__package__).joinpath("aids.py").read_text("utf-8").split('"""', 2)[2]
    return _SCRIPT.format(
        title=name.replace('"', "'").replace("\\", ""),
        aids=aids.replace("from __future__ import annotations\n", "").strip(),
        settings="\n".join(f"    {key!r}: {value!r}," for key, value in page.settings.items()),
        data=data, out=out, dpi=dpi, size=tuple(size), calls=source(page.pen.calls),
    )  # fmt: skip


_SCRIPT = '''"""Draws “{title}” again with Matplotlib from the data beside it.

Fonts (*.ttf) that lie beside it are used.
"""

from __future__ import annotations

import csv
import sys
from pathlib import Path

import matplotlib
from matplotlib import font_manager, ticker
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

{aids}


HERE = Path(__file__).parent
for font in sorted(HERE.glob("*.ttf")):
    font_manager.fontManager.addfont(str(font))
matplotlib.rcParams.update({{
{settings}
}})

with open(HERE / {data!r}, encoding="utf-8", newline="") as file:
    names, *rows = csv.reader(file)
d = {{name: np.array([float(row[k]) for row in rows if row[k]]) for k, name in enumerate(names)}}

fig = Figure(figsize={size!r}, dpi=100)
FigureCanvasAgg(fig)
{calls}

fig.savefig(sys.argv[1] if len(sys.argv) > 1 else HERE / {out!r}, dpi={dpi!r})
'''


def beside(page: Page, name: str, path: Path, dpi: int, script: bool) -> dict[Path, bytes]:
    """What goes with a figure's file: its data at this path, and beside it the script that draws it from there.

    Raises InputError where a file of another kind would be lost.
    """
    made = {path: page.columns.csv().encode()}
    if script:
        text = script_of(page, name, path.name, f"{path.stem} redrawn.png", min(dpi, 300))
        made[path.with_suffix(".py")] = text.encode()
    for one, begins in ((path, ("panel ", '"panel ')), (path.with_suffix(".py"), ('"""Draws “',))):
        if one in made and not _is_ours(one, begins):
            raise InputError(
                f"{one.name} is there already and is no file of a figure; move it, or choose another name."
            )
    return made


def _is_ours(path: Path, begins: tuple[str, ...]) -> bool:
    """Whether a place is free, or holds what was written here before."""
    try:
        with path.open("rb") as file:
            first = file.read(64)
    except OSError:
        return not path.exists()  # that it cannot be written is told by writing
    return not first or first.decode("utf-8", "replace").startswith(begins)
