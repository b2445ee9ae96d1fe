"""Vibration with motors running: spectrum, lines at the rotors' harmonics, where they fold to, and what to do.

Arrays, where a function does not say otherwise (shape, unit, frame):

    signal_hz : (K,) Hz, any
    alias_hz() : (K,) Hz, any
"""

import numpy as np
from numpy.typing import ArrayLike
from scipy.signal import find_peaks, welch

from fusus.core.analysis.long_run import long_run
from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found, screen

LEAST_S = 3.0
BLOCK_S = 0.1
HARMONICS = 4
NEAR = 0.04  # of a line's frequency
LINE_OVER = 8.0  # times the median level round it
MIND_M_S2, STOP_M_S2 = 5.0, 20.0  # RMS of the accelerometer; common practice


def alias_hz(signal_hz: ArrayLike, rate_hz: float) -> Array:
    """Return where frequencies show after sampling: |f - rate · round(f / rate)|."""
    f = np.asarray(signal_hz, dtype=float)
    return np.asarray(np.abs(f - rate_hz * np.rint(f / rate_hz)))


def vibration(
    t_s: ArrayLike,
    gyro: ArrayLike,
    acc: ArrayLike,
    rotor_hz: float | None = None,
    blades: int = 2,
    planned_hz: float | None = None,
) -> Calibration:
    """Return what the frame shakes.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times, evenly spaced.
    gyro : array_like, (N, 3), rad/s, b
        Angular rate.
    acc : array_like, (N, 3), m/s^2, b
        Readings with motors running and the craft restrained.
    rotor_hz : float, optional
        Turns of the rotors a second, from motor telemetry; else the strongest line is taken for it.
    blades : int
        Of a propeller: they beat at so many times the turns.
    planned_hz : float, optional
        The rate that the controller will sample at, if another.

    Returns
    -------
    Calibration
        ``acc_rms_m_s2``, ``gyro_rms_rad_s`` (3,), the lines' frequencies and sizes, ``notch_hz`` and ``notch_q``.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(f, "accelerometer")
    if not problems and t[-1] - t[0] < LEAST_S:
        problems.append(
            (
                "fail",
                CaptureProblem("short", f"It lasts {t[-1] - t[0]:.1f} s.", "Record 10 s with the motors at hover."),
            )
        )
    if problems:
        return refused("vibration", problems)
    rate = float((len(t) - 1) / (t[-1] - t[0]))
    each = int(min(len(t), max(64, 2 ** int(np.log2(rate * 1.0)))))
    frequency, acc_power = welch(f, rate, nperseg=each, axis=0)
    _, gyro_power = welch(w, rate, nperseg=each, axis=0)
    total = acc_power.sum(axis=1)
    acc_rms, gyro_rms = (v - v.mean(axis=0) for v in (f, w))
    acc_size, gyro_size = np.sqrt((acc_rms**2).mean(axis=0)), np.sqrt((gyro_rms**2).mean(axis=0))
    lines = _lines(frequency, total)
    base = rotor_hz if rotor_hz else float(lines[0][0]) if lines else None
    named = _harmonics(base, blades, rate, lines) if base else []
    top = rate / 2
    problems += _judge(float(np.linalg.norm(acc_size)), base, blades, rate, planned_hz)
    notch = float(alias_hz(base, rate)) if base else None
    width = 2.0 * max(3.0, 0.08 * base) if base else None
    q = notch / width if notch and width else None
    words = f"The accelerometer shakes by {np.linalg.norm(acc_size):.1f} m/s², the gyro by {np.degrees(np.linalg.norm(gyro_size)):.1f} °/s"
    words += f"; the strongest line stands at {lines[0][0]:.0f} Hz. " if lines else "; no line stands out. "
    if notch and q:
        words += f"A notch at {notch:.0f} Hz with Q {q:.1f} takes the rotors' line."
    word, reason, found = judged(problems, words)
    return Calibration(
        "vibration",
        {"acc_rms_m_s2": plain(acc_size), "gyro_rms_rad_s": plain(gyro_size), "line_hz": plain(np.array([k for k, _ in lines])),
         "line_m_s2": plain(np.array([s for _, s in lines])), "rotor_hz": base, "notch_hz": notch, "notch_q": q},
        {"acc_rms_m_s2": plain(_size_error(acc_rms, rate)), "gyro_rms_rad_s": plain(_size_error(gyro_rms, rate)),
         "line_hz": [float(frequency[1])] * len(lines), "line_m_s2": None, "rotor_hz": float(frequency[1]) if base else None,
         "notch_hz": None, "notch_q": None},
        {"acc_rms_m_s2": "m/s²", "gyro_rms_rad_s": "rad/s", "line_hz": "Hz", "line_m_s2": "m/s² RMS", "rotor_hz": "Hz", "notch_hz": "Hz",
         "notch_q": "1"},
        {"acc_rms_m_s2": float(np.linalg.norm(acc_size))}, {"acc_rms_m_s2": _notched(frequency, total, notch, width)}, None, word, reason,
        found, {"frequency_hz": frequency, "acc": np.sqrt(acc_power), "gyro": np.sqrt(gyro_power), "named": named, "top_hz": top},
    )  # fmt: skip


def _size_error(shaking: Array, rate_hz: float) -> Array:
    """Return the standard error of the RMS of each column (N, K), (K,): from the mean of its square, however long it stays alike.

    Squares are averaged over short blocks first: those of a line swing at twice its frequency, which says nothing of its size.
    """
    each = max(1, min(round(BLOCK_S * rate_hz), len(shaking) // 32))
    n = len(shaking) // each
    squares = (shaking[: n * each] ** 2).reshape(n, each, -1).mean(axis=1)
    size = np.sqrt(squares.mean(axis=0))
    errors = np.sqrt([long_run(column).variance for column in squares.T])
    return np.asarray(np.where(size > 0, errors / (2.0 * np.maximum(size, 1e-300)), 0.0))


def _lines(frequency: Array, power: Array, most: int = 5) -> list[tuple[float, float]]:
    """Return the strongest lines: frequency and RMS."""
    floor = float(np.median(power[frequency > 2.0])) if (frequency > 2.0).any() else 0.0
    peaks, _ = find_peaks(power, height=LINE_OVER * max(floor, 1e-300), distance=3)
    peaks = peaks[frequency[peaks] > 3.0]
    step = float(frequency[1] - frequency[0])
    sized = []
    for i in peaks:
        near = slice(max(0, i - 2), i + 3)
        weight = np.maximum(power[near] - floor, 0.0)
        centre = float((frequency[near] * weight).sum() / max(weight.sum(), 1e-300))
        sized.append((centre, float(np.sqrt(weight.sum() * step))))
    return sorted(sized, key=lambda p: -p[1])[:most]


def _harmonics(
    base: float, blades: int, rate: float, lines: list[tuple[float, float]]
) -> list[tuple[str, float, float, bool]]:
    """Return name, true frequency, where it shows, and whether a line stands there, of the rotors' harmonics."""
    out = []
    for k in sorted({1, 2, blades, 2 * blades, HARMONICS}):
        true = k * base
        shown = float(alias_hz(true, rate))
        seen = any(abs(shown - f) < NEAR * max(shown, 20.0) for f, _ in lines)
        name = "turns" if k == 1 else "blades" if k == blades else f"{k} × turns"
        out.append((name, true, shown, seen))
    return out


