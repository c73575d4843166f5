"""Fonts of Matplotlib, whatever list of them the machine keeps."""

from __future__ import annotations

import json
import os
import subprocess
import sys

_LOOK = """
import logging, sys
from matplotlib import font_manager, get_cachedir
from curvesieve.core.drawing import bring_fonts
if "bring" in sys.argv:
    bring_fonts()
print(get_cachedir(), font_manager.findfont("STIXGeneral"), font_manager.findfont("STIXNonUnicode"))
"""


def test_greek_letters_are_set_when_the_list_of_fonts_was_spoilt_by_another_program(tmp_path):
    environment = os.environ | {"MPLCONFIGDIR": str(tmp_path)}

    def look(*words: str) -> str:
        run = [sys.executable, "-c", _LOOK, *words]
        return subprocess.run(run, env=environment, capture_output=True, text=True, check=True).stdout

    assert "STIXGeneral.ttf" in look()
    (kept,) = tmp_path.glob("fontlist*.json")
    fonts = json.loads(kept.read_text())
    fonts["ttflist"] = [one for one in fonts["ttflist"] if not one["name"].startswith("STIX")]
    kept.write_text(json.dumps(fonts))
    assert "STIX" not in look()
    assert look("bring").count("STIX") == 2
