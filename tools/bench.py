"""Speed as ratios against reference libraries in the same run: ``./run bench``. Never a timed test."""

import argparse
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from fusus.core.estimation.replay import EstimatorInput

SAMPLES = 300_000
REFERENCE_SAMPLES = 20_000


def best(work: Callable[[], object], repeats: int = 25) -> float:
    """Return the shortest of several times, s: the one least disturbed by others on the machine."""
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def made_samples(n: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return made-up gyro, accelerometer and field samples in SI units, forward-right-down."""
    rng = np.random.default_rng(1)
    t = np.arange(n) * 1e-3
    gyro = rng.normal(0, 0.004, (n, 3)) + np.stack([0.3 * np.sin(t), 0.2 * np.cos(t), 0.1 * np.ones(n)], axis=1)
    acc = rng.normal([0.0, 0.0, -9.81], 0.05, (n, 3))
    mag = rng.normal([18.6, 1.6, 46.4], 0.4, (n, 3))
    return gyro, acc, mag


def estimators() -> dict[str, float]:
    """Return microseconds a sample of each estimator on one core: 1 kHz with a field every tenth sample."""
    from importlib import import_module

    from fusus.core.estimation.catalogue import ESTIMATORS
    from fusus.core.estimation.initial import start_from
    from fusus.core.estimation.replay import estimator_input
    from fusus.core.world.site import site_at

    gyro, acc, mag = made_samples(SAMPLES)
    t = np.arange(SAMPLES) * 1e-3
    site = site_at(52.5, 13.4, 40.0, date(2026, 6, 1))
    given = estimator_input(t, gyro, acc, t[::10], mag[::10])
    start = start_from(t, gyro, acc, given.samples.mag_b, site)
    out = {}
    for info in ESTIMATORS:
        if info.gives != "attitude":
            continue
        module = import_module(f"fusus.core.estimation.{info.module}.run")
        parameters = info.parameters()
        c = module.coefficients(parameters, site, start)
        state = module.initial_state(parameters, c, start)
        module.run(c, state, given.samples.part(0, 100))
        # Blocks as a replay takes them: the outputs stay in the cache.
        blocks = [given.samples.part(i, i + 20_000) for i in range(0, SAMPLES, 20_000)]

        def all_blocks(m=module, c=c, s=state, blocks=blocks) -> None:
            for block in blocks:
                _, s = m.run(c, s, block)

        out[info.name] = best(all_blocks) / SAMPLES * 1e6
    return out


def references() -> dict[str, float]:
    """Return microseconds a sample of the reference libraries."""
    import ahrs
    import imufusion
    import vqf

    gyro, acc, mag = (np.ascontiguousarray(a) for a in made_samples(SAMPLES))
    out = {"vqf (compiled batch)": best(lambda: vqf.VQF(1e-3).updateBatch(gyro, acc, mag), 25) / SAMPLES * 1e6}
    few = slice(0, REFERENCE_SAMPLES)
    degrees, g = np.degrees(gyro[few]), acc[few] / 9.80665

    def per_call() -> None:
        fusion = imufusion.Ahrs()
        fusion.set_sample_period(1e-3)
        for w, f, m in zip(degrees, g, mag[few], strict=True):
            fusion.update(w, f, m)

    out["imufusion (per call)"] = best(per_call, 25) / REFERENCE_SAMPLES * 1e6
    small = slice(0, 4000)
    for name, filter_ in (
        ("Mahony", ahrs.filters.Mahony),
        ("Madgwick", ahrs.filters.Madgwick),
        ("EKF", ahrs.filters.EKF),
    ):
        span = best(lambda f=filter_: f(gyr=gyro[small], acc=-acc[small], mag=mag[small], frequency=1000.0), 1)
        out[f"ahrs {name}"] = span / 4000 * 1e6
    return out


def bench_estimators() -> None:
    """Print the estimators' times and their ratios to the references'."""
    ours, theirs = estimators(), references()
    print(f"Estimators, µs a sample ({SAMPLES} samples at 1 kHz, field at 100 Hz, one core, best of 25)")
    for name, value in ours.items():
        print(f"  {name:<24} {value:7.3f}")
    for name, value in theirs.items():
        print(f"  {name:<24} {value:7.3f}   " + "   ".join(f"{value / v:7.1f} x {n}" for n, v in ours.items()))


def bench_navigation() -> None:
    """Print the navigation EKF's time a sample on the demo's survey, every sample and in groups of five, beside filterpy's."""
    import tempfile
    from dataclasses import replace

    from fusus.core.estimation.initial import start_from
    from fusus.core.estimation.navigation_ekf import run as navigation
    from fusus.demo.build import build
    from fusus.project import store
    from fusus.study.recording.loading import load

    with tempfile.TemporaryDirectory() as scratch:
        folder = build(Path(scratch) / "Dunlin")
        project = store.load(folder)
        loaded = load(folder, project, "pool-survey")
    given, s = loaded.given, loaded.given.samples
    start = start_from(given.t_s, s.gyro_b, s.acc_b, s.mag_b, loaded.site)
    n = len(given.t_s)
    print(f"Navigation EKF, µs a sample ({n} samples at 1 kHz, all sensors, one core, best of 7)")
    out, places = {}, {}
    for every in (1, 5):
        p = replace(project.fusion.navigation_ekf, covariance_every=every)
        times = []
        for _ in range(7):
            track = navigation.begin(p, loaded.site, start, given.aiding, given.t_s, s)
            began = time.perf_counter()
            navigation.advance(track, given.t_s, s, given.aiding, 0, n)
            times.append(time.perf_counter() - began)
        out[every], places[every] = min(times) / n * 1e6, track.motion[:, :3].copy()
        print(
            f"  {track.state.n} errors, covariance every {every} samples  {out[every]:7.3f}   {1e3 / out[every]:.0f} times real time"
        )
    apart = np.sqrt(np.mean(np.sum((places[1] - places[5]) ** 2, axis=1)))
    print(f"  groups of five move the estimate by {apart * 1e3:.1f} mm RMS")
    theirs = _filterpy_sample_us(given, start.q_nb)
    print(
        f"  filterpy, 15 states, the same samples and rates of measurement  {theirs:7.1f}   {theirs / out[1]:.0f} times as long"
    )


def _filterpy_sample_us(given: "EstimatorInput", q_nb: np.ndarray) -> float:
    """Return µs a sample of the same strapdown, error-state prediction and updates with filterpy and NumPy, 15 states."""
    from filterpy.kalman import KalmanFilter

    from fusus.core.frames.quaternion import from_rotation_vector, multiply, to_matrix

    kf, few, s, aiding = KalmanFilter(dim_x=15, dim_z=1), 3000, given.samples, given.aiding
    kf.P, kf.Q = np.eye(15) * 0.01, np.eye(15) * 1e-8
    rows = np.eye(15)
    came = [
        (aiding.mag[:, 0], (rows[8:9],)),
        (aiding.baro[:, 0], (rows[2:3],)),
        (aiding.gnss[:, 0], tuple(rows[i : i + 1] for i in range(6))),
    ]
    due = [int(np.searchsorted(t, given.t_s[0])) for t, _ in came]
    position, velocity, gravity = np.zeros(3), np.zeros(3), np.array([0.0, 0.0, 9.81])
    began = time.perf_counter()
    for k in range(few):
        dt, gyro, force = s.dt_s[k], s.gyro_b[k], s.acc_b[k]
        r = to_matrix(q_nb)
        f = r @ force
        step = np.eye(15)
        step[0:3, 3:6] = np.eye(3) * dt
        step[3:6, 6:9] = dt * np.array([[0.0, f[2], -f[1]], [-f[2], 0.0, f[0]], [f[1], -f[0], 0.0]])
        step[3:6, 12:15] = step[6:9, 9:12] = -r * dt
        kf.F = step
        kf.predict()
        position, velocity = position + velocity * dt, velocity + (f + gravity) * dt
        q_nb = multiply(q_nb, from_rotation_vector(gyro * dt))
        for i, (t, h) in enumerate(came):
            while due[i] < len(t) and t[due[i]] <= given.t_s[k]:
                due[i] += 1
                for row in h:
                    kf.update(np.zeros((1, 1)), np.eye(1), row)
    return (time.perf_counter() - began) / few * 1e6


def bench_long(repeats: int) -> None:
    """Print what the window needs to open and replay half an hour at 1 kHz, beside the replay alone and a known yardstick."""
    import tempfile
    from dataclasses import replace

    from fusus.app.answers.fusion_result import fusion_result
    from fusus.core.progress import Silent
    from fusus.demo.build import demo_project
    from fusus.project import store
    from fusus.study.flying.open_loop import keep_flight

    with tempfile.TemporaryDirectory() as scratch:
        folder, project = Path(scratch) / "long", demo_project()
        fusion = project.fusion.model_copy(update={"estimators": ("navigation-ekf",)})
        project = project.model_copy(update={"fusion": fusion})
        store.create(folder, project)
        hovers = project.brief.model_copy(update={"mission": replace(project.brief.mission, hover_s=1700.0)})
        keep_flight(folder, project.model_copy(update={"brief": hovers}), "mission", 1, "long")
        times, alone, sorts = [], [], []
        for _ in range(repeats + 1):
            began = time.perf_counter()
            found = fusion_result(folder, project, "long", Silent())
            times.append(time.perf_counter() - began)
            alone.append(found.study.judged.replay.elapsed_s)
            numbers = np.random.default_rng(1).random(10_000_000)
            began = time.perf_counter()
            numbers.sort()
            sorts.append(time.perf_counter() - began)
        n = len(found.study.judged.replay.t_s)
    best = min(times[1:])
    print(f"Half an hour at 1 kHz ({n} samples), all sensors, from the files to what Fusion shows, best of {repeats}")
    print(
        f"  all of it {best:.2f} s, the replay in it {min(alone[1:]):.2f} s; {best / min(sorts):.1f} times a sort of 10 million numbers"
    )


def write_table(path: Path, megabytes: int) -> None:
    """Write a table of IMU, magnetometer and barometer of about the wanted size."""
    import polars as pl

    rows = megabytes * 1_000_000 // 110
    rng = np.random.default_rng(2)
    columns = {"t_us": np.arange(rows) * 1000}
    for name, mean, sigma in (
        ("gyro_x (deg/s)", 0, 1), ("gyro_y (deg/s)", 0, 1), ("gyro_z (deg/s)", 0, 1), ("acc_x (g)", 0, 0.01), ("acc_y (g)", 0, 0.01),
        ("acc_z (g)", -1, 0.01), ("mag_x (uT)", 20, 0.3), ("mag_y (uT)", 0, 0.3), ("mag_z (uT)", 43, 0.3), ("pressure (hPa)", 1013, 0.01),
    ):  # fmt: skip
        columns[name] = rng.normal(mean, sigma, rows)
    pl.DataFrame(columns).write_csv(path, float_precision=6)


_READ = (
    "import polars, sys, time; t = time.perf_counter(); polars.read_csv(sys.argv[1]); print(time.perf_counter() - t)"
)
_IMPORT = """
import sys, time
from pathlib import Path
from fusus.logs.importer import ImportRequest, import_recording
t = time.perf_counter()
import_recording(ImportRequest((Path(sys.argv[1]),), Path(sys.argv[2]), sys.argv[3]))
spent = time.perf_counter() - t
# The peak of this program alone: what getrusage says may be its parent's.
peak = next(line for line in open("/proc/self/status") if line.startswith("VmHWM")).split()[1]
print(spent, int(peak) / 1000)
"""


def bench_import(megabytes: int, repeats: int) -> None:
    """Print import against polars.read_csv, in turn, each in a process of its own."""
    folder = Path(tempfile.mkdtemp(prefix="fusus-bench-"))
    try:
        source = folder / "big.csv"
        write_table(source, megabytes)
        size, cells = source.stat().st_size / 1e6, megabytes * 1_000_000 // 110 * 11
        ratios, peaks = [], []
        for i in range(repeats):
            source.read_bytes()[:1]  # both find the file in memory
            reading = float(_run(_READ, str(source)).split()[0])
            importing, peak = (float(v) for v in _run(_IMPORT, str(source), str(folder), f"r{i}").split())
            shutil.rmtree(folder / "recordings", ignore_errors=True)
            ratios.append(reading / importing)
            peaks.append(peak)
            print(f"  polars.read_csv {reading:6.2f} s   import {importing:6.2f} s   ratio {reading / importing:.2f}")
        table = cells * 8 / 1e6
        print(
            f"Import of {size:.0f} MB: {statistics.median(ratios):.2f} of the speed of polars.read_csv (at least 0.50 is wanted), "
            f"{max(peaks):.0f} MB at most (table {table:.0f} MB, twice that is allowed)"
        )
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def bench_prediction() -> None:
    """Print suites a second, and covariance steps a second against the plain NumPy twin of the tests."""
    from tests.core.prediction import twin

    from fusus.core.prediction.predict import Recursion, Tables
    from fusus.demo.build import demo_project
    from fusus.study.parts.suite import choice_of, model_of, rank_parts, trajectory_of

    project = demo_project()
    trajectory, choice = trajectory_of(project), choice_of(project)
    if choice is None:
        raise RuntimeError("the demo has no parts")
    model, tables = model_of(project, choice), Tables(trajectory)
    Recursion(model, trajectory, keeps=False, tables=tables)
    ours = best(lambda: Recursion(model, trajectory, keeps=False, tables=tables), 40)
    plain = best(lambda: twin.recursion(model, trajectory), 2)
    steps = len(trajectory.t_s)
    print(
        f"Covariance recursion: {steps / ours:,.0f} steps a second, plain NumPy {steps / plain:,.0f}: {plain / ours:.0f} times "
        "(at least 30 is wanted)"
    )
    began = time.perf_counter()
    count = len(rank_parts(project).suites)
    spent = time.perf_counter() - began
    print(f"Ranking: {count} suites in {spent:.1f} s, {count / spent:.0f} a second (all under 10 s is wanted)")


def _run(code: str, *arguments: str) -> str:
    return subprocess.run([sys.executable, "-c", code, *arguments], check=True, capture_output=True, text=True).stdout


def bench_allan(repeats: int) -> None:
    """Print the Allan deviation of two hours at 1 kHz, bounds included, against the reference."""
    import allantools

    from fusus.core.analysis.allan.deviation import allan_curve, averaging_factors

    y = np.random.default_rng(1).standard_normal(7_200_000)
    factors = averaging_factors(len(y), 64)[:60]
    allan_curve(y[:1000], 1000.0)
    ours = best(lambda: allan_curve(y, 1000.0, factors), 4 * repeats)
    theirs = best(lambda: allantools.oadev(y, rate=1000.0, data_type="freq", taus=factors / 1000.0), repeats)
    print(f"overlapping Allan deviation, 7.2 million samples, {len(factors)} times: {ours:.2f} s")
    print(f"  allantools {theirs:.2f} s: {theirs / ours:.0f} times as long")


_WRITER = """
import sys, time
from fusus.logs.lines import encode, encode_header
from fusus.logs.snippet import USUAL
from fusus.devices.standin import PtyPort
port = PtyPort()
print(port.path, flush=True)
sys.stdin.readline()
imu, motor = list(USUAL["imu"]), [*USUAL["motor"], "rpm_1"]
began, n, total = time.monotonic(), 0, int(float(sys.argv[1]) * 1000)
port.send(encode_header("imu", imu) + encode_header("motor", motor))
while n < total:
    due = min(total, int((time.monotonic() - began) * 1000))
    lines = [encode("imu", i * 1000, ["-9.806650"] * 7) + encode("motor", i * 1000, ["0.512345"] * 5) for i in range(n, due)]
    n = due
    port.send(b"".join(lines))
    time.sleep(0.005)
time.sleep(1.0)
"""


def bench_link(seconds: float) -> None:
    """Print what is lost of 1 kHz and twelve values over a pseudo-terminal, and the reader's share of a core."""
    from fusus.devices.capture import Capture, run
    from fusus.devices.links import open_link
    from fusus.project import store
    from fusus.project.records import Project

    folder = Path(tempfile.mkdtemp(prefix="fusus-bench-"))
    try:
        store.create(folder / "p", Project(name="bench"))
        command = [sys.executable, "-c", _WRITER, str(seconds)]
        with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as writer:
            if writer.stdout is None or writer.stdin is None:
                raise RuntimeError("the writer could not be started")
            capture = Capture(folder / "p", "link", open_link(f"serial:{writer.stdout.readline().strip()}"))
            writer.stdin.write("go\n")
            writer.stdin.flush()
            cpu, wall = time.process_time(), time.monotonic()
            run(capture, None, lambda c: c.decoder.rows("motor") >= round(seconds * 1000), 3.0)
            share = (time.process_time() - cpu) / (time.monotonic() - wall)
        rows = capture.finish().streams
        lost = round(seconds * 1000) - rows["motor"].rows + round(seconds * 1000) - rows["imu"].rows
        print(
            f"capture of 1 kHz, 12 values, {seconds:.0f} s: {lost} of {2 * round(seconds * 1000)} lines lost, {share:.1%} of one core"
        )
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def bench_flight(flights: int) -> None:
    """Print how many times as fast as time the craft flies in closed loop at 1 kHz, on one core and on all."""
    from concurrent.futures import ThreadPoolExecutor

    from fusus.core.simulation.flight.campaign import fly_all, fly_task
    from fusus.demo.build import demo_project
    from fusus.study.flying.setup import flight_tasks

    demo = demo_project()
    project = demo.model_copy(
        update={"loops": demo.loops.model_copy(update={"rate_hz": 1000.0, "bus": "SPI", "bus_hz": 8e6})}
    )
    for estimator in ("navigation-ekf", "mahony"):
        task = flight_tasks(project, "hover-wind", 1, 1, estimator)[0]
        seconds = float(fly_task(task).t_s[-1])
        took = best(lambda t=task: fly_task(t), 8)  # type: ignore[misc]
        print(
            f"closed loop at {task.controller.rate_hz:.0f} Hz on {estimator}: {seconds / took:.0f} times as fast as time, one core"
        )
    tasks = flight_tasks(project, "hover-wind", 1, flights, "navigation-ekf")
    began = time.perf_counter()
    with ThreadPoolExecutor(2) as pool:
        fly_all(tasks, pool)
    took = time.perf_counter() - began
    print(
        f"{flights} flights of {seconds:.0f} s on two cores: {took:.1f} s, {took * 30.0 / seconds * 200 / flights:.1f} s for 200 of 30 s"
    )


def main() -> None:
    """Run the benches."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--megabytes", type=int, default=1000, help="size of the imported table")
    parser.add_argument("--repeats", type=int, default=3)
    parser.add_argument("--link-seconds", type=float, default=60.0, help="length of the capture")
    parser.add_argument("--flights", type=int, default=200, help="flights of the campaign")
    parser.add_argument(
        "--only",
        choices=["estimators", "accuracy", "navigation", "long", "prediction", "flight", "allan", "link", "import"],
    )
    options = parser.parse_args()
    if options.only in (None, "estimators"):
        bench_estimators()
    if options.only in (None, "accuracy"):
        from tests.outside.accuracy import print_tables

        print_tables()
    if options.only in (None, "navigation"):
        bench_navigation()
    if options.only in (None, "long"):
        bench_long(options.repeats)
    if options.only in (None, "prediction"):
        bench_prediction()
    if options.only in (None, "flight"):
        bench_flight(options.flights)
    if options.only in (None, "allan"):
        bench_allan(options.repeats)
    if options.only in (None, "link"):
        bench_link(options.link_seconds)
    if options.only in (None, "import"):
        bench_import(options.megabytes, options.repeats)


if __name__ == "__main__":
    main()
