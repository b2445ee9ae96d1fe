"""What a motion estimate says of itself: over- or under-confident, settled or not, what it cannot see, what it refused."""

import numpy as np

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.consistency import Channel, channels, errors_of, nees
from fusus.core.analysis.outage import recorded
from fusus.core.arrays import Array
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.estimation.outputs import MotionOutputs
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.judgement.finding import Finding

# Which noise stands behind a channel, with its unit.
NOISES = {
    "gnss_position": ("gnss_horizontal_m", "m"),
    "gnss_velocity": ("gnss_velocity_horizontal_m_s", "m/s"),
    "barometer": ("baro_noise_m", "m"),
}
TITLES = {"gnss_position": "fixes", "gnss_velocity": "speed of the fixes", "barometer": "barometer"}
# From how many times the tuned noise on it is worth a word.
WIDENED = 3.0
SURE, BEGINS_S = 3.0, 15.0  # sigmas; from when on a barometer's zero is known


def of_motion(
    given: EstimatorInput,
    motion: MotionOutputs,
    comparison: Comparison | None,
    parameters: EstimatorParameters | None,
) -> list[Finding]:
    """Return the findings on an estimate of motion."""
    out = [
        *confidence(motion, parameters),
        *refused(motion),
        *outages(given, motion),
        *moved_barometer(motion, parameters),
    ]
    if isinstance(parameters, NavigationParameters):
        out += [
            *settles(motion),
            *heading_seen(given, motion),
            *delay(motion, parameters),
            *widened(motion),
        ]
    if comparison is not None:
        out += claimed(motion, comparison)
    return out


def confidence(motion: MotionOutputs, parameters: EstimatorParameters | None) -> list[Finding]:
    """Judge each sensor's noise by what its innovations are: which figure to change to what."""
    out = []
    for channel in channels(motion.innovations):
        noise = NOISES.get(channel.name)
        value = getattr(parameters, noise[0], None) if noise else None
        if noise is None or value is None or channel.count < 100:
            continue
        # A barometer's own filter makes neighbours alike: its samples vary less than they weigh.
        least = 0.1 if channel.name == "barometer" else 0.45
        if least <= channel.nis <= 1.8:
            continue
        out.append(_confidence(channel, noise, float(value)))
    return out


def _confidence(channel: Channel, noise: tuple[str, str], value: float) -> Finding:
    wanted = value * float(np.sqrt(channel.nis))
    over = channel.nis > 1.0
    name, unit = noise
    return Finding(
        f"{TITLES[channel.name].capitalize()}: {'more noise' if over else 'less noise'} than the filter is told", "mind",
        f"Innovations are {np.sqrt(channel.nis):.1f} times as large as expected (NIS {channel.nis:.2f}, due 1).",
        "The filter is over-confident: it takes noise for motion." if over else "The filter is under-confident: it follows "
        "more slowly than it could.",
        f"Change the noise from {value:.3g} to {wanted:.3g} {unit}.", f"fusion.{name}",
    )  # fmt: skip


def refused(motion: MotionOutputs) -> list[Finding]:
    """Tell what the gates refused."""
    out = []
    for name, members in (
        ("fixes", ("gnss north", "gnss east", "gnss down")),
        ("barometer", ("barometer",)),
        ("field", ("heading",)),
    ):
        found = motion.innovations.of(*members)
        if len(found) < 20:
            continue
        off = ~found.used
        if off.sum() < 3:
            continue
        t = found.t_s[off]
        worst = float(np.abs(found.value[off]).max())
        span = float(t[-1] - t[0])
        unit = "m" if name != "field" else "rad"
        out.append(
            Finding(
                f"Refused: {name}", "mind",
                f"{int(off.sum())} measurements from t = {t[0]:.1f} s on, over {span:.1f} s, were further off than the gate, "
                f"up to {worst:.2g} {unit}.",
                "A jump, a disturbance, or a filter that is too sure of itself.",
                "Look at the residuals there; if the sensor was right, raise the filter's noises.", "fusion.gate", size=float(off.sum()),
            )
        )  # fmt: skip
    return out


def outages(given: EstimatorInput, motion: MotionOutputs) -> list[Finding]:
    """Tell how the claimed error grows while no fix comes."""
    g = given.aiding.gnss
    if len(g) < 10 or "position" not in motion.key_sigmas:
        return []
    begins = float(given.t_s[0])
    gaps = recorded(g[:, 0], begins)
    if not gaps:
        return []
    start, length = max(gaps, key=lambda x: x[1])
    sigma = motion.sigma_at("position", np.array([begins + start, begins + start + length - 0.1]))
    before, after = (float(np.hypot(*row[:2])) for row in sigma)
    if not np.isfinite(after):
        return []
    return [
        Finding(
            "GNSS outage", "fine", f"For {length:.1f} s from t = {start:.1f} s no fix comes; the claimed position error "
            f"grows from {before:.2f} to "
            f"{after:.2f} m.", "Without fixes the way is summed up from rates and forces.", "Hold it against the outage "
            "requirement.", "fusion.gnss", size=length,
        )
    ]  # fmt: skip