def _judge(rms: float, base: float | None, blades: int, rate: float, planned: float | None) -> Found:
    out: Found = []
    if rms > STOP_M_S2:
        out.append(
            ("fail", CaptureProblem("violent", f"The accelerometer shakes by {rms:.0f} m/s² RMS.",
                                    "Balance the propellers, look for loose screws and bent shafts, mount the board softer."))
        )  # fmt: skip
    elif rms > MIND_M_S2:
        out.append(
            (
                "close",
                CaptureProblem(
                    "strong",
                    f"The accelerometer shakes by {rms:.1f} m/s² RMS.",
                    "Balance the propellers; mount the board softer.",
                ),
            )
        )
    if base:
        sampled = planned or rate
        for k in (1, blades):
            shown = float(alias_hz(k * base, sampled))
            if k * base > sampled / 2:
                out.append(
                    ("close", CaptureProblem("aliasing", f"{k * base:.0f} Hz show as {shown:.0f} Hz at {sampled:.0f} Hz.",
                                             f"Sample at {2.5 * k * base:.0f} Hz and more, or set the part's own low-pass below "
                                             f"{sampled / 2:.0f} Hz."))
                )  # fmt: skip
                break
    return out


def _notched(frequency: Array, power: Array, notch: float | None, width: float | None) -> float:
    step = float(frequency[1] - frequency[0])
    kept = power if notch is None or width is None else np.where(np.abs(frequency - notch) < width / 2, 0.0, power)
    return float(np.sqrt(kept[frequency > 0].sum() * step))
