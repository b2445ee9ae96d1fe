"""What gives way when motors are full, against a linear programme of a library, step by step; airframes of every kind."""

import numpy as np
import pytest
from scipy.optimize import linprog

from fusus.core.vehicle.airframe import Airframe
from fusus.core.vehicle.mixer import mix, mixer_of

LAYOUTS = ("X-quad", "plus-quad", "H-quad", "hexa", "octo", "coaxial X8")
# A craft whose centre of gravity lies ahead of its middle: motors do not carry alike.
UNEVEN = Airframe(
    "other", 1.35, 0.21, own=((0.12, 0.15, False), (-0.22, 0.17, True), (-0.22, -0.17, False), (0.12, -0.15, True))
)


def best(mixer, thrust, torque, least):
    """Share of roll and pitch, thrust, part of the yaw: by three linear programmes, one after the other."""
    table = mixer.mix
    level, turn, lift = table[:, 1] * torque[0] + table[:, 2] * torque[1], table[:, 3] * torque[2], table[:, 0]
    # Unknowns: share, thrust, part, |thrust off|.
    rows, most = [], []
    for sign, limit in ((1.0, 1.0), (-1.0, -least)):
        for r, u, y in zip(level, lift, turn, strict=True):
            rows.append([sign * r, sign * u, sign * y, 0.0])
            most.append(limit)
    for sign in (1.0, -1.0):
        rows.append([0.0, sign, 0.0, -1.0])
        most.append(sign * thrust)
    bounds = [[0.0, 1.0], [None, None], [0.0, 1.0], [0.0, None]]
    found = None
    for cost, fixed in (([-1, 0, 0, 0], 0), ([0, 0, 0, 1], 3), ([0, 0, -1, 0], 2)):
        found = linprog(cost, A_ub=rows, b_ub=most, bounds=bounds, method="highs")
        if not found.success:
            return None
        got = float(found.x[fixed])
        bounds[fixed] = [max(got - 1e-9, 0.0), got] if fixed < 3 else [0.0, got + 1e-9]
    return found.x[:3]


def got_of(mixer, shares):
    return mixer.effect @ shares


@pytest.mark.parametrize("layout", [*LAYOUTS, "uneven"])
def test_no_more_is_given_away_than_must_be(layout):
    """200 demands a layout, most beyond what the motors have."""
    mixer = mixer_of(UNEVEN if layout == "uneven" else Airframe(layout, 1.35, 0.21))
    rng = np.random.default_rng(len(layout))
    full = float(mixer.effect[0].sum())
    kinds = {"level": 0, "thrust": 0, "yaw": 0}
    for _ in range(200):
        thrust = float(rng.uniform(0.0, 1.1)) * full
        torque = tuple(float(a * rng.uniform(-1.2, 1.2)) for a in mixer.authority_nm)
        least = float(rng.choice([0.0, 0.02, 0.1]))
        wanted = best(mixer, thrust, torque, least)
        if wanted is None:  # an uneven craft at a high least share has no thrust that keeps all in range
            continue
        share, near, part = wanted
        got = got_of(mixer, mix(mixer, thrust, torque, least))
        assert got[1:3] == pytest.approx(np.array(torque[:2]) * share, abs=1e-6)
        assert got[0] == pytest.approx(near, abs=1e-5) and got[3] == pytest.approx(torque[2] * part, abs=1e-5)
        kinds["level"] += share < 1 - 1e-9
        kinds["thrust"] += abs(near - thrust) > 1e-6
        kinds["yaw"] += part < 1 - 1e-9
    assert min(kinds.values()) > 5, kinds


def test_the_wanted_yaw_spares_thrust():
    """Roll and pitch load one motor, and the yaw that is wanted unloads it: no thrust is given away then."""
    mixer = mixer_of(Airframe("X-quad", 1.35, 0.21))
    roll, pitch, yaw = mixer.authority_nm
    level = mixer.mix[:, 1] * 0.45 * roll + mixer.mix[:, 2] * 0.45 * pitch
    relieves = -np.sign(mixer.mix[np.argmax(level), 3])
    got = [
        got_of(mixer, mix(mixer, 0.6 * 4 * 8.0, (0.45 * roll, 0.45 * pitch, y))) for y in (0.0, relieves * 0.5 * yaw)
    ]
    assert got[1][0] > got[0][0] + 0.5


@pytest.mark.parametrize("bad", [np.nan, np.inf, -np.inf, 1e300, -1e300])
@pytest.mark.parametrize("place", range(4))
def test_no_demand_takes_a_motor_out_of_its_range(bad, place):
    for layout in LAYOUTS:
        mixer = mixer_of(Airframe(layout, 1.35, 0.21))
        asked = [12.0, 0.1, 0.1, 0.05]
        asked[place] = bad
        shares = mix(mixer, asked[0], tuple(asked[1:]), 0.05)
        assert np.isfinite(shares).all() and shares.min() >= 0.05 and shares.max() <= 1.0