def settles(motion: MotionOutputs) -> list[Finding]:
    """Tell after how long the gyro bias is known."""
    sigma, value = motion.key_sigmas["gyro bias"], motion.key_values["gyro bias"]
    worst = sigma.max(axis=1)
    floor = float(np.median(worst[len(worst) // 2 :]))
    below = np.flatnonzero(worst < 2.0 * floor)
    if not len(below):
        return []
    t = float(motion.key_t_s[below[0]] - motion.key_t_s[0])
    b = np.degrees(value[-1])
    since = f"After {t:.0f} s" if t >= 1.0 else "From the start on"
    return [
        Finding(
            "Gyro bias settles", "fine", f"{since} it is known to {np.degrees(2 * floor):.3f} °/s; at the end "
            f"{b[0]:+.3f}, {b[1]:+.3f}, {b[2]:+.3f} °/s.",
            "Rest shows it at once, flight within a minute or so.", "Keep the board still for so long before arming.", "fusion.gyro",
        )
    ]  # fmt: skip


def widened(motion: MotionOutputs) -> list[Finding]:
    """Tell by how much the filter took its sensors for noisier than tuned, because the innovations said so."""
    most = max(motion.noise_factors.items(), key=lambda x: x[1], default=("", 1.0))
    if most[1] < WIDENED:
        return []
    return [
        Finding(
            "The filter widened its claims", "mind", f"What measurements said against the prediction did not fit the tuned noise: "
            f"{most[0]} was taken as {most[1]:.1f} times as noisy at the end.",
            "Shaking, a loose mount, a scale error, or a receiver that says too little.", "Find what shakes, or tune the noise.",
            "fusion.noise",
        )
    ]  # fmt: skip


def heading_seen(given: EstimatorInput, motion: MotionOutputs) -> list[Finding]:
    """Judge whether anything shows the heading."""
    sigma = np.degrees(motion.key_sigmas["attitude"][:, 2])
    late = sigma[len(sigma) // 3 :]
    if float(late.max(initial=0.0)) < 20.0:
        return []
    has_field = len(given.aiding.mag) > 0
    why = "In a hover nothing but a magnetometer shows the heading: without acceleration fixes say nothing of it."
    return [
        Finding(
            "Heading is not observable", "mind", f"The claimed heading error reaches {float(late.max()):.0f}°.",
            why if not has_field else "The field is refused or too disturbed to show it.",
            "Carry a magnetometer, or accelerate now and then: 2 m/s² for a second is enough.", "fusion.magnetometer",
        )
    ]  # fmt: skip


def delay(motion: MotionOutputs, parameters: NavigationParameters) -> list[Finding]:
    """Tell what the flight shows of the receiver's delay, where the filter learns it."""
    if "gnss delay" not in motion.key_values:
        return []
    value, sigma = float(motion.key_values["gnss delay"][-1]), float(motion.key_sigmas["gnss delay"][-1])
    off = value - parameters.gnss_delay_s
    if sigma > 0.02 or abs(off) < max(0.015, SURE * sigma):
        return []
    return [
        Finding(
            "Delay of the receiver", "mind",
            f"It is likely {value * 1e3:.0f} ± {sigma * 1e3:.0f} ms; the tuning has {parameters.gnss_delay_s * 1e3:.0f} ms.",
            "Accelerations show in the fixes that much later than in the accelerometer.", f"Set the delay to {value * 1e3:.0f} ms.",
            "fusion.gnss_delay_s",
        )
    ]  # fmt: skip


def moved_barometer(motion: MotionOutputs, parameters: EstimatorParameters | None) -> list[Finding]:
    """Judge whether the barometer's zero moves faster than weather: airflow, or a pocket of warm air."""
    found = motion.innovations.of("barometer")
    if len(found) < 50:
        return []
    rate = len(found) / max(float(found.t_s[-1] - found.t_s[0]), 1.0)
    window = max(5, round(rate))
    mean: Array = np.convolve(found.value, np.ones(window) / window, "valid")
    zero, at = motion.key_values["barometer offset"], motion.key_t_s
    moved = np.interp(at + 5.0, at, zero) - zero
    moved[at < at[0] + BEGINS_S] = 0.0  # at first it moves with what the fixes say of the height
    walk, noise = (float(getattr(parameters, n, v)) for n, v in (("baro_walk_m_rthz", 0.0), ("baro_noise_m", 0.15)))
    usual = 5.0 * float(np.hypot(walk * np.sqrt(5.0), 0.05))
    k, worst = int(np.argmax(np.abs(moved))), int(np.argmax(np.abs(mean)))
    if abs(moved[k]) < max(usual, 0.4) and abs(mean[worst]) < max(0.6, 4 * noise):
        return []
    when = float(at[k]) if abs(moved[k]) > abs(mean[worst]) else float(found.t_s[worst])
    size = max(abs(float(moved[k])), abs(float(mean[worst])))
    return [
        Finding(
            "Barometer disagrees with the inertial height", "mind", f"Round t = {when:.0f} s its height leaves the one of accelerometer "
            f"and fixes by {size:.1f} m within seconds.",
            "Airflow from propellers or speed, light, or warm air at the hole.",
            "Cover it with open-cell foam, never with glue; give the filter more airflow.", "fusion.baro_airflow",
        )
    ]  # fmt: skip


def claimed(motion: MotionOutputs, comparison: Comparison) -> list[Finding]:
    """Judge position and velocity against their claimed covariance."""
    found = errors_of(motion, comparison)
    if found is None:
        return []
    out = []
    for part in nees(found)[:2]:
        if part.value <= max(part.high, 1.5):
            continue
        out.append(
            Finding(
                f"Claimed {part.name} is too good", "stop" if part.value > 6.0 else "mind",
                f"Errors are {np.sqrt(part.value):.1f} times the claimed σ (NEES {part.value:.1f} by its dimension, "
                f"{part.low:.2f} to {part.high:.2f} are due).",
                "A noise of the filter is too low, or a sensor errs in a way that the filter does not know.",
                "See which innovations are not white, and raise that sensor's noise or drift.", "fusion.noise",
            )
        )  # fmt: skip
    return out
