"""What the accelerometer passes through on its way to the estimators of a project."""

from fusus.core.control.elements import (
    LowPass,
)
from fusus.project.records import Loops


def acc_filters_of(loops: Loops) -> tuple[LowPass, ...]:
    """Return what the accelerometer passes through on its way to the estimator."""
    return () if loops.acc_lowpass_hz is None else (LowPass("accelerometer low-pass", loops.acc_lowpass_hz, 2),)
