"""``python -m lean_trim``."""

import sys

from lean_trim.cli.main import main

sys.exit(main())
