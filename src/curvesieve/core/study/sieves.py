"""Sieves saved by name: one open JSON file each, to be applied to other curves and by other people."""

from __future__ import annotations

import json
import re
from pathlib import Path

from curvesieve.core.errors import InputError
from curvesieve.core.steps import Sieve
from curvesieve.core.study.files import write_text

SUFFIX = ".sieve.json"


def save_sieve(sieve: Sieve, path: Path) -> None:
    """Writes a sieve as JSON; raises InputError with the reason."""
    write_text(path, json.dumps(sieve.to_json(), indent=1, ensure_ascii=False) + "\n")


def save_by_name(sieve: Sieve, name: str, folder: Path) -> Path:
    """Writes a sieve under a name into the user's folder; raises InputError for a name without a letter."""
    slug = re.sub(r"[^\w-]+", "-", name).strip("-")
    if not slug:
        raise InputError("A sieve needs a name with a letter or a number in it.")
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{slug}{SUFFIX}"
    save_sieve(sieve, path)
    return path


def saved_sieves(folder: Path) -> dict[str, Path]:
    """The sieves saved in a folder, by name."""
    return {path.name.removesuffix(SUFFIX): path for path in sorted(folder.glob(f"*{SUFFIX}"))}
