"""What a brief asks: facts of the trade, and that figures move the right way."""

import math
from dataclasses import replace

import pytest

from fusus.core.derived_requirements.bus import bus_times, busiest
from fusus.core.derived_requirements.check import Climate, check_part, conflicts, course_conflicts
from fusus.core.derived_requirements.derive import derive
from fusus.core.derived_requirements.modes import MATRIX, MODES, SENSORS, sensors_for
from fusus.core.mission.mission import Mission
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.part import Part, complete
from fusus.core.requirements import Requirement
from fusus.core.timing.transfer import transfer_s
from fusus.core.vehicle.airframe import Airframe, hover, inertia, rotor_places
from fusus.core.world.site import Site
from fusus.errors import ParameterError
from fusus.project.parts_files import catalogue

PARTS = {p.name: p for p in catalogue()}
FRAME = Airframe("X-quad", 1.35, 0.21)
WANTED = (Requirement("tilt", math.radians(2)), Requirement("heading", math.radians(8)), Requirement("height", 0.3, "p95"),
          Requirement("position", 1.5, "p95"), Requirement("velocity", 0.3), Requirement("outage", 3.0, "max", 8.0))  # fmt: skip


def needs(frame=FRAME, mission=None, wanted=WANTED, modes=("self-level", "position-hold")):
    return {n.key: n for n in derive(frame, mission or Mission(), wanted, modes, Site(), 1.225, 18.7)}


def test_modes_need_what_practitioners_say():
    """Gyro alone flies rate; accelerometer: self-level; barometer: altitude hold; GNSS: position hold and return."""
    needed = {m: {s for s in SENSORS if MATRIX[m][s].need == "needed"} for m in MODES}
    assert needed["rate"] == {"gyro"} and MATRIX["rate"]["accelerometer"].need == "not used"
    assert needed["self-level"] == {"gyro", "accelerometer"}
    assert needed["altitude-hold"] == {"gyro", "accelerometer", "barometer"}
    assert needed["return"] == needed["follow-path"] == {"gyro", "accelerometer", "barometer", "gnss"}
    assert needed["position-hold"] == {"gyro", "accelerometer", "barometer", "gnss", "magnetometer"}
    assert MATRIX["return"]["magnetometer"].need == MATRIX["follow-path"]["magnetometer"].need == "either"
    assert "course" in MATRIX["return"]["magnetometer"].reason
    assert (
        MATRIX["position-hold"]["magnetometer"].need == "needed"
        and "hover" in MATRIX["position-hold"]["magnetometer"].reason
    )
    assert all(MATRIX[m][s].reason for m in MODES for s in SENSORS)


def test_the_mode_that_asks_most_gives_the_reason():
    found = sensors_for(("rate", "altitude-hold"))
    assert (
        found["barometer"][0] == "altitude-hold"
        and found["gnss"][1].need == "helps"
        and found["gyro"][1].need == "needed"
    )
    assert sensors_for(()) == {}


def test_figures_of_the_demo_craft_by_hand():
    n = needs()
    # √(N R) at half of 2° with R = 1·√(2·2)/9.80665: N = (0.5·0.0349)²·9.80665/2; half the heading limit of a field of 18.7 µT: 18.7 sin 4°.
    assert n["gyro_noise"].value == pytest.approx((0.5 * 0.034907) ** 2 * 9.80665 / 2.0, rel=1e-4)
    assert n["mag_error"].value == pytest.approx(18.7 * math.sin(math.radians(4)), rel=1e-6)
    assert n["acc_bias_outage"].value == pytest.approx(2 * 1.5 / 64) and n["gyro_bias_outage"].value == pytest.approx(
        6 * 1.5 / (9.80665 * 512)
    )
    assert n["gyro_range"].value == pytest.approx(1.3 * (math.radians(250) + 3 * 0.03))
    assert n["fix_rate"].value == 5.0 and n["baro_noise"].value == pytest.approx(0.15 * 1.225 * 9.80665)
    assert all(x.reason and x.shown for x in n.values())


def test_needs_move_the_right_way():
    base = needs()
    shaken = [needs(mission=replace(Mission(), vibration_acc_m_s2=v))["acc_range"].value for v in (20.0, 40.0)]
    assert base["acc_range"].value == pytest.approx(8 * 9.80665)
    assert base["acc_range"].value < shaken[0] < shaken[1]
    assert needs(modes=("rate",))["gyro_range"].value > base["gyro_range"].value and "baro_rate" not in needs(
        modes=("rate",)
    )
    assert needs(frame=replace(FRAME, arm_m=0.08))["loop_rate"].value > base["loop_rate"].value
    assert needs(mission=replace(Mission(), outage_s=16.0))["acc_bias_outage"].value == pytest.approx(
        base["acc_bias_outage"].value / 4
    )
    assert needs(mission=replace(Mission(), speed_m_s=20.0))["fix_rate"].value == pytest.approx(20 / 1.5)
    assert set(needs(wanted=())) == {"gyro_range", "acc_range", "loop_rate", "gyro_rate", "baro_rate"}


@pytest.mark.parametrize("frame", [FRAME, replace(FRAME, motor_thrust_n=12.0), replace(FRAME, full_rpm=9000.0)])
def test_the_imu_is_fast_enough_for_the_rotors_at_full_thrust(frame):
    """Thrust goes with the square of the speed: at full thrust rotors turn √(T/W) times as fast as in the hover."""
    found = hover(frame, 9.80665, 1.225)
    fastest = found.rotor_hz * math.sqrt(found.thrust_to_weight)
    if frame.full_rpm is not None:
        assert fastest == pytest.approx(frame.full_rpm / 60.0)
    assert needs(frame=frame)["gyro_rate"].value == pytest.approx(2.2 * 2 * fastest)


