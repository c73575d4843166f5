"""``python -m curvesieve`` is the command line."""

import sys

from curvesieve.cli import main

sys.exit(main())
