"""What a flight asks for and its sensors or its estimator cannot give: then it fails, and the reason is told beside what happened."""

import math
from collections.abc import Mapping, Sequence

import numpy as np

from fusus.core.judgement.finding import Finding
from fusus.core.simulation.flight.figures import Figures
from fusus.core.simulation.flight.fly import Flown
from fusus.core.simulation.kinds import AT_ANY_HEIGHT, BY_STICKS
from fusus.study.flying.open_loop import USUAL

# Common practice: a craft that wanders no further than this held its place, or its height, whatever it knew of it.
CARRIED_M, SANK_M = 2.0, 1.5


def lacking_findings(
    scenario: str, found: Sequence[Figures], first: Flown, sensors: Mapping[str, str | None]
) -> list[Finding]:
    """Return what the flights lacked: place, height or heading, or that nothing is chosen yet."""
    suite, navigates = first.setting.suite, first.controller.estimator == "navigation-ekf"
    out = []
    if USUAL in sensors.values():
        out.append(
            Finding(
                "No parts are chosen", "mind", "Usual sensors, invented, fly instead: these are not the errors of your parts.",
                "Only chosen sensors count.", "Choose an IMU and what the modes need in Parts.", "parts.imu",
            )
        )  # fmt: skip
    air = [f for f in found if f.air_s > 0]
    if not air:
        return out
    in_place, in_height = scenario not in BY_STICKS, scenario not in AT_ANY_HEIGHT
    if in_place and (suite.gnss is None or not navigates):
        out += _place(air, first, suite.gnss is None)
    if in_height and suite.baro is None and (suite.gnss is None or not navigates):
        out += _height(air, first)
    if in_place and suite.mag is None and suite.gnss is not None and navigates:
        off = [f.rmse["heading"] for f in air if math.isfinite(f.rmse.get("heading", math.nan))]
        worst = f"{math.degrees(max(off)):.0f}°" if off else "an unknown angle"
        out.append(
            Finding(
                "Its heading comes from motion alone", "stop" if any(f.end == "crashed" for f in air) else "mind",
                f"No magnetometer is chosen: the heading is off by up to {worst} (RMS).",
                "Until it has moved, it does not know where north is; in a calm hover it forgets.",
                "Choose a magnetometer, or fly a few metres to and fro before it holds its place.", "parts.magnetometer",
            )
        )  # fmt: skip
    return out


def _place(found: Sequence[Figures], first: Flown, has_no_receiver: bool) -> list[Finding]:
    away = [max(f.held_max_m, f.lost_m) if f.lost_s > 0 else f.held_max_m for f in found]
    away = [a for a in away if math.isfinite(a)]
    if not away or max(away) <= CARRIED_M:
        return []
    why, step, where = (
        ("No receiver is chosen: nothing measures where it is.", "Choose a receiver, or fly modes that hold no place.", "parts.receiver")
        if has_no_receiver
        else (
            f"{first.controller.estimator} gives no position: nothing holds it against the wind.", "Fly it on the navigation EKF.",
            "fusion.estimators",
        )
    )  # fmt: skip
    return [
        Finding(
            "It cannot hold its place", "stop",
            f"It goes up to {np.median(away):.0f} m away (of {len(away)} flights at most {max(away):.0f} m), in a wind of "
            f"{first.setting.wind_m_s:.0f} m/s with gusts.", why, step, where,
        )
    ]  # fmt: skip


def _height(found: Sequence[Figures], first: Flown) -> list[Finding]:
    off = [f.height_max_m for f in found if math.isfinite(f.height_max_m)]
    if not off or max(off) <= SANK_M:
        return []
    return [
        Finding(
            "It cannot hold its height", "stop", f"Its height is off by up to {np.median(off):.1f} m (at most {max(off):.1f} m).",
            "No barometer is chosen, and nothing else that flies measures the height.",
            "Choose a barometer, or fly on the navigation EKF with a receiver.", "parts.barometer",
        )
    ]  # fmt: skip
