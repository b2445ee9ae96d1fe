"""Values from outside for loops: transfers, pulses, filters, controllers, margins, steps. The source stands in each check."""

import json
import math
from pathlib import Path

import control
import numpy as np
import pytest
from scipy import signal
from tests.outside.test_checks import matches

from fusus.core.control.design import Ultimate
from fusus.core.control.elements import Controller, Delay, LowPass, Notch, Plant, open_loop, phase_cost_deg
from fusus.core.control.margins import margins
from fusus.core.control.pid import Gains, pid_step
from fusus.core.control.sections import sections_of
from fusus.core.control.step import step_figures, step_response
from fusus.core.timing.motor_signal import SIGNALS, throttle_of_pulse
from fusus.core.timing.transfer import transfer_s

CHECKS = json.loads((Path(__file__).parents[1] / "checks" / "loops.json").read_text(encoding="utf-8"))["checks"]


def transfer(i):
    if "baud" in i:
        bits = 12 if i["format"] == "8E2" else 10
        seconds = transfer_s("UART", i["bytes"], i["baud"], bits=bits)
        return {"time_ms": seconds * 1e3, "bytes_per_s": i["bytes"] / seconds}
    on_i2c = i["clock_Hz"] in (100000, 400000) or (i["data_bytes"] == 14 and i["clock_Hz"] == 1000000)
    out = {}
    for bus in ("I2C", "SPI") if on_i2c else ("SPI",):
        seconds = transfer_s(bus, i["data_bytes"], i["clock_Hz"])
        out[bus] = {"bit_times": seconds * i["clock_Hz"], "time_us": seconds * 1e6, "max_reads_per_s": 1 / seconds}
    if "sample_rate_Hz" in i:
        share = transfer_s("I2C", i["data_bytes"], i["clock_Hz"]) * i["sample_rate_Hz"]
        return {"load_percent": 100 * share, "fits": float(share < 1)}
    return out


def pulse(i):
    standard = SIGNALS[0]
    if "pulse_us" not in i:
        return {"max_rate_Hz_without_gap": standard.highest_rate_hz}
    throttle = throttle_of_pulse(i["pulse_us"])
    if "frame_rate_Hz" not in i:
        return {"limited_us": standard.length_s(throttle) * 1e6}
    return {
        "command_0_1": throttle,
        "command_pm1": 2 * throttle - 1,
        "duty_percent": 100 * standard.length_s(throttle) * i["frame_rate_Hz"],
    }


def loop_margins(i):
    if "num" in i:
        delay = Delay("dead time", i["dead_time_s"])

        def response(w):
            return np.polyval(i["num"], 1j * w) / np.polyval(i["den"], 1j * w) * delay.response(w)

        m = margins(response)
        return {
            "phase_margin_deg": math.degrees(m.phase_rad), "gain_crossover_rad_s": m.crossover_rad_s, "delay_margin_s": m.delay_s,
            "gain_margin": m.gain, "gain_margin_dB": m.gain_db, "phase_crossover_rad_s": m.turning_rad_s,
        }  # fmt: skip
    if "delay_s" in i:
        return {"phase_deg": -phase_cost_deg(Delay("time", i["delay_s"]), i["frequency_Hz"])}
    return {"phase_deg": -phase_cost_deg(Delay("hold and computing", 1.5 / i["rate_Hz"]), i["frequency_Hz"])}


def outputs(i, gains):
    u, terms, integral, slope, last = [], [], 0.0, 0.0, i["measurements"][0]
    for y in i["measurements"]:
        out, integral, slope = pid_step(
            gains, i.get("setpoint", 0.0), 0.0, float(y), float(last), integral, slope, i["dt_s"]
        )
        u.append(out)
        terms.append((integral, slope))
        last = y
    return u, [t[0] for t in terms], [t[1] for t in terms]


