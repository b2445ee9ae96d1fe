"""What the data say about an estimate, in words with numbers, a reason and a next step."""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.analysis.attitude_error import circular_mean, circular_spread, compass_heading
from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.long_run import correlation_length
from fusus.core.analysis.statistics import chi2_bounds, coverage
from fusus.core.arrays import Array, IntArray
from fusus.core.estimation.attitude_math import ACC_GATED, ACC_USED, GAP, MAG_GATED, MAG_USED
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.replay import EstimatorInput, Replay
from fusus.core.frames.quaternion import to_euler
from fusus.core.judgement import agreement_findings, integrity_findings, motion_findings, reference_findings
from fusus.core.judgement.finding import Finding, Severity
from fusus.core.world.site import Site

FAR_DEG = 10.0  # of heading: beyond it a craft flies elsewhere than it means to
# A heading that is claimed to this is shown by something; beyond the other it may point anywhere, degrees.
SHOWN_DEG, ANYWHERE_DEG = 20.0, 90.0
# A field's strength is disturbed beyond this share; so many calm seconds part two disturbances; so many of them are told; from
# which share of used samples on the estimator believes one.
DISTURBED, CALM_S, MOST_EVENTS, BELIEVED = 0.12, 2.0, 3, 0.2
ODD_REFERENCE = "The reference's heading is the odd one out"
MOST = 20_000  # so many errors tell how long they last
ORDER: dict[str, int] = {"stop": 0, "mind": 1, "fine": 2}


@dataclass(frozen=True, slots=True)
class Evidence:
    """What the rules look at: the samples, the judged estimate and its errors, and the other estimates' attitudes."""

    given: EstimatorInput
    replay: Replay
    comparison: Comparison | None
    site: Site
    others: tuple[tuple[str, Comparison], ...] = ()
    parameters: EstimatorParameters | None = None


def _deg(radians: float) -> float:
    return float(np.degrees(radians))


