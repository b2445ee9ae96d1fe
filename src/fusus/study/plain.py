"""Figures as JSON holds them."""

import math
from typing import Any

import numpy as np


def plain(value: Any) -> Any:
    """Return a figure that JSON can hold: rounded to 9 digits, None for what is no number."""
    if isinstance(value, (float, np.floating)):
        return float(f"{value:.9g}") if math.isfinite(value) else None
    if isinstance(value, np.integer):
        return int(value)
    if isinstance(value, np.ndarray):
        return [plain(v) for v in value]
    if isinstance(value, dict):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(v) for v in value]
    return value


def plain_object(value: dict[str, Any]) -> dict[str, Any]:
    """Return a JSON object of plain figures."""
    return {k: plain(v) for k, v in value.items()}
