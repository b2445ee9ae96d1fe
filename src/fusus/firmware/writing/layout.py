"""Which kernels a kit is made of, and what C must know of their arrays."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from fusus.core.estimation.elapsed import TOLERANCE_S
from fusus.core.estimation.navigation_ekf.history import SPACING_S
from fusus.core.estimation.navigation_ekf.states import FACTORS, MOMENTS
from fusus.firmware.translation.types import BOOL, REAL, Layout, Type

_E = "fusus.core.estimation."
PREFIXES = {
    f"{_E}attitude_math": "attitude", f"{_E}elapsed": "elapsed",
    f"{_E}complementary": "complementary", f"{_E}mahony": "mahony", f"{_E}madgwick": "madgwick",
    f"{_E}attitude_ekf": "attitude_ekf", f"{_E}altitude": "altitude", f"{_E}navigation_ekf": "navigation", f"{_E}initial": "start",
    "fusus.core.world.site": "site", "fusus.core.control.cascade": "cascade", "fusus.core.control.pid": "pid",
    "fusus.core.control.sections": "filter", "fusus.core.vehicle.motor_limits": "mixer",
    "fusus.core.vehicle.motor_command": "motor", "fusus.core.control.arming": "arming",
    "fusus.core.control.rate_loops": "cascade", "fusus.core.control.soundness": "loop",
    "fusus.core.control.failsafe": "failsafe",
}  # fmt: skip
# What only keeps figures for drawing has no place on a board.
LEFT_OUT: dict[str, tuple[str, ...]] = {"advance_all": ("motion", "key_every", "key_x", "key_p", "sample")}
_ROW = Type("array")


def moments_for(delay_s: float, sigma_s: float) -> int:
    """Return how many moments a board has to remember for late fixes: half as long again as the longest delay, a power of two."""
    wanted = (1.5 * (delay_s + 3.0 * sigma_s) + 0.1) / (SPACING_S - TOLERANCE_S)
    return int(min(max(2 ** math.ceil(math.log2(wanted)), 32), MOMENTS))


def layout_for(motors: int, sections: int, moments: int = MOMENTS) -> Layout:
    """Return the layout of a craft with so many motors, whose gyro passes through so many second-order sections; ``moments`` as
    :func:`moments_for` says."""
    inner: dict[tuple[str, str], tuple[int, ...]] = {
        ("attitude_ekf", "p"): (6,), ("attitude_ekf", "work"): (6,), ("attitude_ekf", "e"): (6,),
        ("filter", "sections"): (6,), ("filter", "memory"): (sections, 2), ("mixer", "table"): (4,), ("mixer", "out"): (motors,),
    }  # fmt: skip
    wide = {"rows": 5, "gyro": 3, "acc": 3, "gnss": 9, "baro": 2, "mag": 5, "ranges": 2}
    inner |= {("navigation", name): (n,) for name, n in wide.items()}
    inner |= {("altitude", name): (n,) for name, n in {"p": 4, "work": 4, "rows": 5, "baro": 2, "gnss": 9}.items()}
    return Layout(
        modules=PREFIXES,
        inner=inner,
        rows={("filter", "sections"): sections, ("mixer", "table"): motors},
        fields={
            ("AttitudeEkfState", "p"): (6, 6), ("AttitudeEkfState", "work"): (3, 6), ("NavigationState", "p"): (FACTORS,),
            ("NavigationState", "history"): (moments,), ("Start", "q_nb"): (4,),
            ("Start", "gyro_bias_b"): (3,),
        },
        left_out=LEFT_OUT,
        constants={"NAVIGATION_MOMENTS": moments},
        types={
            "Site": {"gravity_m_s2": REAL, "declination_rad": REAL},
            "Start": {
                "q_nb": _ROW, "gyro_bias_b": _ROW, "is_still": BOOL, "rest_s": REAL, "field_ut": REAL, "dip_rad": REAL,
                "has_heading": BOOL,
            },
        },
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Part:
    """A figure, or an array of ``size`` figures, of a C struct: how C reaches it, its kind, and where it stands in a row of all."""

    place: str
    kind: str
    size: int
    at: int


def parts_of(layout: Layout, members: list[tuple[str, Any]], without: tuple[str, ...] = ()) -> tuple[list[Part], int]:
    """Return the figures of members (how C reaches it; a struct's class, or an array's size, or 0 for a figure), and how many they are."""
    out: list[Part] = []

    def add(place: str, kind: str, size: int) -> None:
        at = out[-1].at + max(out[-1].size, 1) if out else 0
        out.append(Part(place, kind, size, at))

    def walk(place: str, cls: Any) -> None:
        for field, of in layout.field_types(cls).items():
            if f"{place}.{field}" in without:
                continue
            if of.kind == "struct":
                walk(f"{place}.{field}", of.struct)
            else:
                size = math.prod(layout.shape(cls, field)) if of.is_array else 0
                add(f"{place}.{field}", "real" if of.is_array else of.kind, size)

    for place, of in members:
        if isinstance(of, int):
            add(place, "real", of)
        else:
            walk(place, of)
    return out, (out[-1].at + max(out[-1].size, 1) if out else 0)


def figures(value: Any, without: tuple[str, ...] = ()) -> list[float]:
    """Return the figures of a named tuple one by one, in the order of :func:`parts_of`."""
    out: list[float] = []
    for name in value._fields:
        part = getattr(value, name)
        if name in without:
            continue
        if hasattr(part, "_fields"):
            out += figures(part)
        elif isinstance(part, np.record):
            out += [float(v) for field in part.dtype.names or () for v in np.ravel(part[field])]
        elif isinstance(part, np.ndarray):
            out += [float(v) for v in part.ravel()]
        else:
            out.append(float(part))
    return out
