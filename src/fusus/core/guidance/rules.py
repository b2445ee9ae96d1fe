"""The judgement of each guided capture on what has come so far."""

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.calibration.coverage import LEAST_EIGENVALUE, coverage
from fusus.core.calibration.durations import LEAST_FIXES, LEAST_SKY_S
from fusus.core.calibration.ellipsoid import fit_sphere
from fusus.core.calibration.mounting import LEAST_TURN_RAD, MOTIONS
from fusus.core.calibration.poses import FACES, nearest_face
from fusus.core.calibration.stillness import WINDOW_S
from fusus.core.guidance.status import Status
from fusus.core.guidance.watch import Watch

FACE_S, REST_S, LONG_REST_S, LEVEL_S = 3.0, 20.0, 7200.0, 5.0
NEAR_STEEL = 0.12  # of the field's strength that may vary once the sphere is fitted
MOST_GYRO_RAD_S, MOST_ACC_M_S2 = 33.0, 155.0
COVER_SHARE = 0.6
EARTH_UT = (15.0, 95.0)  # strengths on Earth with what a part's scale may be off


def _moving(w: Watch) -> tuple[str, ...]:
    still = w.still()
    out = []
    if len(still) and not still[-1]:
        out.append("It moves: take your hands off.")
    return (*out, *_saturated(w))


def _saturated(w: Watch) -> tuple[str, ...]:
    if w.peak_gyro > MOST_GYRO_RAD_S or w.peak_acc > MOST_ACC_M_S2:
        return ("A sensor was at the end of its range: move more gently, or choose a larger range.",)
    return ()


def _longest(still: BoolArray) -> float:
    best = run = 0
    for s in still:
        run = run + 1 if s else 0
        best = max(best, run)
    return best * WINDOW_S


def _rest(w: Watch, wanted_s: float) -> Status:
    rest = _longest(w.still())
    now = "Leave it alone." if rest > 1 else "Lay the board down and take your hands off."
    return Status(min(1.0, rest / wanted_s), f"{now} {max(0.0, wanted_s - rest):.0f} s to go.", _moving(w), rest >= wanted_s,
                  {"rest_s": rest, "noise": np.array(w.gyro_noise)})  # fmt: skip


def still(w: Watch) -> Status:
    """Judge a rest for the gyro's bias."""
    return _rest(w, REST_S)


def long_still(w: Watch) -> Status:
    """Judge a rest of two hours for the Allan deviation."""
    return _rest(w, LONG_REST_S)


def check(w: Watch) -> Status:
    """Judge the twenty seconds of a check: rest first, then a turn, so that bias, gravity and field can all be compared."""
    rest = _longest(w.still())
    turned = float(np.abs(np.array(w.gyro)).max(initial=0.0)) > 0.4
    done = rest >= 8.0 and turned and w.seconds >= REST_S
    now = (
        "Leave it at rest."
        if rest < 8
        else "Now turn it slowly, nose round and over."
        if not turned
        else "Go on turning."
    )
    return Status(min(1.0, w.seconds / REST_S), now, _saturated(w), done)


def six_face(w: Watch) -> Status:
    """Judge which faces have been held still for long enough."""
    flags = w.still()
    held = np.zeros(6)
    for reading, s in zip(w.acc, flags, strict=True):
        face, off = nearest_face(reading)
        if s and off < np.radians(20):
            held[face] += WINDOW_S
    share = np.minimum(1.0, held / FACE_S)
    missing = [FACES[i] for i in range(6) if share[i] < 1]
    wrong = list(_saturated(w))
    if len(flags) and flags[-1]:
        face, off = nearest_face(w.acc[-1])
        if off > np.radians(20):
            wrong.append("This is no face: lay it square.")
        elif off > np.radians(3):
            wrong.append(f"It lies {np.degrees(off):.0f}° off square.")
    elif len(flags):
        wrong.append("It moves: hold it still.")
    now = f"Lay it {missing[0]} and hold it {FACE_S:.0f} s." if missing else "All six faces are there."
    return Status(float(share.mean()), now, tuple(wrong), not missing, {"held": share, "missing": missing})


