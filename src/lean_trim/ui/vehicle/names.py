"""Names of files that are named after a car."""

from __future__ import annotations

import re


def file_name(name: str) -> str:
    """A file named after a car.

    Returns small letters, digits and dashes.
    """
    return re.sub(r"[^\w]+", "-", name.strip().lower()).strip("-") or "job"
