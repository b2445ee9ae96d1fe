"""The estimators once more, in plain NumPy and straight from their equations: written to be read, not to be quick."""

import numpy as np

from fusus.core.frames.quaternion import (
    conjugate,
    from_rotation_vector,
    multiply,
    normalise,
    rotate,
    to_matrix,
    to_rotation_vector,
)

DOWN = np.array([0.0, 0.0, 1.0])


def turned(q, rotation_vector):
    """Return q ⊗ exp(r/2)."""
    return multiply(q, from_rotation_vector(rotation_vector))


def tilt_error(q, acc):
    """Return the rotation (sine of the angle) from the estimated down to the measured one, body axes."""
    return np.cross(-acc / np.linalg.norm(acc), rotate(conjugate(q), DOWN))


def heading_error(q, mag, declination):
    """Return how far the horizontal field has to turn about down to point along the declination, rad."""
    m = rotate(q, mag)
    return np.angle(np.exp(1j * (declination - np.arctan2(m[1], m[0]))))


class Complementary:
    """angle = α (angle + rate dt) + (1 - α) reference with α = τ/(τ + dt), on the rotation group."""

    def __init__(self, p, site, start):
        self.p, self.site, self.start = p, site, start
        self.q, self.age = start.q_nb, 0.0

    def step(self, dt, gyro, acc, mag):
        p = self.p
        self.q = turned(self.q, (gyro - self.start.gyro_bias_b) * dt)
        down = rotate(conjugate(self.q), DOWN)
        correction = np.zeros(3)
        if abs(np.linalg.norm(acc) - self.site.gravity_m_s2) <= p.acc_gate_m_s2:
            correction = correction + dt / (p.tau_acc_s + dt) * tilt_error(self.q, acc)
        self.age += dt
        if np.isfinite(mag).all():
            if abs(np.linalg.norm(mag) / self.start.field_ut - 1) <= p.mag_gate:
                share = self.age / (p.tau_mag_s + self.age)
                correction = correction + share * heading_error(self.q, mag, self.site.declination_rad) * down
            self.age = 0.0
        self.q = turned(self.q, correction)
        return self.q


class Mahony:
    """q' = ½ q ⊗ (ω - b + k_P e), b' = -k_I e."""

    def __init__(self, p, site, start):
        self.p, self.site, self.start = p, site, start
        self.q, self.bias, self.held = start.q_nb, start.gyro_bias_b.copy(), 0.0

    def step(self, dt, gyro, acc, mag):
        p = self.p
        down = rotate(conjugate(self.q), DOWN)
        tilt = np.zeros(3)
        if abs(np.linalg.norm(acc) - self.site.gravity_m_s2) <= p.acc_gate_m_s2:
            tilt = tilt_error(self.q, acc)
        if np.isfinite(mag).all():
            trusted = abs(np.linalg.norm(mag) / self.start.field_ut - 1) <= p.mag_gate
            self.held = np.sin(heading_error(self.q, mag, self.site.declination_rad)) if trusted else 0.0
        self.bias = self.bias - p.ki * dt * (tilt + self.held * down)
        rate = gyro - self.bias + p.kp_acc * tilt + p.kp_mag * self.held * down
        self.q = turned(self.q, rate * dt)
        self.held *= 1 - min(1.0, p.kp_mag * dt)
        return self.q


class Madgwick:
    """The gyro, and a step of 2 β dt against the gradient."""

    def __init__(self, p, site, start):
        self.p, self.site, self.start = p, site, start
        self.q, self.bias, self.age = start.q_nb, start.gyro_bias_b.copy(), 0.0

    def step(self, dt, gyro, acc, mag):
        p = self.p
        down = rotate(conjugate(self.q), DOWN)
        e = tilt_error(self.q, acc)
        size = np.linalg.norm(e)
        self.age += dt
        turn = 0.0
        if np.isfinite(mag).all():
            k = np.sin(heading_error(self.q, mag, self.site.declination_rad))
            turn, self.age = np.sign(k) * min(2 * p.beta_rad_s * self.age, abs(k)), 0.0
        unit = e / size if size > 1e-12 else e
        self.bias = self.bias - 2 * p.zeta_rad_s2 * dt * unit
        self.q = turned(self.q, (gyro - self.bias) * dt + min(2 * p.beta_rad_s * dt, size) * unit + turn * down)
        return self.q


def skew(v):
    """Return the matrix of the cross product."""
    return np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])