@pytest.mark.parametrize("modes", [("position-hold",), ("self-level", "position-hold"), ("position-hold", "return")])
def test_a_course_is_no_heading_for_a_hover(modes):
    (found,) = course_conflicts(True, modes)
    assert "hover" in found.message and found.parts[0] == "GNSS course" and "magnetometer" in found.action
    assert not course_conflicts(False, modes)


@pytest.mark.parametrize("modes", [(), ("return",), ("follow-path", "return"), ("self-level", "altitude-hold")])
def test_a_course_serves_what_moves(modes):
    assert not course_conflicts(True, modes)


def test_rules_of_thumb_are_advice_and_computed_needs_are_limits():
    """14 bits, ±8 g, ±2000 deg/s, 100 Hz: common practice."""
    tight = (*WANTED[1:], Requirement("tilt", math.radians(0.5)))
    wanted = tuple(needs(wanted=tight).values())
    poor = {
        (c.subject, c.kind): c
        for c in check_part(complete(PARTS["Elm 14"]), wanted, Fitting(calibrated=False), Climate())
    }
    # Full thrust alone would leave ±4 g; a touch-down does not: one answer, not a limit and an advice that differ.
    assert not poor["Accelerometer range", "limit"].kept and ("Accelerometer range", "advice") not in poor
    assert not poor["Gyro noise", "limit"].kept, "18 mdeg/s/√Hz against a limit of 5.3"
    assert poor["Gyro range", "limit"].kept and not poor["Gyro range", "advice"].kept
    assert poor["Bits", "advice"].kept and "14" in poor["Bits", "advice"].message
    assert not poor["Accelerometer bias left", "limit"].kept
    good = check_part(complete(PARTS["Cedar 1"]), tuple(needs().values()), Fitting(), Climate())
    assert all(c.kept for c in good if c.kind == "limit")
    assert [c.kept for c in good] == sorted(c.kept for c in good), "what fails stands first"


def test_every_part_is_checked_and_climate_counts():
    cold = Climate(-60.0, 30.0)
    for part in catalogue():
        found = check_part(complete(part), tuple(needs().values()), Fitting(), cold)
        assert any(c.subject == "Temperature" and not c.kept and c.kind == "limit" for c in found), part.title
        assert all(c.message and c.reason for c in found)


def test_bus_and_supply_conflicts():
    a, b = (
        complete(PARTS["Lode 2"]),
        complete(Part("barometer", "Twin", PARTS["Fen 1"].figures, {"bus": "I2C", "address": "0x0c"})),
    )
    found = conflicts((a, b))
    assert (
        len(found) == 1
        and {"Lode 2", "Twin"} == set(found[0].parts)
        and "0x0c" in found[0].message
        and "second" in found[0].action
    )
    two = complete(PARTS["Fen 1"])
    assert not conflicts((two, complete(PARTS["Fen 2"]))), "each has two addresses"
    assert len(conflicts((two, complete(PARTS["Fen 2"]), complete(PARTS["Fen 3"])))) == 1
    assert any("supplies" in c.action for c in conflicts((complete(PARTS["Birch 1"]), complete(PARTS["Needle M"]))))


def test_airframes():
    assert (
        len(rotor_places(Airframe("coaxial X8", 1.0, 0.2))) == 8 and len(rotor_places(Airframe("hexa", 1.0, 0.2))) == 6
    )
    for layout in ("X-quad", "plus-quad", "hexa", "octo", "coaxial X8", "H-quad"):
        places = rotor_places(Airframe(layout, 1.0, 0.2))
        assert sum(x for x, _, _ in places) == pytest.approx(0, abs=1e-12) and sum(
            y for _, y, _ in places
        ) == pytest.approx(0, abs=1e-12)
        x, y, z = inertia(Airframe(layout, 1.35, 0.21))
        assert 0 < x < z < x + y + 1e-3 and z > y, "a flat body: about the vertical most, the triangle rule holds"
    assert inertia(Airframe("X-quad", 1.35, 0.21, inertia_kg_m2=(0.01, 0.02, 0.03))) == (0.01, 0.02, 0.03)


def test_hover_scales_as_momentum_theory_says():
    light, heavy = hover(FRAME, 9.81, 1.225), hover(replace(FRAME, mass_kg=2.7), 9.81, 1.225)
    assert heavy.power_w == pytest.approx(light.power_w * 2**1.5) and heavy.rotor_hz == pytest.approx(
        light.rotor_hz * math.sqrt(2)
    )
    assert hover(FRAME, 9.81, 0.6125).power_w == pytest.approx(light.power_w * math.sqrt(2))
    eight = hover(replace(FRAME, layout="coaxial X8"), 9.81, 1.225)
    assert eight.power_w == pytest.approx(light.power_w), "two rotors on one arm share its disc"
    with pytest.raises(ParameterError, match="Mass"):
        Airframe("X-quad", 0.0, 0.2)


def test_reading_an_imu_over_i2c_takes_some_four_hundred_microseconds():
    """An IMU read of about 400 µs on a 400 kHz I2C: common practice."""
    slow = bus_times((complete(PARTS["Alder 1"]), complete(PARTS["Fen 2"]), complete(PARTS["Tern 1"])), 500.0)
    assert [t.part for t in slow] == ["Alder 1", "Fen 2"]
    bus, share = busiest(slow)
    assert bus == "I2C" and share == pytest.approx(500 * transfer_s("I2C", 14) + 50 * transfer_s("I2C", 6))
    assert busiest(bus_times((complete(PARTS["Birch 1"]),), 500.0)) == ("SPI", pytest.approx(500 * 15e-6))
