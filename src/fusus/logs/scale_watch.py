"""Watches whether a sensor's typical size changes by a factor on the way, as where a log goes on in another unit.

Arrays, where a function does not say otherwise (shape, unit, frame):
columns of a stream : (N,) canonical unit, b; lines : (N,) line numbers
"""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, IntArray

CHUNK = 400
# Gravity, the earth's field and the air's pressure change by less over so many samples, whatever the craft does.
FACTOR = 4.0
IN_A_ROW = 2
WATCHED = {
    "acc": ("acc_x_m_s2", "acc_y_m_s2", "acc_z_m_s2"), "mag": ("mag_x_ut", "mag_y_ut", "mag_z_ut"), "pressure": ("pressure_pa",),
}  # fmt: skip


@dataclass(slots=True)
class ScaleWatch:
    """What a stream's sizes were so far: the first typical one, how many in a row differ, and where that began."""

    usual: dict[str, float] = field(default_factory=dict)
    odd: dict[str, int] = field(default_factory=dict)
    began: dict[str, int] = field(default_factory=dict)
    told: set[str] = field(default_factory=set)

    def look(self, columns: dict[str, Array], lines: IntArray) -> list[tuple[str, int, float]]:
        """Return the first column, line and factor of each sensor whose size has changed for good within these rows."""
        out = []
        for kind, names in WATCHED.items():
            if kind in self.told or any(n not in columns for n in names):
                continue
            size = (
                np.sqrt(np.sum([columns[n] ** 2 for n in names], axis=0))
                if len(names) > 1
                else np.abs(columns[names[0]])
            )
            for start in range(0, len(size) - CHUNK + 1, CHUNK):
                part = size[start : start + CHUNK]
                part = part[np.isfinite(part)]
                middle = float(np.median(part)) if len(part) > CHUNK // 2 else 0.0
                if not middle > 0:
                    continue
                ratio = middle / self.usual.setdefault(kind, middle)
                if 1 / FACTOR < ratio < FACTOR:
                    self.odd[kind] = 0
                    continue
                self.odd[kind] = self.odd.get(kind, 0) + 1
                if self.odd[kind] == 1:
                    self.began[kind] = int(lines[start])
                if self.odd[kind] == IN_A_ROW:
                    self.told.add(kind)
                    out.append((names[0], self.began[kind], ratio))
                    break
        return out