def gyro_bias(e: Evidence) -> Finding | None:
    """Judge whether the gyro bias is known: from rest, or from the filter's own movement of it."""
    out = e.replay.outputs
    bias = np.degrees(out.gyro_bias_b[:: max(1, len(out.gyro_bias_b) // MOST)])
    moved = np.ptp(bias[2 * len(bias) // 3 :], axis=0)
    axis = int(np.argmax(moved))
    size = float(moved[axis])
    learns = bool(np.ptp(bias, axis=0).max() > 0)
    if learns and size > 0.2:
        return Finding(
            "Gyro bias has not settled", "mind",
            f"In the last third the {'xyz'[axis]} bias still moves by {size:.2f} °/s.",
            "A bias that moves late is either a warming sensor or a filter that mistakes motion for bias.",
            "Let the board lie still for 10 s before the next recording, or trust the gyro more.", "fusion.gyro", size=size,
        )  # fmt: skip
    if not e.replay.start.is_still and not learns:
        return Finding(
            "Gyro bias is unknown", "mind",
            "The recording does not begin at rest and this estimator does not learn the bias: zero is taken.",
            "A bias of 0.5 °/s tilts a complementary filter of 2 s time constant by 1°.",
            "Start each recording with 5 s at rest, or use an estimator that learns the bias.", "fusion.estimator",
        )  # fmt: skip
    first = float(np.linalg.norm(bias[-1] - np.degrees(e.replay.start.gyro_bias_b)))
    if e.replay.start.is_still:
        b = np.degrees(e.replay.start.gyro_bias_b)
        return Finding(
            "Gyro bias is known", "fine",
            f"{e.replay.start.rest_s:.1f} s of rest show {b[0]:+.3f}, {b[1]:+.3f}, {b[2]:+.3f} °/s; "
            f"it moves by {first:.3f} °/s until the end.",
            "The board lay still at the start.", "Nothing to change.", "fusion.gyro",
        )  # fmt: skip
    return None


def vibration(e: Evidence) -> Finding | None:
    """Judge how much the accelerometer shakes, and whether the estimator uses it all the same."""
    acc = e.given.samples.acc_b
    if len(acc) < 100:
        return None
    # Second differences leave what changes from sample to sample: shaking, not flight.
    shake = np.linalg.norm(np.diff(acc, n=2, axis=0), axis=1) / np.sqrt(6.0)
    level = float(np.percentile(shake, 95))
    flags = e.replay.outputs.flags
    used = float(((flags & ACC_USED) > 0).sum()) / max(1, int(((flags & (ACC_USED | ACC_GATED)) > 0).sum()))
    if level > 6.0 and used > 0.9:
        return Finding(
            "Accelerometer is trusted under vibration", "mind",
            f"It shakes by {level:.1f} m/s² from sample to sample, and {used:.0%} of it is used all the same.",
            "Shaking aliases and is rectified into a tilt that no filter sees.",
            "Mount the board softer, balance the propellers, or lower the accelerometer's gate.", "fusion.accelerometer", size=level,
        )  # fmt: skip
    if used < 0.3:
        return Finding(
            "Accelerometer is hardly used", "mind", f"Only {used:.0%} of it passes the gate.",
            "Tilt then rests on the gyro alone and drifts.",
            "Widen the accelerometer's gate, or check its scale: at rest it must read gravity.", "fusion.accelerometer",
        )  # fmt: skip
    return None


def disturbed_field(e: Evidence) -> Finding | tuple[Finding, ...] | None:
    """Judge when the field is too strong or too weak, each time by itself, and what that did to the heading."""
    mag = e.given.samples.mag_b
    rows = np.flatnonzero(np.isfinite(mag).all(axis=1))
    expected = e.replay.start.field_ut
    if len(rows) < 20 or not np.isfinite(expected):
        return None
    share = np.linalg.norm(mag[rows], axis=1) / expected - 1.0
    if float(np.median(np.abs(share))) > 0.15:
        return Finding(
            "Magnetometer strength does not fit the place", "stop",
            f"Its median strength is {float(np.median(share)):+.0%} off the {expected:.1f} µT expected here.",
            "It is not calibrated, its unit is wrong, or the place in the brief is.",
            "Check unit and place; calibrate the magnetometer.", "brief.place",
        )  # fmt: skip
    events = _field_events(e, rows, share)
    return None if not events else tuple(_field_event(e, rows, share, at) for at in events)


def _field_events(e: Evidence, rows: IntArray, share: Array) -> list[IntArray]:
    """Return the longest stretches of a disturbed field, as places in ``rows``, in order of time; parted by calm seconds."""
    off = np.flatnonzero(np.abs(share) > DISTURBED)
    parts = np.split(off, np.flatnonzero(np.diff(e.given.t_s[rows[off]]) > CALM_S) + 1)
    worst = sorted((p for p in parts if len(p)), key=lambda p: -float(np.abs(share[p]).sum()))[:MOST_EVENTS]
    return sorted(worst, key=lambda p: int(p[0]))


def _field_event(e: Evidence, rows: IntArray, share: Array, at: IntArray) -> Finding:
    """Judge one disturbance: what the estimator made of its samples, and the heading's error in it."""
    t = e.given.t_s
    step = float(np.median(np.diff(t[rows])))
    begins, ends = float(t[rows[at[0]]]), float(t[rows[at[-1]]])
    worst = at[int(np.argmax(np.abs(share[at])))]
    text = f"From t = {begins:.1f} to {ends + step:.1f} s the field is up to {share[worst]:+.0%} off"
    flags = e.replay.outputs.flags[(t > begins - 0.25 * step) & (t < ends + 0.25 * step)]
    used, gated = int(((flags & MAG_USED) > 0).sum()), int(((flags & MAG_GATED) > 0).sum())
    peak = None
    if e.comparison is not None:
        c = e.comparison
        inside = (c.t_s > begins - 1) & (c.t_s < ends + 5)
        if inside.any():
            peak = _deg(float(np.abs(c.heading[inside]).max()))
            text += f"; the heading error peaks at {peak:.1f}°"
    size = float(np.abs(share[at]).sum() * step)
    if used + gated == 0:
        told, step_to_take = (
            "the estimator uses no magnetometer there",
            "Keep the magnetometer off, or calibrate it away from this place.",
        )
    elif used > BELIEVED * (used + gated):
        told = f"the estimator uses {used} of {used + gated} samples"
        step_to_take = "Gate the magnetometer by strength, or fly heading on the gyro there."
    else:
        told = f"the estimator refuses {gated} of {used + gated} samples"
        step_to_take = (
            "The gate does its work: heading rests on the gyro there. Stay away from the place, or stay briefly."
        )
    is_believed = used > BELIEVED * (used + gated)
    is_far = peak is not None and peak > FAR_DEG
    severity: Severity = "stop" if is_believed and is_far else "mind" if is_believed or is_far else "fine"
    return Finding(
        "Disturbed magnetic field", severity, f"{text}; {told}.", "Steel, reinforced concrete or motor currents bend the field.",
        step_to_take, "fusion.magnetometer", size=size,
    )  # fmt: skip


def claimed_noise(e: Evidence) -> Finding | None:
    """Judge whether the estimator's claimed sigma is honest."""
    out = e.replay.outputs
    if not out.has_sigma:
        return None
    nis = out.nis_acc[np.isfinite(out.nis_acc)]
    nis = nis[nis < np.quantile(nis, 0.98)] if len(nis) > 50 else nis
    if e.comparison is not None:
        angles = to_euler(e.comparison.estimate_q_nb) - to_euler(e.comparison.reference_q_nb)
        wrapped = np.mod(angles + np.pi, 2 * np.pi) - np.pi
        sigma = np.stack([np.interp(e.comparison.t_s, e.given.t_s, out.sigma_rad[:, i]) for i in (2, 1, 0)], axis=1)
        parts = [coverage(wrapped[:, i], sigma[:, i]) for i in range(3)]
        worst = int(np.argmax([p.ratio for p in parts]))
        p, name = parts[worst], ("yaw", "pitch", "roll")[worst]
        # An error that lasts is one draw, however often it is sampled: few independent ones may be larger by chance.
        every = wrapped[:: max(1, len(wrapped) // MOST), worst]
        independent = max(1, round(len(every) / correlation_length(every, about_zero=True)))
        if p.ratio > 1.5 and p.ratio**2 > chi2_bounds(1, independent)[1]:
            return Finding(
                "Claimed accuracy is too good", "stop" if p.ratio > 2.5 else "mind",
                f"{name.capitalize()} errors are {p.ratio:.1f} times the claimed σ; {p.one:.0%} lie within one σ (68 % are due).",
                "A noise of the filter is set too low, or the sensors err in a way that it does not know.",
                "Raise the gyro noise, the accelerometer bias or the hard iron until the band holds the errors.",
                "fusion.noise",
            )  # fmt: skip
        return Finding(
            "Claimed accuracy holds", "fine",
            f"Roll, pitch and yaw errors are {parts[2].ratio:.1f}, {parts[1].ratio:.1f} and {parts[0].ratio:.1f} times the claimed σ.",
            "The errors lie in the band that the filter claims.", "Keep the noise figures.", "fusion.noise",
        )  # fmt: skip
    if len(nis) < 20:
        return None
    _, high = chi2_bounds(2, len(nis))
    mean = float(nis.mean())
    if mean > 2.0 * high:
        return Finding(
            "Gravity does not fit the filter's prediction", "mind",
            f"Its innovations are {np.sqrt(mean / 2):.1f} σ wide (NIS {mean:.1f}, due 2).",
            "A noise of the filter is set too low.", "Raise the accelerometer noise or the gyro noise.", "fusion.noise",
        )  # fmt: skip
    return None


def saturation(e: Evidence) -> Finding | None:
    """Judge whether a sensor stood at the end of its range: the same extreme again and again."""
    for name, values, where in (
        ("gyro", e.given.samples.gyro_b, "fusion.gyro"),
        ("accelerometer", e.given.samples.acc_b, "fusion.accelerometer"),
    ):
        for axis in range(3):
            v = np.abs(values[:, axis])
            peak = float(v.max(initial=0.0))
            at = np.flatnonzero(v >= peak * (1 - 1e-6))
            runs = int((np.diff(at) == 1).sum())
            if peak > (2.0 if name == "gyro" else 15.0) and runs >= 4:
                shown = f"{_deg(peak):.0f} °/s" if name == "gyro" else f"{peak / 9.80665:.1f} g"
                return Finding(
                    f"{name.capitalize()} saturates", "stop",
                    f"The {'xyz'[axis]} axis stands at {shown} for {len(at)} samples, first at t = {e.given.t_s[at[0]]:.2f} s.",
                    "What lies beyond the range is lost; the attitude is wrong from there on.",
                    "Choose a larger range, or damp the mounting.", where, size=float(len(at)),
                )  # fmt: skip
    return None


def odd_reference(e: Evidence) -> Finding | None:
    """Judge whether the reference's heading stands alone against the estimates and the field."""
    c = e.comparison
    if c is None or len(e.others) < 2:
        return None
    headings = [c, *(o for _, o in e.others)]
    yaws = [to_euler(h.estimate_q_nb)[:, 0] for h in headings]
    reference = to_euler(c.reference_q_nb)[:, 0]
    n = min(len(y) for y in yaws)
    if n < 20 or any(len(y) != n for y in yaws):
        return None
    to_reference = [circular_mean(y - reference) for y in yaws]
    drift = [circular_spread(y - reference) for y in yaws]
    middle = circular_mean(np.array(to_reference))
    between = max(abs(float(np.angle(np.exp(1j * (o - middle))))) for o in to_reference)
    field = _field_offset(e)
    if field is None or not bool((e.replay.outputs.flags & MAG_USED).any()):
        # Without the field all estimates sum up one gyro from one start: that they agree says nothing.
        return None
    if abs(middle) < np.radians(8) and float(np.median(drift)) < np.radians(8):
        return None
    if abs(middle) < 2 * between and float(np.median(drift)) < np.radians(8):
        return None
    if abs(float(np.angle(np.exp(1j * (field - middle))))) > max(0.5 * abs(middle), np.radians(20)):
        return None
    return Finding(
        ODD_REFERENCE, "mind",
        f"{len(headings)} estimators differ from the reference by {_deg(middle):.0f}° in heading (within {_deg(between):.0f}° of "
        f"one another), and the field itself by {_deg(field):.0f}°; round that mean they drift by {_deg(float(np.median(drift))):.0f}°.",
        "When all agree but one, that one is suspect: another zero of heading, or a magnetometer that it did not use.",
        "Judge tilt by this reference, and heading only with headings aligned, or by another reference.",
        "fusion.align_yaw",
    )  # fmt: skip


def _field_offset(e: Evidence) -> float | None:
    """Return the mean of field heading minus reference heading, rad, or None without a field."""
    c = e.comparison
    rows = np.flatnonzero(np.isfinite(e.given.samples.mag_b).all(axis=1))
    if c is None or len(rows) < 20:
        return None
    t = e.given.t_s[rows]
    inside = (t >= c.t_s[0]) & (t <= c.t_s[-1])
    rows = rows[inside]
    if len(rows) < 20:
        return None
    at = np.clip(np.searchsorted(c.t_s, e.given.t_s[rows]), 0, len(c.t_s) - 1)
    ref = c.reference_q_nb[at]
    heading: Array = compass_heading(ref, e.given.samples.mag_b[rows], e.site.declination_rad)
    return circular_mean(heading - to_euler(ref)[:, 0])


def late_reference(e: Evidence) -> Finding | None:
    """Judge whether the reference's clock is off."""
    c = e.comparison
    if c is None or c.alignment is None:
        return None
    offset = c.alignment.clock.offset_s
    if abs(offset) < max(0.01, 3 * c.alignment.offset_sigma_s):
        return None
    return Finding(
        "The reference has another clock", "mind",
        f"It comes {abs(offset) * 1000:.0f} ms {'later' if offset > 0 else 'earlier'} than the estimate, drift "
        f"{c.alignment.clock.drift * 1e6:.0f} ppm (correlation {c.alignment.correlation:.2f}); errors are taken after alignment.",
        "Two loggers have two clocks.", "Keep the alignment on, or tap the board at the start to see both.", "fusion.align_time",
    )  # fmt: skip


def no_heading(e: Evidence) -> Finding | None:
    """Say that nothing shows the heading."""
    flags = e.replay.outputs.flags
    if bool((flags & MAG_USED).any()):
        return None
    sigma = e.replay.outputs.sigma_rad
    ends = _deg(float(sigma[-1, 2])) if len(sigma) else np.nan
    if e.replay.motion is not None and ends < SHOWN_DEG:
        return Finding(
            "The motion shows the heading", "fine", f"No magnetometer sample was used; what fixes and accelerometer make of one push "
            f"shows the heading, to {ends:.1f}° at the end.",
            "Without pushes nothing would show it.", "Hold still and it grows uncertain again: a magnetometer would help.",
            "fusion.magnetometer",
        )  # fmt: skip
    claimed = f"; claimed to ±{ends:.0f}° at the end" if ends < ANYWHERE_DEG else ""
    return Finding(
        "Nothing shows the heading", "mind", "No magnetometer sample was used: the heading counts from the first sample, by the gyro alone"
        f"{claimed}.",
        "Gravity says nothing about heading.", "Record the magnetometer, or judge the heading with headings aligned.",
        "fusion.magnetometer",
    )  # fmt: skip


def lost_samples(e: Evidence) -> Finding | None:
    """Say that samples are missing for long."""
    gaps = np.flatnonzero((e.replay.outputs.flags & GAP) > 0)
    if len(gaps) == 0:
        return None
    worst = int(gaps[np.argmax(e.given.samples.dt_s[gaps])])
    return Finding(
        "Samples are missing", "stop",
        f"{len(gaps)} gaps are longer than a quarter of a second, the longest {e.given.samples.dt_s[worst]:.1f} s at "
        f"t = {e.given.t_s[worst]:.1f} s.",
        "The attitude goes on with the last rate meanwhile.", "Log to faster storage, or fewer streams.", "fusion.recording",
        size=float(e.given.samples.dt_s[gaps].sum()),
    )  # fmt: skip


RULES = (
    lost_samples, saturation, disturbed_field, claimed_noise, odd_reference, late_reference, no_heading, vibration, gyro_bias,
)  # fmt: skip


def find(given: Evidence) -> tuple[Finding, ...]:
    """Return all findings, worst first."""
    c, t = given.comparison, given.given.t_s
    of_reference = [] if c is None else reference_findings.of_reference(float(t[0]), float(t[-1]), c)
    # Rules of attitude want one throughout: what tells places alone says nothing to them.
    told = c if c is not None and c.has_attitude else None
    evidence = replace(given, comparison=told)
    found = list(of_reference)
    for rule in RULES:
        told_by = rule(evidence)
        found += [] if told_by is None else list(told_by) if isinstance(told_by, tuple) else [told_by]
    found += integrity_findings.of_samples(evidence.given)
    found += agreement_findings.of_agreement(evidence.given)
    if evidence.replay.motion is not None:
        found += motion_findings.of_motion(
            evidence.given, evidence.replay.motion, evidence.comparison, evidence.parameters
        )
    return tuple(sorted(found, key=lambda f: ORDER[f.severity]))
