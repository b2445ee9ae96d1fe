"""Whether a time has passed, where times are multiples of round figures and so are limits: rounding must decide nothing."""

from fusus.core._jit import kernel

# Sample times are multiples of an eighth of a millisecond at the finest (8 kHz), usually of a whole one: this is none of them.
TOLERANCE_S = 0.0003


@kernel
def reached(elapsed_s: float, limit_s: float) -> bool:
    """Return whether a limit has been reached, to within ``TOLERANCE_S``: what falls on the limit has reached it in any precision."""
    return elapsed_s > limit_s - TOLERANCE_S
