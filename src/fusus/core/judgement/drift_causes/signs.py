"""What each cause leaves in the log: one figure, how large it is without the cause and with it, and the series that shows it.

Arrays, where a function does not say otherwise (shape, unit, frame):

    xy_b : (2,) m/s^2, b
    part : (N,) any, any
    whole : (N,) any, any
    lateral() : (2,) m/s^2, n
    leaning() : (2,) m/s^2, n
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.analysis.attitude_error import compass_heading
from fusus.core.arrays import Array
from fusus.core.frames.quaternion import rotate, to_euler
from fusus.core.judgement.drift_causes.hover import GRID_S, Hover, smoothed

WINDOW_S = 1.0
# Beyond this the direction that fixes show says nothing of the heading.
UNSURE_RAD = math.radians(30.0)
FULL_SHARE = 0.95  # and more is at its stop: nothing is left to steer with
AT_STOP = 4  # so many samples at one extreme
G = 9.80665


@dataclass(frozen=True, slots=True)
class Series:
    """Lines over one axis: (name, y (N,)), the x (N,), and what the axes show."""

    x: Array
    lines: tuple[tuple[str, Array], ...]
    x_label: str
    y_label: str


@dataclass(frozen=True, slots=True)
class Sign:
    """A figure of ``dimension`` components with its usual size without the cause (``healthy``, one sigma of a component) and with it
    (``present``), a statement with numbers, and what to plot; NaN where the log does not show it. ``bonus``: what else speaks for it,
    in units of log likelihood."""

    cause: str
    value: float
    unit: str
    healthy: float
    present: float
    dimension: int
    statement: str
    series: Series | None = None
    bonus: float = 0.0

    @property
    def log_ratio(self) -> float:
        """Log likelihood of the figure with the cause over without it: normal components of two sizes."""
        if not math.isfinite(self.value):
            return self.bonus
        a, p = self.healthy, self.present
        return float(self.dimension * math.log(a / p) + 0.5 * self.value**2 * (1.0 / a**2 - 1.0 / p**2) + self.bonus)


def unseen(cause: str, why: str) -> Sign:
    """Return the sign of a cause that the log cannot show."""
    return Sign(cause, math.nan, "", 1.0, 1.0, 1, why)


def lateral(h: Hover) -> Array:
    """Return the mean push of the hover north and east, m/s²: what it gained in speed, and what drag took; NaN without velocity."""
    g = h.given.aiding.gnss
    g = g[h.within(g[:, 0]) & np.isfinite(g[:, 4:6]).all(axis=1)]
    if len(g) < 10 or g[-1, 0] - g[0, 0] < 5.0:
        return np.full(2, np.nan)
    few = max(2, len(g) // 10)
    span = float(g[-few:, 0].mean() - g[:few, 0].mean())
    gained = (g[-few:, 4:6].mean(axis=0) - g[:few, 4:6].mean(axis=0)) / span
    return np.asarray(gained + h.drag_per_s * g[:, 4:6].mean(axis=0))


def turned(h: Hover, xy_b: Array) -> Array:
    """Return a push forward and right (2,) turned north and east by the mean heading of the hover."""
    yaw = to_euler(h.q_nb)[:, 0]
    c, s = float(np.cos(yaw).mean()), float(np.sin(yaw).mean())
    return np.array([c * xy_b[0] - s * xy_b[1], s * xy_b[0] + c * xy_b[1]])


def leaning(h: Hover) -> Array:
    """Return the push north and east, m/s², that the lean of the hover makes, as fixes show it; NaN without them."""
    down = rotate(h.true_q_nb, np.array([0.0, 0.0, 1.0]))
    return np.asarray(-h.site.gravity_m_s2 * (down[:, :2] / down[:, 2:]).mean(axis=0))


def agreement(part: Array, whole: Array) -> float:
    """Return what a push that points the right way and is of the right size speaks for its cause, -3 to 2."""
    size = float(np.linalg.norm(whole))
    if not math.isfinite(size) or size < 0.12 or not np.isfinite(part).all():
        return 0.0
    share = float(part @ whole) / size**2
    return 4.0 * min(max(share, 0.0), 0.875, max(2.0 - share, 0.0)) - 1.5


def level(h: Hover) -> Sign:
    """The board believed to be tilted when it stood: the level it was given is wrong, or the ground sloped."""
    f = h.rest_acc_b
    if not np.isfinite(f).all():
        return unseen("level", "no rest before the flight shows where the board believed level to be")
    roll, pitch = math.atan2(-f[1], -f[2]), math.atan2(f[0], math.hypot(f[1], f[2]))
    tilt = math.degrees(math.hypot(roll, pitch))
    bonus = agreement(turned(h, f[:2]), lateral(h)) if h.holds_place is not True else 0.0
    angles = np.degrees(to_euler(h.q_nb))
    t = h.t_s - h.start_s
    return Sign(
        "level", tilt, "°", 0.45, 2.2, 2,
        f"standing before the flight it believed to be tilted by {tilt:.1f}° (roll {math.degrees(roll):+.1f}°, pitch "
        f"{math.degrees(pitch):+.1f}°)",
        Series(t, (("roll", angles[:, 2]), ("pitch", angles[:, 1]), ("tilt at rest", np.full(len(t), tilt))), "s", "°"), bonus,
    )  # fmt: skip


def sticks(h: Hover) -> Sign:
    """Sticks that nobody touches do not rest in their middles."""
    c = h.controls
    rows = h.within(c.stick_s) & np.isfinite(c.sticks).all(axis=1)
    if rows.sum() < 5:
        return unseen("sticks", "no sticks are logged")
    t, s = c.stick_s[rows], c.sticks[rows]
    centre, moved = np.median(s, axis=0), float(np.percentile(np.abs(s - np.median(s, axis=0)), 90))
    size = float(np.linalg.norm(centre)) if moved < 0.1 else math.nan
    return Sign(
        "sticks", size, "", 0.008, 0.09, 2,
        f"released sticks read {centre[0]:+.1%} of roll and {centre[1]:+.1%} of pitch" if moved < 0.1 else
        "the sticks were moved: their centres do not show",
        Series(t - h.start_s, (("roll", 100 * s[:, 0]), ("pitch", 100 * s[:, 1])), "s", "% of full stick"),
    )  # fmt: skip


def gyro(h: Hover) -> Sign:
    """The gyro's bias in the hover is not what it was at rest."""
    if not np.isfinite(h.bias_moved_b).all():
        return unseen("gyro", "rest before the flight and fixes in it would show how the gyro's bias moved")
    rest, moved = np.degrees(h.rest_gyro_b), np.degrees(h.bias_moved_b)
    t = h.t_s - h.start_s
    angle = np.cumsum(np.degrees(h.gyro_b) - rest, axis=0) * GRID_S
    free = h.holds_place is not True
    return Sign(
        "gyro", float(np.linalg.norm(moved[:2])), "°/s", math.hypot(0.06, math.degrees(h.bias_sigma)), 0.6, 2,
        f"its bias in the hover is {moved[0]:+.2f}, {moved[1]:+.2f}, {moved[2]:+.2f} °/s off what it was at rest",
        Series(t, tuple((f"about {a}", angle[:, i]) for i, a in enumerate("xyz")), "s", "° turned by the gyro alone"),
        agreement(leaning(h), lateral(h)) if free else 0.0,
    )  # fmt: skip


