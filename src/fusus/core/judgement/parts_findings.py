"""What a prediction means, in words: the weakest source, the cheapest cure, what does not fit."""

from dataclasses import dataclass

from fusus.core.derived_requirements.check import Conflict
from fusus.core.frames.units import from_si
from fusus.core.judgement.finding import Finding
from fusus.core.prediction.improvements import Sensitivity, Swap
from fusus.core.prediction.predict import Budget, Figure
from fusus.core.requirements import Requirement

# What to do about a group of sources, and where.
CURES = {
    "magnetometer calibration": ("calibrate the magnetometer outdoors, or take one with a smaller offset", "parts"),
    "motor currents": ("move the magnetometer away from the power wires, twist them, or put it on a mast", "parts"),
    "steel": ("keep off steel, or let the filter refuse a bent field", "brief"),
    "GNSS drift": ("take a receiver with two bands or corrections", "parts"),
    "GNSS position noise": ("take a better receiver", "parts"),
    "GNSS speed noise": ("take a receiver with a better speed, or a higher fix rate", "parts"),
    "GNSS delay": ("measure the receiver's delay: some 10 ms are left in it", "parts"),
    "weather": ("add a rangefinder, or land and zero the barometer more often", "parts"),
    "barometer temperature": ("let the barometer warm up, or take one with less drift", "parts"),
    "airflow on the barometer": ("cover the barometer with open-cell foam", "parts"),
    "gyro temperature": ("let the IMU warm up before take-off, or take one with less drift", "parts"),
    "accelerometer temperature": (
        "calibrate the accelerometer at the temperature that it flies at, or take one with less drift",
        "parts",
    ),
    "accelerometer offset": ("do a six-face calibration", "parts"),
    "accelerometer scale and cross-axis": ("do a six-face calibration", "parts"),
    "vibration rectified": ("mount the IMU softly, balance the propellers", "brief"),
    "gyro scale and cross-axis": ("calibrate the gyro's scale on a turntable, or turn less", "parts"),
    "gyro g-sensitivity": ("take a gyro with less g-sensitivity", "parts"),
}


@dataclass(frozen=True, slots=True)
class SuitePrediction:
    """All that is known of a suite before it is bought."""

    figures: tuple[Figure, ...]
    budgets: tuple[Budget, ...]
    sensitivities: tuple[Sensitivity, ...] = ()
    swaps: tuple[Swap, ...] = ()
    conflicts: tuple[Conflict, ...] = ()


def told(requirement: Requirement, value: float) -> str:
    """Return a value in the unit that people read."""
    if requirement.unit == "rad":
        return f"{from_si(value, 'deg', 'angle'):.3g}°"
    return f"{value:.3g} {requirement.unit}"


def findings(suite_prediction: SuitePrediction) -> tuple[Finding, ...]:
    """Return findings on a prediction, worst first."""
    out: list[Finding] = []
    for i, f in enumerate(suite_prediction.figures):
        if f.value is None:
            out.append(Finding(
                f"{f.requirement.title} cannot be met", "stop", f"{f.requirement.title} is wanted, but {f.reason}.",
                "What is not measured drifts without bound.", "choose a part for it", "parts",
            ))  # fmt: skip
            continue
        over = f.value / f.requirement.limit
        if over > 0.8:
            out.append(_weak(suite_prediction, i, f, f.value, over))
    if not out and suite_prediction.figures:
        tightest = max(
            (f for f in suite_prediction.figures if f.value), key=lambda f: (f.value or 0) / f.requirement.limit
        )
        share = (tightest.value or 0) / tightest.requirement.limit
        out.append(Finding(
            "All requirements are in reach", "fine",
            f"The tightest is {tightest.requirement.title.lower()}: {told(tightest.requirement, tightest.value or 0)} "
            f"predicted, {share:.0%} of its limit.",
            "Predicted from datasheets; the bench will say what your parts are.", "see what a cheaper suite does", "parts",
        ))  # fmt: skip
    for c in suite_prediction.conflicts:
        out.append(Finding(
            " and ".join(c.parts), "stop", f"{c.message}.", c.reason, c.action, "parts",
        ))  # fmt: skip
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(out, key=lambda x: order[x.severity]))


def _weak(suite_prediction: SuitePrediction, index: int, f: Figure, value: float, over: float) -> Finding:
    r = f.requirement
    budget = next((b for b in suite_prediction.budgets if b.requirement == r), None)
    group, share = next(iter(budget.shares.items())) if budget else ("", 0.0)
    cure, link = CURES.get(group, ("take a better part", "parts"))
    cheapest = cheapest_cure(suite_prediction, index, r)
    if cheapest is not None and over > 1:
        new = cheapest.values[index] or 0.0
        cost = f"{cheapest.extra_price:+.1f} cr" if cheapest.extra_price else "no extra cost"
        instead = "" if cheapest.old == "none" else f" for {cheapest.old}"
        step = f"{cheapest.new.part.title}{instead} ({cost}) gives {told(r, new)}"
    else:
        step = cure
    word = "exceeds" if over > 1 else "comes near"
    return Finding(
        f"{r.title}: {group}", "stop" if over > 1 else "mind",
        f"Predicted {told(r, value)} {word} the limit of {told(r, r.limit)}; {group} makes {share:.0%} of it.",
        _gain_text(suite_prediction, index) or f"Without part changes: {cure}.", step, link,
    )  # fmt: skip


def cheapest_cure(suite_prediction: SuitePrediction, index: int, requirement: Requirement) -> Swap | None:
    """Return the cheapest single swap that brings a requirement within its limit without driving another over."""
    for swap in suite_prediction.swaps:
        value = swap.values[index]
        if value is None or value > requirement.limit:
            continue
        others = zip(swap.values, suite_prediction.figures, strict=True)
        if all(v is not None and (v <= f.requirement.limit or v <= (f.value or 0) * 1.02) for v, f in others):
            return swap
    return None


def _gain_text(suite_prediction: SuitePrediction, index: int) -> str:
    gains = sorted(((s.gains[index] or 0.0, s.change) for s in suite_prediction.sensitivities), key=lambda g: -g[0])[:2]
    kept = [f"{change} gains {gain:.0%}" for gain, change in gains if gain >= 0.01]
    text = "; ".join(kept)
    return text[:1].upper() + text[1:] + "." if text else ""
