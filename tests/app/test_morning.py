"""A whole morning: sixty files in, cleaned, fitted, the program killed, everything recovered, finished, saved."""

from __future__ import annotations

import os
import subprocess
import sys

from tests.app.morning import write_files


def test_a_whole_morning(tmp_path):
    write_files(tmp_path / "files")
    environment = os.environ | {"XDG_STATE_HOME": str(tmp_path / "state"), "XDG_DATA_HOME": str(tmp_path / "data")}
    for part, code in (("first", -9), ("second", 0), ("third", 0)):
        command = [sys.executable, "-m", "tests.app.morning", part, str(tmp_path)]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=240)
        assert part in done.stdout.split(), done.stderr
        assert done.returncode == code, done.stderr