def magnetometer(h: Hover) -> Sign:
    """The heading by the field does not fit the way in which the craft gathers speed; and the field's strength is off."""
    m, g = h.given.aiding.mag, h.given.aiding.gnss
    m = m[h.within(m[:, 0])]
    if len(m) < 20:
        return unseen("magnetometer", "no magnetometer is logged")
    expected = h.site.field.strength_ut if h.site.field is not None else math.nan
    off = float(np.median(np.linalg.norm(m[:, 1:4], axis=1))) / expected - 1.0
    strength = 0.0 if not math.isfinite(off) else Sign("", off, "", 0.05, 0.35, 1, "").log_ratio
    field = np.stack([np.interp(h.t_s, m[:, 0], m[:, 1 + i]) for i in range(3)], axis=1)
    heading = compass_heading(h.q_nb, field, h.site.declination_rad)
    found = _way_against_heading(h, heading, g)
    told = (
        f"the field is {off:+.0%} off its strength" if math.isfinite(off) else "the field's strength is not known here"
    )
    t = h.t_s - h.start_s
    series = Series(t, (("heading by the field", np.degrees(np.unwrap(heading))),), "s", "°")
    if found is None or found[1] > UNSURE_RAD:
        return Sign(
            "magnetometer", math.nan, "°", 1.0, 1.0, 1, f"{told}; fixes do not show the heading", series, strength
        )
    angle, sigma = math.degrees(found[0]), math.degrees(found[1])
    series = replace(series, lines=(*series.lines, ("heading by the fixes", np.degrees(np.unwrap(heading + found[0])))))
    return Sign(
        "magnetometer", abs(angle), "°", math.hypot(6.0, sigma), 50.0, 1,
        f"it gathers speed {angle:+.0f} ± {sigma:.0f}° off the heading of the field; {told}", series, max(strength, -1.0),
    )  # fmt: skip


