"""Whether a reference can be one: does it cover the log, and is it written in the axes that it is read in?"""

from collections.abc import Callable

import numpy as np

from fusus.core.analysis.attitude_error import attitude_error, circular_mean, circular_spread
from fusus.core.analysis.comparison import Comparison
from fusus.core.arrays import Array
from fusus.core.frames.axes import attitude_to_ned, earth_matrix
from fusus.core.frames.quaternion import conjugate, multiply
from fusus.core.judgement.finding import Finding

OTHER_AXES = "Reference is in other axes"
LEAST_COVER = 0.5
# Another reading of the axes is believed if it leaves so small a part of the error, and the error was as large as this.
FITS, LEAST_RAD, LEAST_M = 0.3, np.radians(6.0), 1.5
LEAST_TURN_RAD, LEAST_WAY_M = np.radians(3.0), 2.0
ALIKE_RAD = np.radians(0.5)
MOST_ROWS = 4000

ATTITUDES: tuple[tuple[str, str, Callable[[Array], Array]], ...] = (
    ("east-north-up (ENU), body forward-left-up (FLU)", "enu-flu", lambda q: attitude_to_ned(q, "enu", "flu")),
    ("east-north-up (ENU), body forward-right-down (FRD)", "enu-frd", lambda q: attitude_to_ned(q, "enu", "frd")),
    ("north-west-up (NWU), body forward-left-up (FLU)", "nwu-flu", lambda q: attitude_to_ned(q, "nwu", "flu")),
    ("north-east-down (NED), body forward-left-up (FLU)", "ned-flu", lambda q: attitude_to_ned(q, "ned", "flu")),
    ("turned the other way, from navigation to body", "", conjugate),
    ("a quaternion whose last figure is the real one", "", lambda q: q[:, [3, 0, 1, 2]]),
)  # fmt: skip
PLACES: tuple[tuple[str, str, Array], ...] = (
    ("east-north-up (ENU)", "enu-flu", earth_matrix("enu")),
    ("north-west-up (NWU)", "nwu-flu", earth_matrix("nwu")),
    ("north-east-up: heights with the wrong sign", "", np.diag([1.0, 1.0, -1.0])),
    ("east-north-down: north and east exchanged", "", np.array([[0.0, 1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])),
)


def of_reference(start_s: float, end_s: float, comparison: Comparison) -> list[Finding]:
    """Return the findings on the reference of a log from ``start_s`` to ``end_s``."""
    return [*covers(start_s, end_s, comparison), *other_axes(comparison)]


def covers(start_s: float, end_s: float, c: Comparison) -> list[Finding]:
    """Judge whether the reference is shorter than the log."""
    share = float(c.t_s[-1] - c.t_s[0]) / max(end_s - start_s, 1e-9)
    if c.stretch is not None:
        # Poses and places are not meant to cover it.
        return []
    if share >= LEAST_COVER:
        return []
    return [
        Finding(
            "Reference is shorter than the log", "mind",
            f"It covers {c.t_s[-1] - c.t_s[0]:.0f} s of {end_s - start_s:.0f} s ({share:.0%}); verdicts hold for these only.",
            "What nobody measured is not judged.", "Start the reference before the log, and let it run on.", "proof.references",
        )
    ]  # fmt: skip


def other_axes(c: Comparison) -> list[Finding]:
    """Judge whether attitude or place would fit if they were read in other axes."""
    found = _attitude_axes(c) or _place_axes(c)
    if found is None:
        return []
    what, key, as_is, then, unit = found
    declare = f"Declare its axes: fusus reference --axes {key}, or Proof, Reference." if key else (
        "Write it anew with the right order and sign, and import it again."
    )  # fmt: skip
    return [
        Finding(
            OTHER_AXES, "stop",
            f"Read as {what} it fits to {then:.3g}{unit}; read as north-east-down, body forward-right-down, it is off by "
            f"{as_is:.3g}{unit}.",
            "Programs count axes otherwise: up or down, north or east first, left or right.", declare, "proof.references",
        )
    ]  # fmt: skip


def _attitude_axes(c: Comparison) -> tuple[str, str, float, float, str] | None:
    if not c.has_attitude or len(c.t_s) < 20:
        return None
    step = max(1, len(c.t_s) // MOST_ROWS)
    estimate, reference = c.estimate_q_nb[::step], c.reference_q_nb[::step]
    turned = multiply(estimate, conjugate(estimate[:1]))
    if float(2 * np.arccos(np.clip(np.abs(turned[:, 0]), 0, 1)).max()) < LEAST_TURN_RAD:
        return None  # what does not turn fits in many axes

    def off(q: Array) -> float:
        e = attitude_error(estimate, q)
        # Heading may count from anywhere: only its drift tells.
        return float(np.hypot(np.sqrt(np.mean(e.tilt**2)), circular_spread(e.heading)))

    as_is = off(reference)
    if as_is < LEAST_RAD:
        return None
    tried = [(off(make(reference)), name, key, make) for name, key, make in ATTITUDES]
    best = min(t[0] for t in tried)
    # East or west first is a turn of heading alone: of those that fit alike, the one with the estimate's own heading.
    alike = [t for t in tried if t[0] <= 1.2 * best + ALIKE_RAD]
    then, name, key, _ = min(alike, key=lambda t: abs(circular_mean(attitude_error(estimate, t[3](reference)).heading)))
    return (name, key, float(np.degrees(as_is)), float(np.degrees(then)), "°") if then < FITS * as_is else None


def _place_axes(c: Comparison) -> tuple[str, str, float, float, str] | None:
    if c.pos is None or c.reference_pos is None:
        return None
    known = np.isfinite(c.pos).all(axis=1) & np.isfinite(c.reference_pos).all(axis=1)
    if known.sum() < 20 or c.stretch is not None:
        return None
    reference, estimate = c.reference_pos[known], c.reference_pos[known] + c.pos[known]
    estimate = estimate - estimate.mean(axis=0)
    if float(np.sqrt((estimate**2).sum(axis=1).mean())) < LEAST_WAY_M:
        return None

    def off(place: Array) -> float:
        return float(np.sqrt(((place - place.mean(axis=0) - estimate) ** 2).sum(axis=1).mean()))

    as_is = off(reference)
    if as_is < LEAST_M:
        return None
    then, name, key = min((off(reference @ matrix.T), name, key) for name, key, matrix in PLACES)
    return (name, key, as_is, then, " m") if then < FITS * as_is else None
