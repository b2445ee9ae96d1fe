"""``fusus loops`` from outside, by the contract."""

import json

import pytest
from tests.cli.command import fusus

from fusus.project import store
from fusus.project.records import Brief, Craft, Loops, Project


def made(folder, **loops):
    craft = Craft(mass_kg=1.2, arm_m=0.2, motor_thrust_n=8.0)
    store.create(folder, Project(name="Heron", brief=Brief(craft=craft), loops=Loops(**loops)))
    return folder


def told(folder, code=0):
    done = fusus("loops", "--project", folder, "--json")
    assert done.returncode == code, done.stderr
    return json.loads(done.stdout)


def test_the_report_is_the_contracts(tmp_path):
    report = told(made(tmp_path / "craft"))
    assert {"tasks", "utilisation", "response", "latency_us", "axes"} <= set(report)
    assert [t["name"] for t in report["tasks"]][:2] == ["read IMU", "filter"]
    assert report["tasks"][0]["duration_us"] == pytest.approx(390.0)
    for axis in ("roll", "pitch", "yaw"):
        assert {"crossover_hz", "phase_margin_deg", "gain_margin_db", "delay_margin_ms"} <= set(report["axes"][axis])
    assert report["axes"]["roll"]["crossover_hz"] == pytest.approx(5.0, rel=0.01)
    assert report["latency_us"] == pytest.approx(sum(p["us"] for p in report["latency"]))
    assert report["fits"] and not report["overruns"] and len(report["motors"]) == 4


def test_a_long_telemetry_text_does_not_fit_and_is_named(tmp_path):
    report = told(made(tmp_path / "craft", telemetry_s=1650e-6), 1)
    assert not report["fits"] and {o["cause"] for o in report["overruns"]} == {"telemetry"}
    stop = next(f for f in report["findings"] if f["severity"] == "stop")
    assert "telemetry" in stop["reason"] and "compact" in stop["next_step"]


def test_a_signal_slower_than_the_loop_stops_notes_flight_and_kit(tmp_path):
    folder = made(tmp_path / "craft", rate_hz=1000.0, processor=20.0, bus="SPI", bus_hz=8e6)
    report = told(folder, 1)
    assert report["fits"] and not report["signal_keeps_up"] and report["most_commands_hz"] == pytest.approx(500.0)
    stops = [f["subject"] for f in report["findings"] if f["severity"] == "stop"]
    assert stops == ["The motor signal is slower than the loop"]
    for command in (("simulate", "--scenario", "take-off", "--runs", "1"), ("kit", "--no-proof", "--no-cost")):
        done = fusus(*command, "--project", folder, "--json")
        assert done.returncode == 2 and "standard pulse" in json.loads(done.stdout)["error"], done.stdout + done.stderr
    sound = told(made(tmp_path / "fast", rate_hz=1000.0, processor=20.0, bus="SPI", bus_hz=8e6, signal="eighth pulse"))
    assert sound["signal_keeps_up"]


def test_what_if_spi_compact_telemetry_and_a_higher_clock(tmp_path):
    base = told(made(tmp_path / "a"))
    spi = told(made(tmp_path / "b", bus="SPI", bus_hz=8e6))
    fast = told(made(tmp_path / "c", processor=4.0))
    gyro_alone = told(made(tmp_path / "d", with_accelerometer=False))
    for better in (spi, fast, gyro_alone):
        assert better["longest_cycle_us"] < base["longest_cycle_us"] and better["latency_us"] < base["latency_us"]
    assert fast["tasks"][0]["duration_us"] == pytest.approx(390.0), "a bus keeps its own clock"
    beside = told(made(tmp_path / "e", reads_block=False))
    assert beside["utilisation"] < base["utilisation"]


def test_fixed_priorities_tell_who_is_late(tmp_path):
    report = told(made(tmp_path / "a", schedule="fixed priorities"))
    assert report["fits"] and all(v is not None for v in report["response"].values())
    late = told(made(tmp_path / "b", schedule="fixed priorities", logging_s=0.009, logging_hz=100.0), 1)
    assert not late["fits"] and late["response"]["logging"] is None


def test_given_gains_that_swing_are_stopped(tmp_path):
    report = told(made(tmp_path / "craft", roll=(2.0, 0.0, 0.05)), 1)
    assert not report["axes"]["roll"]["is_stable"] and not report["axes"]["roll"]["designed"]
    assert any("swings by itself" in f["subject"] for f in report["findings"])


def test_a_craft_too_heavy_to_lift_off(tmp_path):
    folder = tmp_path / "craft"
    store.create(folder, Project(name="Brick", brief=Brief(craft=Craft(mass_kg=5.0, motor_thrust_n=8.0))))
    report = told(folder, 1)
    assert any(f["subject"] == "It does not lift off" for f in report["findings"])


def test_people_read_tables_and_the_cautions(tmp_path):
    shown = fusus("loops", "--project", made(tmp_path / "craft"))
    assert shown.returncode == 0 and "Propellers off" in shown.stdout and "crossover" in shown.stdout
    assert "Traceback" not in shown.stderr


@pytest.mark.parametrize(
    "words", ["loops.rate_hz=0", "loops.bus=CAN", "loops.telemetry_s=-1", "loops.roll=[1,2]", "loops.nothing=1"]
)
def test_wrong_figures_are_refused(tmp_path, words):
    done = fusus("brief", "--project", made(tmp_path / "craft"), "--set", words)
    assert done.returncode == 2 and "Traceback" not in done.stderr
    assert store.load(tmp_path / "craft").loops == Loops()


def test_ladders_are_played_on_an_axis(tmp_path):
    folder = made(tmp_path / "craft")
    done = fusus("loops", "--project", folder, "--ladder", "D first", "--axis", "yaw", "--json")
    rungs = json.loads(done.stdout)["ladder"]
    assert done.returncode == 0 and rungs[0]["done"] == "begin with little P" and rungs[-1]["gains"]["i"] > 0
    shown = fusus("loops", "--project", folder, "--ladder", "rate mode first")
    assert shown.returncode == 0 and "relay" in shown.stdout
    assert fusus("loops", "--project", folder, "--ladder", "I first").returncode == 2
    assert fusus("loops", "--project", folder, "--ladder", "D first", "--axis", "nose").returncode == 2


def test_what_the_loops_bear(tmp_path):
    spread = {c["what"]: c["axes"]["roll"] for c in told(made(tmp_path / "craft"))["spread"]}
    drawn = spread["as drawn"]
    assert drawn["phase_margin_deg"] == pytest.approx(told(tmp_path / "craft")["axes"]["roll"]["phase_margin_deg"])
    assert (
        spread["a payload: inertia and a half"]["crossover_hz"]
        < drawn["crossover_hz"]
        < spread["motors a third stronger"]["crossover_hz"]
    )
    assert spread["twice the delay"]["phase_margin_deg"] < drawn["phase_margin_deg"]
    worst = spread["stripped, strong, slow and late at once"]
    assert worst["modulus_margin"] == min(a["modulus_margin"] for a in spread.values())