def _way_against_heading(h: Hover, heading: Array, g: Array) -> tuple[float, float] | None:
    """Return by how much fixes gather speed to the right of where the specific force points by the field's heading, with sigma, rad."""
    g = g[h.within(g[:, 0]) & np.isfinite(g[:, 4:6]).all(axis=1)]
    if len(g) < 30:
        return None
    yaw = to_euler(h.q_nb)[:, 0]
    force = (h.force_n[:, 0] + 1j * h.force_n[:, 1]) * np.exp(1j * (heading - yaw))
    gained = np.concatenate([[0.0], np.cumsum(force) * GRID_S])
    edges = np.arange(h.t_s[0], h.t_s[-1] - WINDOW_S, WINDOW_S / 2)
    at = np.append(h.t_s, h.t_s[-1] + GRID_S) - 0.5 * GRID_S
    speed = g[:, 4] + 1j * g[:, 5]

    def over(t: Array, v: Array) -> Array:
        real, imag = (np.interp(edges + WINDOW_S, t, part) - np.interp(edges, t, part) for part in (v.real, v.imag))
        return np.asarray(real + 1j * imag)

    by_force, by_fixes = over(at, gained), over(g[:, 0], speed)
    by_force, by_fixes = by_force - by_force.mean(), by_fixes - by_fixes.mean()
    power = float((np.abs(by_force) ** 2).sum())
    if power <= 0.0:
        return None
    ratio = complex((np.conj(by_force) * by_fixes).sum() / power)
    left = by_fixes - ratio * by_force
    # Windows overlap by half: so many fewer are independent.
    sigma = math.sqrt(float((np.abs(left) ** 2).mean()) / power) * math.sqrt(2.0) / max(abs(ratio), 1e-3)
    return float(np.angle(ratio)), sigma


def wind(h: Hover) -> Sign:
    """What pushes the craft and is no lean of it: the air moves."""
    push, lean = lateral(h), leaning(h)
    if not np.isfinite(push + lean).all() or h.drag_per_s <= 0:
        return unseen("wind", "no velocity is logged: what pushes the craft does not show")
    size = float(np.linalg.norm(push - lean)) / h.drag_per_s
    words = "it leans against" if h.holds_place is True else "what its lean does not explain is"
    g = h.given.aiding.gnss
    g = g[h.within(g[:, 0])]
    return Sign(
        "wind", size, "m/s", 0.8, 4.5, 2, f"{words} a wind of some {size:.1f} m/s",
        Series(g[:, 0] - h.start_s, (("north", g[:, 4]), ("east", g[:, 5])), "s", "m/s over ground"),
        agreement(push - lean, push) if h.holds_place is not True else 0.0,
    )  # fmt: skip


