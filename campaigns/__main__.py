"""``python -m campaigns NAME``."""

import sys

from campaigns.runner import main

sys.exit(main())