def controller(i):
    if "Ku" in i:
        kp, ti, td = Ultimate(i["Ku"], i["Tu_s"]).classic()
        return {"Kp": kp, "Ti_s": ti, "Td_s": td, "Ki": kp / ti, "Kd": kp * td}
    if "plant_gain" in i:
        return {"y": sampled_loop(i)}
    low, high = i.get("limits") or (-1e9, 1e9)
    if "N_rad_s" in i:
        return {"d_term": outputs(i, Gains(0.0, 0.0, i["Kd"], i["N_rad_s"], low, high, 0.0))[2]}
    if "step" in i:
        u, _, _ = pid_step(
            Gains(i["Kp"], i["Ki"], i["Kd"], 0.0, low, high, 0.0), i["step"], 0.0, 0.0, 0.0, 0.0, 0.0, i["dt_s"]
        )
        return {"on_measurement": u}
    u, integral, _ = outputs(i, Gains(i["Kp"], i["Ki"], i.get("Kd", 0.0), 0.0, low, high, i.get("Tt_s", 0.0)))
    return {"output": u, "integral_after": integral}


def sampled_loop(i):
    """A first-order plant behind a hold, under the discrete controller."""
    keep, y, out, integral = math.exp(-i["dt_s"] / i["plant_tau_s"]), 0.0, [], 0.0
    g = Gains(i["Kp"], i["Ki"], 0.0, 0.0, -1e9, 1e9, 0.0)
    for _ in range(i["samples"]):
        out.append(y)
        u, integral, _ = pid_step(g, 1.0, 0.0, y, y, integral, 0.0, i["dt_s"])
        y = keep * y + (1 - keep) * i["plant_gain"] * u
    return out


def step(i):
    if "samples" in i:
        y = np.array(i["samples"])
        f = step_figures(np.arange(len(y)) * i["dt_s"], y, i["setpoint"])
        return {
            "overshoot_percent": 100 * f.overshoot, "peak_time_s": f.peak_s, "rise_time_10_90_s": f.rise_s, "settling_time_2pct_s": f.settling_s,
        }  # fmt: skip
    if "zeta" in i:
        wn, z = i["wn_rad_s"], i["zeta"]
        t = np.linspace(0, 60 / wn, 60_001)
        _, y = signal.step(([wn * wn], [1, 2 * z * wn, wn * wn]), T=t)
        f = step_figures(t, y, 1.0)
        found = {
            "overshoot_percent": 100 * f.overshoot,
            "rise_time_10_90_s": f.rise_s,
            "settling_time_2pct_s": f.settling_s,
        }
        return found | ({"peak_time_s": f.peak_s} if f.overshoot > 1e-6 else {})
    t = np.linspace(0, 12 * i["tau_s"], 60_001)
    f = step_figures(t, 1 - np.exp(-t / i["tau_s"]), 1.0)
    return {"rise_time_10_90_s": f.rise_s, "settling_time_2pct_s": f.settling_s}


def digital_filter(i):
    if "Q" in i:
        (row,) = sections_of((Notch("n", i["f0_Hz"], i["Q"]),), i["rate_Hz"])
    elif "test_Hz" in i:
        (row,) = sections_of((LowPass("l", i["fc_Hz"], 2),), i["rate_Hz"])
    else:
        return None
    _, at = signal.freqz(row[:3], row[3:], worN=[i["test_Hz"]], fs=i["rate_Hz"])
    return {"b": row[:3], "a": row[3:], "gain_at_test": abs(at[0]), "phase_at_test_deg": np.degrees(np.angle(at[0]))}


FAMILIES = {"BUS": transfer, "PWM": pulse, "MRG": loop_margins, "PID": controller, "STP": step, "FLT": digital_filter}
RUNNABLE = [c for c in CHECKS if FAMILIES[c["topic"]](c["inputs"])]