def airflow(h: Hover) -> Sign:
    """The barometer's height parts from the other heights."""
    b = h.given.aiding.baro
    r, g = h.given.aiding.ranges, h.given.aiding.gnss
    if len(b) < 20:
        return unseen("airflow", "no barometer is logged")
    t = h.t_s
    by_range = r[h.within(r[:, 0])]
    by_fixes = g[h.within(g[:, 0]) & np.isfinite(g[:, 6])]
    if len(by_range) > 20:
        other, name, healthy = np.interp(t, by_range[:, 0], by_range[:, 1]), "rangefinder", 0.15
    elif len(by_fixes) > 10:
        # The receiver's height drifts by itself; its climb does not.
        climbed = np.cumsum(-0.5 * (by_fixes[1:, 6] + by_fixes[:-1, 6]) * np.diff(by_fixes[:, 0]))
        other, name, healthy = np.interp(t, by_fixes[1:, 0], climbed), "receiver's climb", 0.2
    else:
        return unseen("airflow", "no other height is logged beside the barometer's")
    height = np.interp(t, b[:, 0], b[:, 1])
    apart = smoothed(height - other, 1.5)
    size = float(np.std(apart))
    zero = float(np.median(height - other))
    # Where the air comes fast the craft leans into it: suction on the barometer's hole grows with the square of both.
    angles = to_euler(h.q_nb)
    leans = smoothed(angles[:, 1] ** 2 + angles[:, 2] ** 2, 1.5)
    varies = float(leans.std()) > 0 and size > 0
    alike = float(np.corrcoef(apart, leans)[0, 1]) if varies else 0.0
    return Sign(
        "airflow", size, "m", healthy, 1.0, 1,
        f"barometer and {name} part by {size:.2f} m (one sigma), {np.ptp(apart):.1f} m in all; with the lean into the wind it goes by "
        f"{alike:+.0%}",
        Series(t - h.start_s, (("barometer", height - zero), (name, other)), "s", "m"),
        min(max(4.0 * (alike - 0.3), -1.0), 2.0),
    )  # fmt: skip


def centre(h: Hover) -> Sign:
    """Motors on one side give more than those on the other, all the time."""
    c = h.controls
    rows = h.within(c.motor_s)
    if c.effect is None or rows.sum() < 20 or c.motors.shape[1] != c.effect.shape[1]:
        return unseen("centre", "no motors are logged, or the craft's layout has another number of them")
    shares = c.motors[rows]
    mean = np.nanmean(shares, axis=0)
    thrust = float(c.effect[0] @ mean)
    # A motor before the middle lifts the nose, one on the right rolls it to the left.
    forward, right = float(c.effect[2] @ mean) / thrust, -float(c.effect[1] @ mean) / thrust
    arm = float(np.abs(c.effect[1:3]).max() / c.effect[0].max())
    # Thrust has its middle where the weight is: a torque of the motors for each metre that it lies off.
    size = math.hypot(forward, right) / arm
    order = np.arange(len(c.motor_s))[rows]
    return Sign(
        "centre", size, "of the arm", 0.03, 0.16, 2,
        f"thrust has its middle {100 * abs(forward):.1f} cm {'before' if forward > 0 else 'behind'} and {100 * abs(right):.1f} cm "
        f"{'right' if right > 0 else 'left'} of the drawing's",
        Series(c.motor_s[order] - h.start_s, tuple((f"motor {i + 1}", 100 * shares[:, i]) for i in range(shares.shape[1])),
               "s", "% of full"),
    )  # fmt: skip


