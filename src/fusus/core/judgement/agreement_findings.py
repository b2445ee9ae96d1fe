"""Whether sensors that see the same thing say the same, whichever estimator runs: one of two that part is wrong."""

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.alignment import align_to_gyro
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.frames import quaternion
from fusus.core.judgement.finding import Finding

WINDOW_S = 20.0
# Airflow lifts a barometer within a second or two; weather takes minutes.
QUICK_S, LIFTED_M = 4.0, 0.8
# Over what time the field's turn is held against the gyro's, and by how much they part before it is said.
STEP_S, PARTS_RAD = 0.25, np.radians(12.0)


def of_agreement(given: EstimatorInput) -> list[Finding]:
    """Return the findings on sensors that part from one another."""
    return [
        *receiver_disagrees(given), *barometer_disagrees(given), *turned_magnetometer(given), *field_leaps(given),
    ]  # fmt: skip


def receiver_disagrees(given: EstimatorInput) -> list[Finding]:
    """Judge whether position and speed of the receiver tell the same way: a slow drift shows in one alone."""
    g = given.aiding.gnss
    g = g[np.isfinite(g[:, 1:3]).all(axis=1) & np.isfinite(g[:, 4:6]).all(axis=1)]
    if len(g) < 50 or g[-1, 0] - g[0, 0] < 3 * WINDOW_S:
        return []
    found = _off_its_way(g[:, 0], g[:, 1:3], g[:, 4:6], WINDOW_S)
    if found is None:
        return []
    at, moved = found
    # The quiet tenth is what the receiver usually does, even where a drift fills most of the record.
    usual = float(np.quantile(moved, 0.1))
    worst = int(np.argmax(moved))
    if moved[worst] < max(3.0, 8.0 * usual):
        return []
    return [
        Finding(
            "Position and speed of the receiver disagree", "stop",
            f"Within {WINDOW_S:.0f} s round t = {at[worst] + WINDOW_S / 2:.0f} s the fixes move {moved[worst]:.1f} m "
            f"further than "
            f"their own speed says (usually {usual:.1f} m).",
            "Reflected signals drag the position along; the speed, from another measurement, does not follow.",
            "Trust the estimate's position there by that much less; keep away from walls, or take a better antenna.", "fusion.gnss",
            size=float(moved[worst]),
        )
    ]  # fmt: skip


def barometer_disagrees(given: EstimatorInput) -> list[Finding]:
    """Judge whether the barometer climbs as the receiver says: airflow on it shows in its height alone."""
    b, g = given.aiding.baro, given.aiding.gnss
    g = g[np.isfinite(g[:, 6])]
    if len(g) < 50 or len(b) < 50:
        return []
    t = b[(b[:, 0] >= g[0, 0]) & (b[:, 0] <= g[-1, 0]), 0]
    after = np.clip(np.searchsorted(g[:, 0], t), 1, len(g) - 1)
    t = t[g[after, 0] - g[after - 1, 0] < 1.0]  # in an outage nobody says how it climbs
    up, climb = np.interp(t, b[:, 0], b[:, 1]), np.interp(t, g[:, 0], -g[:, 6])
    found = _off_its_way(t, up[:, None], climb[:, None], QUICK_S)
    if found is None:
        return []
    at, moved = found
    usual = float(np.median(moved))
    worst = int(np.argmax(moved))
    if moved[worst] < max(LIFTED_M, 6.0 * usual):
        return []
    return [
        Finding(
            "Barometer and receiver climb apart", "mind",
            f"Within {QUICK_S:.0f} s round t = {at[worst] + QUICK_S / 2:.0f} s the barometric height moves {moved[worst]:.1f} m otherwise "
            f"than the receiver's climb says (usually {usual:.1f} m).",
            "Airflow from propellers or speed, light, or warm air at the hole.",
            "Cover it with open-cell foam, never with glue; let the filter weigh it less when fast.", "fusion.baro_airflow",
            size=float(moved[worst]),
        )
    ]  # fmt: skip


def _off_its_way(t: Array, place: Array, speed: Array, window_s: float) -> tuple[Array, Array] | None:
    """Return times (K,) and by how much places (N, m) move otherwise than their speed says over the window from there (K,).

    Seconds are averaged first. Across a silence the way is not known; None where no stretch is long enough.
    """
    out = []
    for rows in np.split(np.arange(len(t)), np.flatnonzero(np.diff(t) > 2.0) + 1):
        if len(rows) < 10 or t[rows[-1]] - t[rows[0]] < window_s + 5.0:
            continue
        step_s = np.diff(t[rows])
        steps = 0.5 * (speed[rows[1:]] + speed[rows[:-1]]) * step_s[:, None]
        off = place[rows] - np.concatenate([np.zeros((1, place.shape[1])), np.cumsum(steps, axis=0)])
        second = max(1, round(1.0 / max(float(np.median(step_s)), 1e-3)))
        smooth = np.stack([np.convolve(c, np.ones(second) / second, "valid") for c in off.T], axis=1)
        at = t[rows][second - 1 :]
        later = np.searchsorted(at, at + window_s)
        inside = later < len(at)
        out.append((at[inside], np.linalg.norm(smooth[later[inside]] - smooth[inside], axis=1)))
    if not out:
        return None
    return np.concatenate([a for a, _ in out]), np.concatenate([m for _, m in out])


