"""``python -m lean_trim``."""

import sys

from .cli import main

sys.exit(main())