def saturation(h: Hover) -> Sign:
    """Motors at their stop, or a sensor at the end of its range."""
    rows = h.within(h.given.t_s)
    stuck = 0.0
    for values in (h.given.samples.gyro_b[rows], h.given.samples.acc_b[rows]):
        size = np.abs(values)
        peak = size.max(axis=0, initial=0.0)
        at = (size >= peak * (1 - 1e-9)).sum(axis=0)
        stuck = max(stuck, float(np.max(np.where(at >= AT_STOP, at, 0)) / max(len(values), 1)))
    c = h.controls
    rows = h.within(c.motor_s)
    full = float((np.nanmax(c.motors[rows], axis=1) >= FULL_SHARE).mean()) if rows.sum() > 20 else 0.0
    series = None
    if rows.sum() > 20:
        highest = 100 * np.nanmax(c.motors[rows], axis=1)
        series = Series(c.motor_s[rows] - h.start_s, (("the hardest motor", highest),), "s", "% of full")
    told = f"a motor is at its stop for {full:.1%} of the time"
    return Sign(
        "saturation", max(full, 20 * stuck), "of the time", 0.006, 0.4, 1,
        told + (f"; a sensor stands at the end of its range for {stuck:.2%}" if stuck else ""), series,
    )  # fmt: skip


def vibration(h: Hover) -> Sign:
    """The accelerometer shakes, and what it shows as gravity has shifted."""
    rows = h.within(h.given.t_s)
    acc = h.given.samples.acc_b[rows]
    if len(acc) < 100:
        return unseen("vibration", "too few samples")
    shake = np.linalg.norm(acc - _running_mean(acc, len(acc) / (h.end_s - h.start_s)), axis=1)
    level_m_s2 = float(np.sqrt(np.mean(shake**2)))
    step = max(1, len(shake) // 3000)
    return Sign(
        "vibration", max(0.0, math.log(max(level_m_s2, 1e-9) / 3.0)), "", 0.35, 1.5, 1,
        f"the accelerometer shakes by {level_m_s2:.1f} m/s² RMS",
        Series(h.given.t_s[rows][::step] - h.start_s, (("shaking", shake[::step]),), "s", "m/s²"),
    )  # fmt: skip


def _running_mean(values: Array, rate_hz: float) -> Array:
    """Return the mean over a quarter of a second around each sample, (N, 3)."""
    width = max(3, round(0.25 * rate_hz)) | 1
    padded = np.concatenate(
        [np.repeat(values[:1], width // 2 + 1, axis=0), values, np.repeat(values[-1:], width // 2, axis=0)]
    )
    sums = np.cumsum(padded, axis=0)
    return np.asarray((sums[width:] - sums[:-width]) / width)


def multipath(h: Hover) -> Sign:
    """Fixes move otherwise than their own velocity says."""
    g = h.given.aiding.gnss
    g = g[h.within(g[:, 0]) & np.isfinite(g[:, 1:3]).all(axis=1) & np.isfinite(g[:, 4:6]).all(axis=1)]
    if len(g) < 30:
        return unseen("multipath", "no fixes with velocity are logged")
    steps = 0.5 * (g[1:, 4:6] + g[:-1, 4:6]) * np.diff(g[:, 0])[:, None]
    off = g[:, 1:3] - np.concatenate([np.zeros((1, 2)), np.cumsum(steps, axis=0)])
    second = max(1, round(1.0 / float(np.median(np.diff(g[:, 0])))))
    smooth = np.stack([np.convolve(c, np.ones(second) / second, "valid") for c in off.T], axis=1)
    smooth -= smooth[0]
    size = float(np.linalg.norm(smooth, axis=1).max())
    t = g[second - 1 :, 0] - h.start_s
    return Sign(
        "multipath", size, "m", 0.9, 6.0, 2, f"fixes move {size:.1f} m otherwise than their own velocity says",
        Series(t, (("north", smooth[:, 0]), ("east", smooth[:, 1])), "s", "m, position less way by velocity"),
    )  # fmt: skip


ALL = (level, sticks, gyro, magnetometer, wind, airflow, centre, saturation, vibration, multipath)
