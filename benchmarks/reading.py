"""Reading CSV, understanding included, against a bare pandas.read_csv of the same bytes; and the memory it takes."""

from __future__ import annotations

import io
import subprocess
import sys

import numpy as np

from benchmarks.timing import Row, against, at_most

_MEMORY = """
import sys
import numpy as np
def peak():
    rows = dict(line.split(":", 1) for line in open("/proc/self/status"))
    return int(rows["VmHWM"].split()[0]) * 1024
from curvesieve.core.formats import tables
from curvesieve.core.record import Source
import pandas, charset_normalizer
open("/proc/self/clear_refs", "w").write("5")  # forget the peak of the imports
before = peak()
content = open(sys.argv[1], "rb").read()
tables(Source("a.csv", content))
print(peak() - before, len(content))
"""


def _csv(rows: int, seed: int) -> bytes:
    table = np.random.default_rng(seed).normal(size=(rows, 4))
    buffer = io.StringIO()
    buffer.write("made-up data\nt (s),F (N),u (mm),T (K)\n")
    np.savetxt(buffer, table, delimiter=",", fmt="%.17g")
    return buffer.getvalue().encode()


def rows() -> list[Row]:
    import pandas as pd

    from curvesieve.core.formats import tables
    from curvesieve.core.record import Source

    large = _csv(1_000_000, 0)
    pair = against(lambda: tables(Source("a.csv", large)), lambda: pd.read_csv(io.BytesIO(large), skiprows=1), rounds=5)
    small = [_csv(2000, seed) for seed in range(200)]
    many = against(
        lambda: [tables(Source("a.csv", content)) for content in small],
        lambda: [pd.read_csv(io.BytesIO(content), skiprows=1) for content in small],
        rounds=5,
    )
    return [
        at_most("read CSV, 1,000,000 × 4, understood", "pandas.read_csv", pair, 1.6),
        at_most("read 200 CSV files of 2,000 rows, understood", "pandas.read_csv of each", many, 2.0),
        _memory(large),
    ]


def _memory(content: bytes) -> Row:
    """Peak memory of reading, as a multiple of the numbers' own size, the file not counted (in MB, not ms)."""
    import tempfile

    with tempfile.NamedTemporaryFile(suffix=".csv") as file:
        file.write(content)
        file.flush()
        said = subprocess.run([sys.executable, "-c", _MEMORY, file.name], capture_output=True, text=True, check=True)
    grown, size = map(int, said.stdout.split())
    numbers = 4 * 8 * 1_000_000
    what = "memory to read CSV, 1,000,000 × 4 (MB, beyond the file)"
    return at_most(what, "the numbers' own size (MB)", ((grown - size) / 1e6, numbers / 1e6), 3)
