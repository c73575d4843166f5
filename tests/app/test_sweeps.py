"""Every control of the Curve and Trace benches in real windows of their own process. The whole: ``make sweep``."""

from __future__ import annotations

import os
import random
import subprocess
import sys
from pathlib import Path

import pytest

from curvesieve.core.measures import registered_measures
from curvesieve.core.models import TERMS
from curvesieve.core.steps import registered_steps

WHOLE = os.environ.get("SWEEP") == "whole"
_SEED, _TERMS, _MEASURES = 4, 7, 7


def swept(*what: str, module: str = "sweeps") -> int:
    """Runs a sweep; the number of its gestures. A crash, a wrong number or a caught defect fails, with the words."""
    command = [sys.executable, "-m", f"tests.app.{module}", *what]
    done = subprocess.run(
        command, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=900, check=False
    )
    assert done.returncode == 0, f"{done.returncode}\n{done.stdout[-3000:]}\n{done.stderr[-6000:]}"
    assert "Warning" not in done.stderr, done.stderr[-3000:]
    return int(done.stdout.rsplit("gestures ", 1)[1])


def _chosen(names: list[str], count: int) -> list[str]:
    return names if WHOLE else sorted(random.Random(_SEED).sample(names, count))


@pytest.mark.parametrize("part", [0, 1])
def test_every_field_of_every_card(part):
    slugs = list(registered_steps())[part::2]
    assert swept("cards", *slugs) > 20 * len(slugs)


def test_every_field_of_measures():
    slugs = _chosen(list(registered_measures()), _MEASURES)
    assert swept("readings", *slugs) > 12 * len(slugs)


def test_every_cell_of_the_parameters():
    slugs = _chosen(list(TERMS), _TERMS)
    assert swept("terms", *slugs) > 20 * len(slugs)


def test_every_control_of_the_drawer():
    assert swept("pages") > 40


@pytest.mark.parametrize("seed", range(4, 14) if WHOLE else [4])
def test_every_control_of_the_trace_bench(seed):
    whole = ("250", "1") if WHOLE else ("40", "3")
    assert swept(str(seed), *whole, module="trace_sweep") > (300 if WHOLE else 120)