def level(w: Watch) -> Status:
    """Judge the level rest, and the second one after a turn by 180°."""
    flags = w.still()
    spans = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(int), [0]])))
    lengths = (spans[1::2] - spans[::2]) * WINDOW_S
    rests = int((lengths >= LEVEL_S).sum())
    tilt = nearest_face(w.acc[-1])[1] if len(w.acc) else 0.0
    wrong = list(_saturated(w))
    if len(flags) and flags[-1] and tilt > np.radians(8):
        wrong.append(f"It stands {np.degrees(tilt):.0f}° off level.")
    now = ("Stand the craft level and leave it.", "Turn it half round on the table, and leave it again.", "Enough.")[
        min(rests, 2)
    ]
    return Status(min(1.0, (rests + (lengths[-1] / LEVEL_S if len(lengths) and rests < 2 and flags[-1] else 0)) / 2), now, tuple(wrong),
                  rests >= 2)  # fmt: skip


def rotate(w: Watch) -> Status:
    """Judge which directions of the field have been seen, and whether steel bends it."""
    m = np.array(w.mag[:: max(1, len(w.mag) // 800)])
    if len(m) < 30:
        return Status(0.0, "Turn the craft slowly through all headings, level first.", _saturated(w))
    sphere = fit_sphere(m, None)
    low, high = EARTH_UT
    unsure = float(sphere.centre_sigma.max()) > 0.03 * sphere.radius
    if unsure or not low < sphere.radius < high or float(np.sqrt(m.var(axis=0).sum())) < 0.4 * low:
        # Not turned far enough yet for a centre: directions round a wrong one would only seem to be covered.
        turned = min(0.2, float(np.sqrt(m.var(axis=0).sum())) / 100.0)
        return Status(turned, "Turn the craft slowly through all headings, level first.", _saturated(w))
    seen = coverage(m - sphere.centre)
    off = np.linalg.norm(m - sphere.centre, axis=1) / sphere.radius - 1.0
    wrong = list(_saturated(w))
    enough_to_judge = seen.eigenvalues[0] > LEAST_EIGENVALUE
    if enough_to_judge and float(np.sqrt(np.mean(off[-60:] ** 2))) > NEAR_STEEL:
        wrong.append("The field is bent here: further from steel, cars, speakers; 1.5 m above the ground.")
    done = seen.eigenvalues[0] > 1.5 * LEAST_EIGENVALUE and seen.share >= COVER_SHARE
    hold = (
        f"Turn it {seen.gaps[0]}."
        if seen.gaps and not done
        else "Go on turning."
        if not done
        else "All directions are covered."
    )
    return Status(
        min(1.0, seen.share / 0.75) if not done else 1.0,
        hold,
        tuple(wrong),
        done,
        {"coverage": seen, "centre": sphere.centre},
    )


def mounting(w: Watch) -> Status:
    """Judge how many of the three motions have been done."""
    flags = w.still()
    rate = np.array(w.gyro)
    count, turned, resting = 0, np.zeros(3), False
    bias = np.median(rate[flags], axis=0) if flags.any() else np.zeros(3)
    net: list[Array] = []
    for i, s in enumerate(flags):
        if s:
            if np.linalg.norm(turned) > LEAST_TURN_RAD:
                if net and float(net[-1] @ turned) < -0.5 * float(net[-1] @ net[-1]):
                    pass  # the way back
                else:
                    net.append(turned.copy())
                    count += 1
            turned = np.zeros(3)
            resting = True
        elif resting:
            turned = turned + (rate[i] - bias) * WINDOW_S
    done = count >= 3 and bool(len(flags) >= 4 and flags[-4:].all())
    now = "Leave it level for 2 s." if not flags.any() else (
        f"Now {MOTIONS[count]}, by some 40°, and rest." if count < 3 else "Leave it."
    )  # fmt: skip
    return Status(
        min(1.0, (count + (0.3 if flags.any() else 0)) / 3.3) if not done else 1.0,
        now,
        _saturated(w),
        done,
        {"count": count},
    )


def soak(w: Watch) -> Status:
    """Judge how far the temperature has moved."""
    warm = np.array(w.temperature_degc)
    warm = warm[np.isfinite(warm)]
    span = float(np.ptp(warm)) if len(warm) else 0.0
    settled = len(warm) > 240 and float(np.ptp(warm[-120:])) < 0.15
    wrong = _moving(w) + (() if len(warm) else ("The sensor's temperature is not logged.",))
    now = f"Cool the board first, then let it warm by itself; {span:.1f} K so far."
    return Status(
        min(1.0, span / 15.0), now, wrong, span >= 15.0 or (span >= 10.0 and settled), {"temperature_degc": warm}
    )


def airflow(w: Watch) -> Status:
    """Judge the two halves, without and with foam."""
    p = np.array(w.pressure_pa)
    seconds = w.seconds
    now = "Blow at the barometer (or run the restrained motors) without foam." if seconds < 20 else (
        "Lay the foam over it and go on blowing just as hard." if seconds < 40 else "Enough."
    )  # fmt: skip
    wrong = () if len(p) else ("The pressure is not logged.",)
    return Status(min(1.0, seconds / 40.0), now, wrong, seconds >= 40.0 and len(p) > 80, {"pressure_pa": p})


def motor_current(w: Watch) -> Status:
    """Judge how far the current has moved, and that the craft has not."""
    c = np.array(w.current_a)
    span = float(np.ptp(c)) if len(c) else 0.0
    turned = float(np.abs(np.array(w.gyro)).max(initial=0.0)) > 0.5
    wrong = (("The craft turns: hold it fast.",) if turned else ()) + (
        () if len(c) else ("The current is not logged.",)
    )
    now = "Raise the throttle slowly to hover and back, twice."
    return Status(
        min(1.0, 0.5 * span / 8.0 + 0.5 * w.seconds / 24.0),
        now,
        wrong,
        span >= 8.0 and w.seconds >= 24.0,
        {"current_a": c},
    )


def vibration(w: Watch) -> Status:
    """Judge ten seconds with motors running."""
    shakes = np.array(w.acc_noise) > 0.3
    seconds = float(shakes.sum()) * WINDOW_S
    now = "Run the motors at hover, the craft restrained." if seconds < 1 else "Keep the throttle steady."
    return Status(min(1.0, seconds / 10.0), now, _saturated(w), seconds >= 10.0)


def gnss_static(w: Watch) -> Status:
    """Judge for how long fixes have come."""
    wrong = () if w.fixes or w.seconds < 5 else ("No fixes come: go outdoors, wait for satellites.",)
    return Status(
        min(1.0, w.seconds / LEAST_SKY_S, w.fixes / LEAST_FIXES),
        "Leave it outdoors with a free view of the sky.",
        wrong,
        w.seconds >= LEAST_SKY_S and w.fixes >= LEAST_FIXES,
    )


def lever_arm(w: Watch) -> Status:
    """Judge a minute of turning on the spot outdoors."""
    rate = np.linalg.norm(np.array(w.gyro), axis=1) if w.gyro else np.zeros(0)
    fast = float((rate > 0.5).sum()) * WINDOW_S
    wrong = () if w.speeds or w.seconds < 5 else ("No speeds come from the receiver.",)
    rest = _longest(w.still()) >= 3.0
    now = (
        "Leave it at rest for 4 s first."
        if not rest
        else "Turn the craft on the spot, nose round, as fast as you can hold it."
    )
    return Status(min(1.0, fast / 45.0), now, wrong, fast >= 45.0 and w.speeds > 40)


def sticks(w: Watch) -> Status:
    """Judge the sticks' rest and their ends."""
    s = np.array(w.sticks)
    if len(s) == 0:
        return Status(0.0, "Log the receiver's sticks.", ("No sticks are logged.",) if w.seconds > 3 else ())
    reached = (s.min(axis=0) < -0.9).sum() + (s.max(axis=0) > 0.9).sum()
    now = "Take your hands off the sticks." if len(s) < 80 else "Move each stick to both ends, slowly."
    return Status(min(1.0, (min(len(s), 80) / 80 + reached) / 7), now, (), len(s) >= 120 and reached == 6)


def two_imu(w: Watch) -> Status:
    """Judge whether both have been turned about all axes."""
    rate = np.abs(np.array(w.gyro)) if w.gyro else np.zeros((0, 3))
    turned = (rate > 0.4).sum(axis=0) if len(rate) else np.zeros(3)
    wrong = () if w.second_imu or w.seconds < 3 else ("The second IMU is not logged.",)
    share = float(np.minimum(turned / 12.0, 1.0).mean())
    axis = "nose round, over the nose and over the side"
    return Status(share, f"Turn it by hand about all axes: {axis}.", wrong, share >= 1.0 and w.second_imu > 0)
