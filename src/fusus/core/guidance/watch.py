"""What a guide looks at while samples come: quarter-second windows instead of all of them."""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.calibration.stillness import WINDOW_S, Windows, cut_windows, still_windows

Block = dict[str, dict[str, Array]]


@dataclass(slots=True)
class Watch:
    """Windows of all that has come so far. ``add`` takes whole streams' new rows as they are in a recording."""

    acc: list[Array] = field(default_factory=list)
    gyro: list[Array] = field(default_factory=list)
    acc_noise: list[float] = field(default_factory=list)
    gyro_noise: list[float] = field(default_factory=list)
    start_s: list[float] = field(default_factory=list)
    temperature_degc: list[float] = field(default_factory=list)
    mag: list[Array] = field(default_factory=list)
    pressure_pa: list[float] = field(default_factory=list)
    current_a: list[float] = field(default_factory=list)
    sticks: list[Array] = field(default_factory=list)
    fixes: int = 0
    speeds: int = 0
    second_imu: int = 0
    peak_acc: float = 0.0
    peak_gyro: float = 0.0
    rate_hz: float = 0.0
    _left: dict[str, Array] = field(default_factory=dict)

    def add(self, block: Block) -> None:
        """Take a block of new samples; what does not fill a window waits for the next."""
        if "imu" in block:
            self._imu(block["imu"])
        if "mag" in block and "mag_x_ut" in block["mag"]:
            self.mag += list(np.stack([block["mag"][f"mag_{a}_ut"] for a in "xyz"], axis=1))
        if "baro" in block and "pressure_pa" in block["baro"]:
            self.pressure_pa += block["baro"]["pressure_pa"].tolist()
        if "battery" in block and "current_a" in block["battery"]:
            self.current_a += block["battery"]["current_a"].tolist()
        if "stick" in block and "roll" in block["stick"]:
            self.sticks += list(np.stack([block["stick"][k] for k in ("roll", "pitch", "yaw")], axis=1))
        if "gnss" in block:
            self.fixes += len(block["gnss"]["t_ns"])
            self.speeds += len(block["gnss"]["t_ns"]) if "vel_n_m_s" in block["gnss"] else 0
        if "imu2" in block:
            self.second_imu += len(block["imu2"]["t_ns"])

    def _imu(self, new: dict[str, Array]) -> None:
        columns = {k: np.concatenate([self._left[k], v]) if k in self._left else v for k, v in new.items()}
        if not all(f"gyro_{a}_rad_s" in columns and f"acc_{a}_m_s2" in columns for a in "xyz"):
            return
        t = columns["t_ns"] * 1e-9
        if len(t) < 8 or t[-1] - t[0] < WINDOW_S:
            self._left = columns
            return
        gyro = np.stack([columns[f"gyro_{a}_rad_s"] for a in "xyz"], axis=1)
        acc = np.stack([columns[f"acc_{a}_m_s2"] for a in "xyz"], axis=1)
        w = cut_windows(t, gyro, acc)
        used = int(w.edges[-1])
        self._left = {k: v[used:] for k, v in columns.items()}
        self.rate_hz = 1.0 / float(np.median(np.diff(t)))
        self.peak_acc = max(self.peak_acc, float(np.abs(acc[:used]).max()))
        self.peak_gyro = max(self.peak_gyro, float(np.abs(gyro[:used]).max()))
        self.acc += list(w.acc_mean)
        self.gyro += list(w.gyro_mean)
        self.acc_noise += w.acc_noise.tolist()
        self.gyro_noise += w.gyro_noise.tolist()
        self.start_s += w.start_s.tolist()
        warm = columns.get("temperature_degc")
        for a, b in zip(w.edges[:-1], w.edges[1:], strict=True):
            self.temperature_degc.append(float(warm[int(a)]) if warm is not None and b > a else float("nan"))

    @property
    def windows(self) -> int:
        """How many windows are whole."""
        return len(self.acc)

    @property
    def seconds(self) -> float:
        """How long the windows reach."""
        return self.start_s[-1] - self.start_s[0] + WINDOW_S if self.start_s else 0.0

    def still(self) -> BoolArray:
        """Return which windows are at rest, shape (K,)."""
        if self.windows == 0:
            return np.zeros(0, dtype=bool)
        each = max(4, round(self.rate_hz * WINDOW_S))
        return still_windows(
            Windows(
                np.arange(self.windows + 1, dtype=np.int64) * each,
                np.array(self.start_s),
                np.array(self.acc),
                np.array(self.gyro),
                np.array(self.acc_noise),
                np.array(self.gyro_noise),
            )
        )
