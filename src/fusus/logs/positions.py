"""What unnamed columns are, by what their values can be."""

import numpy as np

from fusus.core.arrays import Array
from fusus.logs import values as by_value
from fusus.logs.headers import Meaning


def name_unit_quaternion(names: tuple[str, ...], numbers: dict[int, Array], meanings: dict[int, Meaning]) -> None:
    """Name four neighbouring columns W, X, Y, Z, or with no meaning at all, whose squares add up to one."""
    free = [i for i in numbers if i not in meanings]
    for start in range(len(free) - 3):
        group = free[start : start + 4]
        if group[3] - group[0] != 3:
            continue
        if _is_unit([numbers[i] for i in group]):
            letters = [names[i].strip().lower()[:1] for i in group]
            order = letters if sorted(letters) == ["w", "x", "y", "z"] else list("wxyz")
            for i, letter in zip(group, order, strict=True):
                meanings[i] = Meaning(f"reference.q_{letter}", "1")
            return


def _is_unit(columns: list[Array]) -> bool:
    size = np.sqrt(np.sum(np.stack(columns) ** 2, axis=0))
    size = size[np.isfinite(size)]
    return len(size) > 3 and bool(np.abs(size - 1).max() < 0.02)


def by_position(numbers: dict[int, Array]) -> dict[int, Meaning]:
    """Name the columns of a table without a header by what their values can be."""
    out: dict[int, Meaning] = {}
    free = sorted(numbers)
    position = 0
    gyro_free = True
    while position + 3 <= len(free):
        triple = free[position : position + 3]
        xyz = np.stack([numbers[i] for i in triple], axis=1)
        if position + 4 <= len(free) and _is_unit([numbers[i] for i in free[position : position + 4]]):
            for i, letter in zip(free[position : position + 4], "wxyz", strict=True):
                out[i] = Meaning(f"reference.q_{letter}", "1")
            position += 4
            continue
        xyz = xyz[np.isfinite(xyz).all(axis=1)]
        if len(xyz) < 3 or by_value.looks_like_counts(list(xyz.T)):
            position += 1  # counts without a name may be anything
            continue
        size = np.linalg.norm(xyz, axis=1)
        low, middle, high = np.percentile(size, [25, 50, 75])
        steady = float(high - low) < 0.35 * float(middle)
        has_acc = any(m.target.startswith("imu.acc") for m in out.values())
        if steady and not has_acc and by_value.acceleration_unit(xyz):
            kind, unit = "acc", "m_s2"
        elif gyro_free and np.abs(xyz).max() < 4500 and not (steady and has_acc and by_value.field_unit(xyz)):
            kind, unit, gyro_free = "gyro", "rad_s", False
        elif steady and by_value.field_unit(xyz):
            kind, unit = "mag", "ut"
        else:
            position += 1
            continue
        stream = "mag" if kind == "mag" else "imu"
        for i, axis in zip(triple, "xyz", strict=True):
            out[i] = Meaning(f"{stream}.{kind}_{axis}_{unit}", None)
        position += 3
    if not any(m.target.startswith("imu.acc") for m in out.values()):
        # Nothing else tells rates from any other three numbers.
        out = {i: m for i, m in out.items() if not m.target.startswith("imu.gyro")}
    return out
