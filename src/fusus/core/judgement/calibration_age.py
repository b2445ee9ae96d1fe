"""When a calibration is due: the schools of practice, and the check that decides by measurement."""

from dataclasses import dataclass
from typing import Literal

School = Literal["check", "each-flight", "on-signs", "distance-and-age"]
SCHOOL_WORDS: dict[School, str] = {
    "check": "a 20 s check decides",
    "each-flight": "before each flight",
    "on-signs": "on signs only",
    "distance-and-age": "after 50 km or 30 days",
}
FAR_M, OLD_DAYS, WARMER_K, CHECK_DAYS = 50_000.0, 30.0, 12.0, 7.0
# Which events put which calibrations in doubt.
DOUBTS: dict[str, tuple[str, ...]] = {
    "knock": ("gyro-bias", "six-face", "level", "magnetometer", "mounting"),
    "new firmware": ("gyro-bias", "six-face", "magnetometer", "mounting", "thermal", "lever-arm", "sticks"),
    "moved": ("mounting", "level", "magnetometer", "lever-arm"),
    "transport": ("magnetometer", "level"),
    "new wiring": ("magnetometer", "motor-current"),
    "repair": ("level", "mounting", "magnetometer", "motor-current", "vibration"),
}
RISKS = {
    "gyro-bias": "a bias of 0.1 °/s turns the heading by 6° a minute and leans a slow filter",
    "six-face": "20 mg lean the craft by 1.1°: it drifts off in self-level",
    "level": "it drifts off the spot in self-level, as if by wind",
    "magnetometer": "heading off by tens of degrees: position hold circles or flies away",
    "mounting": "it leans the wrong way when you push the stick",
    "thermal": "the bias moves while it warms up or cools in the air",
    "motor-current": "the heading turns with the throttle",
    "lever-arm": "every turn looks like a move",
    "gnss-scatter": "none at once; the filter trusts fixes too much or too little",
    "sticks": "an off-centre stick looks like drift",
    "two-imu": "a vote between IMUs that disagree",
    "airflow": "height jumps with wind and throttle",
    "vibration": "the accelerometer leans under vibration",
}


@dataclass(frozen=True, slots=True)
class CalibrationAge:
    """What is known of a stored calibration: age in days, distance in m from its place, kelvin from its temperature, events
    since (oldest first), flights since, and what the latest check after all of them said (None: no check)."""

    kind: str
    age_days: float
    distance_m: float | None
    warmer_k: float | None
    events: tuple[str, ...]
    flights: int
    check_holds: bool | None
    check_age_days: float | None
    check_statement: str = ""


@dataclass(frozen=True, slots=True)
class Due:
    """Whether a calibration is due by a school, why, and what it would risk to skip it.

    ``is_checked``: a check after all that has happened says that it still holds.
    """

    kind: str
    is_due: bool
    why: str
    risk: str
    next_step: str
    is_checked: bool = False


def due(s: CalibrationAge, school: School) -> Due:
    """Return what a school says of a calibration."""
    reasons, asks = _reasons(s, school)
    step = {"check": "Do the 20 s check.", "calibrate": "Calibrate it again."}[asks]
    why = "; ".join(reasons) if reasons else _fine(s, school)
    return Due(s.kind, bool(reasons), why, RISKS.get(s.kind, ""), step if reasons else "", s.check_holds is True)


def _reasons(s: CalibrationAge, school: School) -> tuple[list[str], Literal["check", "calibrate"]]:
    doubts = [e for e in s.events if s.kind in DOUBTS.get(e, ())]
    if school == "each-flight":
        return ([f"{s.flights} flight{'s' if s.flights > 1 else ''} since"] if s.flights else []), "calibrate"
    if school == "on-signs":
        out = [f"{e} since" for e in doubts]
        if s.check_holds is False:
            out.append(f"the check says: {s.check_statement}")
        return out, "calibrate"
    if school == "distance-and-age":
        out = []
        if s.kind in ("magnetometer", "level", "gyro-bias", "six-face") and s.age_days > OLD_DAYS:
            out.append(f"{s.age_days:.0f} days old")
        if s.kind == "magnetometer" and s.distance_m is not None and s.distance_m > FAR_M:
            out.append(f"{s.distance_m / 1000:.0f} km from its place")
        return out, "calibrate"
    if s.check_holds is False:
        return [f"the check says: {s.check_statement}"], "calibrate"
    if s.check_holds and s.check_age_days is not None and s.check_age_days <= CHECK_DAYS:
        return [], "check"
    if s.kind not in ("gyro-bias", "six-face", "magnetometer"):
        return [f"{e} since" for e in doubts], "calibrate"
    out = [f"{e} since" for e in doubts]
    if s.age_days > CHECK_DAYS:
        out.append(f"{s.age_days:.0f} days old")
    if s.distance_m is not None and s.distance_m > FAR_M and s.kind == "magnetometer":
        out.append(f"{s.distance_m / 1000:.0f} km from its place")
    if s.warmer_k is not None and abs(s.warmer_k) > WARMER_K and s.kind in ("gyro-bias", "six-face"):
        out.append(f"{s.warmer_k:+.0f} K from its temperature")
    return out, "check"


def _fine(s: CalibrationAge, school: School) -> str:
    if school == "check" and s.check_holds:
        return f"checked {s.check_age_days or 0:.0f} days ago: {s.check_statement}"
    return {"check": "nothing has happened since", "each-flight": "no flight since", "on-signs": "no sign against it",
            "distance-and-age": f"{s.age_days:.0f} days old"}[school]  # fmt: skip