class AttitudeEkf:
    """Error-state filter with dense matrices and the Joseph form; one update a window, as the compiled filter."""

    def __init__(self, p, c, site, start, covariance):
        self.p, self.c, self.site, self.start = p, c, site, start
        self.q, self.bias, self.cov = start.q_nb, start.gyro_bias_b.copy(), covariance.copy()
        self.since, self.turn = 0.0, np.zeros(3)
        self.acc_var, self.mag_var = c.acc_start_var, c.mag_start_var
        self.mean_heading = 0.0
        self.seen, self.near, self.far = [], c.acc_start_near, c.acc_start_far
        self.clear()

    def clear(self):
        self.t, self.f, self.headings = 0.0, np.zeros(3), []

    def step(self, dt, gyro, acc, mag):
        r = (gyro - self.bias) * dt
        self.q = turned(self.q, r)
        self.turn, self.since, self.t = self.turn + r, self.since + dt, self.t + dt
        self.f = self.f + rotate(self.q, acc) * dt
        if np.isfinite(mag).all():
            self.headings.append(heading_error(self.q, mag, self.site.declination_rad))
        full = self.t + 0.5 * dt >= self.c.window_s
        if self.since + 0.5 * dt >= 0.02 or full:
            self.predict()
        if full:
            self.update()
            self.clear()
        return self.q

    def predict(self):
        c, t, r = self.c, self.since, self.turn
        f = np.eye(6)
        f[:3, :3], f[:3, 3:] = to_matrix(from_rotation_vector(-r)), -t * np.eye(3)
        noise = np.zeros((6, 6))
        noise[:3, :3] = np.diag(c.gyro_var * t + c.walk_var * t**3 / 3 + 2 * c.scale_var / t * r**2)
        noise[:3, 3:] = noise[3:, :3] = -0.5 * c.walk_var * t**2 * np.eye(3)
        noise[3:, 3:] = c.walk_var * t * np.eye(3)
        self.cov = f @ self.cov @ f.T + noise
        self.turn, self.since = np.zeros(3), 0.0

    def row(self, axis_n):
        h = to_matrix(self.q).T @ axis_n
        return np.concatenate([h, 0.5 * self.t * h])

    def fold(self, h, r, y, x):
        s = h @ self.cov @ h + r
        k = self.cov @ h / s
        joseph = np.eye(6) - np.outer(k, h)
        self.cov = joseph @ self.cov @ joseph.T + r * np.outer(k, k)
        return x + k * (y - h @ x)

    def alike(self):
        """Return the root of 1 + ρ + ρ² + ρ³ = far / near that lies between none and all."""
        if self.far <= self.near:
            return 0.0
        roots = np.roots([1.0, 1.0, 1.0, 1.0 - self.far / self.near])
        return min(float(roots[np.abs(roots.imag) < 1e-9].real.max()), 0.97)

    def update(self):
        c, t = self.c, self.t
        x, adapt, forget = np.zeros(6), t / (t + 10.0), t / (t + 20.0)
        north, east, _ = self.f / t
        y = np.array([north, east]) / -(self.f[2] / t)
        rows = self.row(np.array([0, 1.0, 0])), self.row(np.array([-1.0, 0, 0]))
        rho = self.alike()
        r = self.acc_var * (1 + rho) / (1 - rho)
        x = self.fold(rows[1], r, y[1], x)
        x = self.fold(rows[0], r, y[0], x)
        most = c.gate2 * self.acc_var
        if self.seen:
            self.near += adapt * (min(((y - self.seen[-1]) ** 2).sum() / 4, most) - self.near)
        if len(self.seen) == 4:
            self.far += adapt * (min(((y - self.seen[0]) ** 2).sum() / 4, most) - self.far)
        self.acc_var = max(c.acc_floor_var, self.near / (1 - self.alike()))
        # What is corrected is corrected in what was seen before as well.
        north, east, _ = rotate(self.q, x[:3])
        self.seen = [s - [east, -north] for s in [*self.seen, y]][-4:]
        if self.headings:
            n, ym = len(self.headings), np.mean(self.headings)
            h = self.row(np.array([-c.tan_dip * c.cos_dec, -c.tan_dip * c.sin_dec, 1.0]))
            doubt = h @ self.cov @ h
            v = max(self.mag_var, c.mag_white_var / n)
            x = self.fold(h, v * c.mag_inflate, ym, x)
            waver = min((ym - self.mean_heading) ** 2, c.gate2 * (doubt + v)) - doubt
            self.mag_var = max(c.mag_white_var / n, self.mag_var + adapt * (waver - self.mag_var))
            self.mean_heading += forget * (ym - self.mean_heading)
        self.q = normalise(turned(self.q, x[:3]))
        turn = np.eye(6)
        turn[:3, :3] = to_matrix(from_rotation_vector(-x[:3]))
        self.cov = turn @ self.cov @ turn.T
        self.bias = self.bias + x[3:]


def angle_between(p, q):
    """Return the angle between two attitudes, rad."""
    return float(np.linalg.norm(to_rotation_vector(multiply(conjugate(p), q))))