def turned_magnetometer(given: EstimatorInput) -> list[Finding]:
    """Judge whether gyro and magnetometer turn alike: if not, one of them is mounted otherwise than taken for."""
    m = given.aiding.mag
    if len(m) < 200:
        return []
    found = align_to_gyro(m[:, 0], m[:, 1:4], given.t_s, given.samples.gyro_b)
    if found is None or not found.is_clear:
        return []
    angles, sigma = np.degrees(found.vector), float(np.degrees(np.linalg.norm(found.sigma)))
    size = float(np.linalg.norm(angles))
    if size < max(6.0, 4 * sigma):
        return []
    axis = int(np.argmax(np.abs(angles)))
    return [
        Finding(
            "Gyro and magnetometer are turned against each other", "stop",
            f"Turns of both fit best with the magnetometer turned by {size:.0f}° ± {max(1.0, sigma):.0f}°, mostly about "
            f"{'xyz'[axis]} ({angles[axis]:+.0f}°).",
            "One of the two is mounted otherwise than its rotation in the project says.",
            "Show the mounting by three hand motions on the bench.", "bench.mounting",
        )
    ]  # fmt: skip


def field_leaps(given: EstimatorInput) -> list[Finding]:
    """Judge whether the field turns when the craft does not: something magnetic came near, or a current was switched."""
    m = given.aiding.mag
    if len(m) < 50:
        return []
    found = _turns_apart(m[:, 0], m[:, 1:4], given.t_s, given.samples.gyro_b)
    if found is None:
        return []
    at, apart, turned = found
    # What a turned sensor or a turn within the step makes of it grows with the turn.
    limit = max(PARTS_RAD, 8.0 * float(np.median(apart))) + 1.5 * turned
    over = np.flatnonzero(apart > limit)
    if not len(over):
        return []
    worst = int(over[np.argmax(apart[over])])
    return [
        Finding(
            "Field turns when the craft does not", "mind",
            f"Round t = {at[worst]:.0f} s it turns {np.degrees(apart[worst]):.0f}° in {STEP_S:.2f} s otherwise than the gyro says; "
            f"{len(over)} such steps.",
            "Steel or a magnet near by, a current switched, or a gyro that stands still.",
            "Keep wires with current away from the sensor; let the heading rest on the gyro there.", "fusion.magnetometer",
            size=float(np.degrees(apart[over].sum())),
        )
    ]  # fmt: skip


def _turns_apart(mag_t_s: Array, field: Array, t_s: Array, gyro: Array) -> tuple[Array, Array, Array] | None:
    """Return, per step, its time s, the angle between the field and where the gyro turned the one before, and the turn, rad (K,)."""
    grid = np.arange(max(mag_t_s[0], t_s[0]), min(mag_t_s[-1], t_s[-1]), STEP_S)
    if len(grid) < 20:
        return None
    # A gap in either would be bridged by a straight line.
    near = [
        np.minimum(np.abs(grid - t[np.clip(np.searchsorted(t, grid), 0, len(t) - 1)]),
                   np.abs(grid - t[np.clip(np.searchsorted(t, grid) - 1, 0, len(t) - 1)]))
        for t in (mag_t_s, t_s)
    ]  # fmt: skip
    holds = (near[0] < 0.5 * STEP_S) & (near[1] < 0.5 * STEP_S)
    gaps = np.interp(grid, t_s[1:], np.cumsum(np.diff(t_s) > 0.1))
    at = np.stack([np.interp(grid, mag_t_s, field[:, i]) for i in range(3)], axis=1)
    at /= np.maximum(np.linalg.norm(at, axis=1, keepdims=True), 1e-9)
    angle = np.concatenate([np.zeros((1, 3)), np.cumsum(0.5 * (gyro[1:] + gyro[:-1]) * np.diff(t_s)[:, None], axis=0)])
    turns = np.diff(np.stack([np.interp(grid, t_s, angle[:, i]) for i in range(3)], axis=1), axis=0)
    expected = quaternion.rotate(quaternion.from_rotation_vector(-turns), at[:-1])
    apart = np.arccos(np.clip((expected * at[1:]).sum(axis=1), -1.0, 1.0))
    good = holds[:-1] & holds[1:] & (np.diff(gaps) == 0) & np.isfinite(apart)
    if not good.any():
        return None
    return grid[1:][good], apart[good], np.linalg.norm(turns, axis=1)[good]
