"""The rooms: core runs where Qt cannot be imported, heavy libraries wait, and the public interface is as promised."""

from __future__ import annotations

import subprocess
import sys

import curvesieve as cs


def run(code: str) -> str:
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout


def test_core_and_command_line_work_without_qt():
    # PyQt6 and pyqtgraph are made impossible to import; every module of core must load, and a fit must run.
    out = run(
        "import sys; sys.modules.update({'PyQt6': None, 'pyqtgraph': None})\n"
        "import pkgutil, importlib, curvesieve.core as core\n"
        "for m in pkgutil.walk_packages(core.__path__, 'curvesieve.core.'): importlib.import_module(m.name)\n"
        "import curvesieve as cs, numpy as np\n"
        "x = np.arange(9.0)\n"
        "print(cs.fit('a*x + b', x, 3*x + 1, start={'a': 1, 'b': 0}).parameters['a'].value)\n"
    )
    assert abs(float(out) - 3) < 1e-9


def test_the_window_starts_without_heavy_libraries():
    out = run(
        "import sys, curvesieve.app.shell.main\n"
        "heavy = ('pandas', 'matplotlib', 'sympy', 'pint', 'scipy')\n"
        "print([m for m in heavy if m in sys.modules])"
    )
    assert out.strip() == "[]"


def test_public_interface():
    for name in cs.__all__:
        assert getattr(cs, name).__doc__, name
    assert not hasattr(cs, "nothing")


def test_command_line_refuses_in_one_line():
    cases = [
        ["fit", "x.csv"],
        ["read"],
        ["frobnicate", "x", "y"],
        ["fit", "gone.csv", "--model", "line", "--range", "5"],
    ]
    for words in cases:
        done = subprocess.run([sys.executable, "-m", "curvesieve", *words], capture_output=True, text=True, check=False)
        assert done.returncode == 2, words
        assert done.stderr.startswith("curvesieve: ")
        assert done.stderr.count("\n") == 1