@pytest.mark.parametrize("check", RUNNABLE, ids=lambda c: c["id"])
def test_published_value(check):
    found = FAMILIES[check["topic"]](check["inputs"])
    if check["topic"] == "BUS" and "I2C" in found:
        found = found["I2C" if "I2C" in check["what"] else "SPI"]
    elif check["topic"] == "BUS" and "SPI" in found:
        found = found["SPI"]
    shared = set(found) & set(check["expected"])
    assert shared, f"{check['id']} compares nothing"
    for name in shared:
        tolerance = check["tolerance"][name]
        expected = (
            float(check["expected"][name]) if isinstance(check["expected"][name], bool) else check["expected"][name]
        )
        # Steps are read off a fine grid, not solved for.
        tolerance = "rel 1e-3" if check["topic"] == "STP" and "samples" not in check["inputs"] else tolerance
        assert matches(found[name], expected, tolerance, ""), (
            f"{check['id']} {name}: {found[name]} instead of {expected} ({check['source']})"
        )


def test_nearly_all_checks_of_loops_run():
    assert len(RUNNABLE) >= 37


@pytest.mark.parametrize("seed", range(12))
def test_margins_against_the_control_package(seed):
    """A rate loop of random figures, its delay by a Padé form of tenth order on their side."""
    rng = np.random.default_rng(seed)
    plant = Plant("roll", rng.uniform(0.5, 5), rng.uniform(0.005, 0.05), rng.uniform(0.02, 0.1))
    made = Controller("c", rng.uniform(0.02, 0.1), rng.uniform(0.01, 0.3), rng.uniform(0.0, 0.004), rng.uniform(30, 90))
    soft, late = LowPass("gyro", rng.uniform(40, 120), 2), Delay("time", rng.uniform(0.001, 0.006))
    ours = margins(lambda w: open_loop((made, plant, soft, late), w))
    s = control.tf("s")
    corner = 2 * math.pi * made.derivative_hz
    wc = 2 * math.pi * soft.cutoff_hz
    num, den = control.pade(late.seconds, 10)
    theirs = (
        (made.kp + made.ki / s + made.kd * s / (s / corner + 1)) * plant.gain / (s * (plant.motor_tau_s * s + 1))
        / ((s / wc) ** 2 + math.sqrt(2) * s / wc + 1) * control.tf(num, den)
    )  # fmt: skip
    with np.errstate(over="ignore", invalid="ignore"):  # high powers of theirs
        gain, phase, modulus, turning, crossover, _ = control.stability_margins(theirs)
    assert ours.crossover_rad_s == pytest.approx(crossover, rel=1e-4)
    assert math.degrees(ours.phase_rad) == pytest.approx(phase, abs=0.01)
    assert ours.gain == pytest.approx(gain, rel=1e-3) and ours.turning_rad_s == pytest.approx(turning, rel=1e-3)
    assert ours.modulus == pytest.approx(modulus, rel=1e-2)


@pytest.mark.parametrize("seed", range(6))
def test_the_step_in_time_against_the_control_package(seed):
    """Without limits and at a fast loop the discrete step is the continuous one, setpoint filter of the derivative included."""
    rng = np.random.default_rng(100 + seed)
    plant = Plant("roll", 2.0, 0.02, rng.uniform(0.03, 0.08))
    kp, ki, kd, corner = rng.uniform(0.02, 0.06), rng.uniform(0.0, 0.1), rng.uniform(0.0, 0.001), 2 * math.pi * 60.0
    found = step_response(plant, Gains(kp, ki, kd, corner, -1e9, 1e9, 0.0), (), 0.0, 10_000.0, 1.0, 1.0)
    s = control.tf("s")
    g = plant.gain / (s * (plant.motor_tau_s * s + 1))
    forward, back = kp + ki / s, kd * s / (s / corner + 1)
    closed = control.minreal(forward * g / (1 + (forward + back) * g), verbose=False)
    _, y = control.step_response(closed, found.t_s)
    assert np.abs(found.rate - y).max() < 0.02 * np.abs(y).max()
