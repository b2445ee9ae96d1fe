"""Values that no sensor gives: places off the globe, zeros that stand for "no reading", attitudes that are none.

Arrays, where a function does not say otherwise (shape, unit, frame):
columns of a stream : (N,) canonical unit, source axes; lines : (N,) line numbers
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.logs.problems import Problems

LOWEST_M, HIGHEST_M = -1000.0, 50_000.0
LEAST_PRESSURE_PA = 1000.0
LENGTH_TOLERANCE = 0.02
SAME_LENGTH = 0.1
LETTERS = tuple(f"q_{a}" for a in "wxyz")
Columns = dict[str, Array]


@dataclass(slots=True)
class ImpossibleValues:
    """Empties what is impossible in one table's columns, and says where."""

    file: str
    names: dict[str, str]
    problems: Problems
    length: float | None = None
    told: set[str] = field(default_factory=set)

    def clear(self, stream: str, columns: Columns, lines: IntArray) -> None:
        """Empty impossible values in place."""
        if stream == "gnss":
            self._places(columns, lines)
        elif stream.startswith("imu"):
            self._zeros(columns, lines, ("acc",), "acc_x_m_s2", also=("gyro",))
        elif stream == "mag":
            self._zeros(columns, lines, ("mag",), "mag_x_ut")
        elif stream == "baro" and "pressure_pa" in columns:
            v = columns["pressure_pa"]
            self._empty(
                columns,
                ("pressure_pa",),
                v < LEAST_PRESSURE_PA,
                lines,
                lambda i: f"{v[i]:g} Pa is no pressure of the air",
            )
        if stream in ("reference", "board") and all(n in columns for n in LETTERS):
            self._attitudes(columns, lines)

    def _empty(
        self, columns: Columns, emptied: tuple[str, ...], bad: BoolArray, lines: IntArray, why: Callable[[int], str]
    ) -> None:
        rows = np.flatnonzero(bad)
        if not len(rows):
            return
        words = why(int(rows[0]))
        for name in emptied:
            if name in columns:
                columns[name][rows] = np.nan
        column = next((self.names[n] for n in emptied if n in self.names), None)
        self.problems.add(
            self.file, "impossible", words, "left empty", column=column, count=len(rows), lines=lines[rows[:3]].tolist()
        )

    def _places(self, columns: Columns, lines: IntArray) -> None:
        lat, lon = columns.get("lat_deg"), columns.get("lon_deg")
        whole = ("lat_deg", "lon_deg", "height_m")
        with np.errstate(invalid="ignore"):
            if lat is not None and lon is not None:
                nowhere = (lat == 0) & (lon == 0)
                self._empty(columns, whole, nowhere, lines, lambda _: "a place of 0, 0 stands for none")
                off = (np.abs(lat) > 90) | (lon < -180) | (lon > 360)
                self._empty(
                    columns,
                    ("lon_deg", "lat_deg", "height_m"),
                    off,
                    lines,
                    lambda i: f"{lat[i]:g}°, {lon[i]:g}° is no place on the globe",
                )
                has = {"lat_deg": np.isfinite(lat), "lon_deg": np.isfinite(lon)}
                for missing, other in (("lat_deg", "lon_deg"), ("lon_deg", "lat_deg")):
                    half = has[other] & ~has[missing]
                    emptied = (missing, other, "height_m")
                    self._empty(columns, emptied, half, lines, lambda _: "it is missing, and half a place is none")
                lon[lon > 180] -= 360.0
            height = columns.get("height_m")
            if height is not None:
                high = (height < LOWEST_M) | (height > HIGHEST_M)
                self._empty(columns, ("height_m",), high, lines, lambda i: f"{height[i]:g} m is no height of a craft")

    def _zeros(
        self, columns: Columns, lines: IntArray, kinds: tuple[str, ...], first: str, also: tuple[str, ...] = ()
    ) -> None:
        """Empty rows in which a sensor reads exactly zero on three axes: even in free fall there is noise."""
        own = [n for n in columns if n.split("_")[0] in kinds]
        if len(own) != 3 or first not in columns:
            return
        zero = np.all([columns[n] == 0 for n in own], axis=0)
        if not zero.any() or zero.all():
            return
        beside = [n for n in columns if n.split("_")[0] in also and "bias" not in n]
        both = zero & np.all([columns[n] == 0 for n in beside], axis=0) if beside else zero
        why = "exactly zero on all axes: the sensor was not read"
        self._empty(columns, (*own, *beside), both, lines, lambda _: why)
        self._empty(columns, tuple(own), zero & ~both, lines, lambda _: why)

    def _attitudes(self, columns: Columns, lines: IntArray) -> None:
        q = np.stack([columns[n] for n in LETTERS])
        size = np.sqrt(np.sum(q**2, axis=0))
        known = size[np.isfinite(size) & (size > 0)]
        if self.length is None and len(known):
            self.length = float(np.median(known))
        usual = self.length if self.length is not None else 1.0
        with np.errstate(invalid="ignore"):
            bad = np.abs(size / usual - 1) > SAME_LENGTH
        self._empty(columns, LETTERS, bad, lines, lambda i: f"four numbers of length {size[i]:.3g} are no attitude")
        if abs(usual - 1) > LENGTH_TOLERANCE and "length" not in self.told and len(lines):
            self.told.add("length")
            self.problems.add(
                self.file, "impossible", f"its length is {usual:.4g}, and an attitude's is 1",
                "divided by its length; check that these columns are an attitude", column=self.names.get("q_w"), line=int(lines[0]),
            )  # fmt: skip
