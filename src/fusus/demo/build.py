"""Makes the demo project: the invented craft Dunlin over the invented Saltmere estuary, from fixed seeds."""

import json
import math
import shutil
from datetime import UTC, date, datetime, timedelta
from importlib import resources
from pathlib import Path

from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.mission.mission import Mission
from fusus.core.parts.fitting import Fitting
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.core.simulation.record import record
from fusus.core.world.site import site_at
from fusus.demo import scenarios
from fusus.demo.bench import CAPTURES, add_bench
from fusus.firmware.writing.render import template
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, recordings_folder
from fusus.project import book, store
from fusus.project.atomic import append_line, write_atomically
from fusus.project.records import Bench, Brief, Budgets, Climate, Craft, Fusion, Kit, Parts, Place, Project
from fusus.study.brief.brief import mission_of
from fusus.study.flying.closed_loop import keep_closed_flight
from fusus.study.fusion.tuning import tuning_from_parts
from fusus.study.parts.suite import choice_of, model_of

PLACE = Place(lat_deg=53.02, lon_deg=0.61, height_m=3.0)
DAY = date(2026, 9, 12)
DEG = math.pi / 180


def demo_project() -> Project:
    """Return the demo's project record. All figures are made up, in plausible ranges."""
    project = Project(
        name="Dunlin",
        brief=Brief(
            about="Lowers a temperature probe into tide pools on the Saltmere estuary. Craft, place and parts are invented.",
            craft=Craft(layout="X-quad", mass_kg=1.35, arm_m=0.21),
            place=PLACE,
            day=DAY,
            modes=("self-level", "altitude-hold", "position-hold", "return", "follow-path"),
            mission=Mission(
                hover_s=30.0,
                height_m=3.0,
                speed_m_s=5.0,
                outage_s=8.0,
                wind_m_s=4.0,
                warming_k=6.0,
                vibration_acc_m_s2=1.2,
                steel_ut=22.0,
                weather_pa=30.0,
            ),
            climate=Climate(low_degc=-2.0, high_degc=28.0),
            budgets=Budgets(price=90.0, mass_kg=0.05, current_a=0.25),
            requirements=(
                Requirement("tilt", 2.0 * DEG, "rmse"),
                Requirement("heading", 8.0 * DEG, "rmse"),
                Requirement("height", 0.30, "p95"),
                Requirement("position", 1.5, "p95"),
                Requirement("velocity", 0.3, "rmse"),
                Requirement("outage", 3.0, "max", 8.0),
            ),
        ),
        parts=Parts(
            imu="Birch 1",
            barometer="Fen 3",
            magnetometer="Needle 1",
            receiver="Tern 3",
            rangefinder="Reed 1",
            fitting=Fitting(lever_arm_b_m=(-0.05, 0.0, -0.115), motor_ut_a=0.02),
        ),
        is_practice=True,
        bench=Bench(link="stand-in"),
        kit=Kit(own=OWN),
        fusion=Fusion(
            recording="pool-survey",
            estimators=("navigation-ekf", "attitude-ekf", "complementary", "altitude"),
            # Dunlin takes off from a mark on the slipway, which is home.
            navigation_ekf=NavigationParameters(home_sigma_m=0.05),
        ),
    )
    for name in ("navigation-ekf", "attitude-ekf", "altitude"):
        command = tuning_from_parts(project, name)
        project = command.apply(project) if command is not None else project
    return project


# Dunlin in self-level with sticks let go, which have lost their centres.
DRIFTS, DRIFT_SEED = "mudflat-drift", 5


# The folder of the maker's own filter, in the project.
OWN = "own"
# What Dunlin's maker wrote into the book before: days before the demo's, what, and details. Invented.
DAYS: tuple[tuple[int, str, dict[str, str | float]], ...] = (
    (21, "new firmware", {"note": "first with a notch at the rotors' frequency", "firmware": "0.4.1"}),
    (20, "flight", {"note": "circles over the slipway to the stop voltage", "minutes": 14.5, "charge_mah": 2310.0, "stop_voltage_v": 14.1,
                    "weather": "calm, 12 °C", "place": "Saltmere"}),
    (14, "repair", {"note": "propeller with a nick changed", "part": "propeller, right rear"}),
    (12, "flight", {"note": "pools by hand", "minutes": 11.0, "charge_mah": 1820.0, "stop_voltage_v": 14.3, "weather": "wind 4 m/s",
                    "place": "Saltmere"}),
)  # fmt: skip


def _write_days(folder: Path) -> None:
    for before, what, details in DAYS:
        at = datetime(DAY.year, DAY.month, DAY.day, 17, 30, tzinfo=UTC) - timedelta(days=before)
        append_line(
            folder / book.BOOK_FILE, json.dumps({"at": at.isoformat(), "what": what, **details}, ensure_ascii=False)
        )


def _write_own(folder: Path) -> None:
    """Lay the maker's own filter beside the project: written as one writes the first, with a slip to be found."""
    target = folder / OWN
    if (target / "heron.c").exists():
        return
    target.mkdir(exist_ok=True)
    source = (resources.files("fusus.demo") / "own" / "heron.c").read_text(encoding="utf-8")
    for name, text in (("heron.c", source), ("own_estimator.h", template("own_estimator.h"))):
        write_atomically(target / name, text.encode())


def build(folder: Path, progress: Progress | None = None) -> Path:
    """Make the demo project in ``folder`` unless a whole one is there; return the folder.

    The recordings are simulated anew, a few seconds' work, and come out the same each time.
    """
    progress = progress or Silent()
    names = ("shed-jig", "slipway-hover", "pool-survey")
    done = [(recordings_folder(folder) / n / "recording.json").exists() for n in names]
    if not (folder / store.PROJECT_FILE).exists():
        store.create(folder, demo_project())
        book.note(folder, "project made", name="Dunlin", note="demo, invented")
        _write_days(folder)
    _write_own(folder)
    drift_done = (recordings_folder(folder) / DRIFTS / "recording.json").exists()
    bench_done = [(recordings_folder(folder) / n / "recording.json").exists() for n, *_ in CAPTURES]
    if all(done) and drift_done and all(bench_done):
        return folder
    site = site_at(PLACE.lat_deg, PLACE.lon_deg, PLACE.height_m, DAY)
    home = (PLACE.lat_deg, PLACE.lon_deg, PLACE.height_m)
    makers = (scenarios.jig, scenarios.hover, scenarios.survey)
    project = demo_project()
    choice = choice_of(project)
    if choice is None:
        raise ValueError("the demo project chooses its parts")
    sensors = scenarios.suite(model_of(project, choice), mission_of(project))
    for i, (make, name) in enumerate(zip(makers, names, strict=True)):
        progress.step(i, len(names), f"Simulating {name}")
        target = recordings_folder(folder) / name
        if done[i]:
            continue
        shutil.rmtree(target, ignore_errors=True)
        scenario = make(site.gravity_m_s2)
        streams = record(scenario.motion, scenario.rate_hz, sensors, scenario.around, site, home, scenario.seed)
        if scenario.kind == "jig":  # it knows its angles, and nothing of places
            streams["reference"] = {k: v for k, v in streams["reference"].items() if not k.startswith(("pos_", "vel_"))}
        info = RecordingInfo(
            name=name,
            kind=scenario.kind,
            when=datetime(DAY.year, DAY.month, DAY.day, 9 + i, 30, tzinfo=UTC),
            place=PLACE,
            temperature_degc=18.0,
            conditions=scenario.conditions_text,
            is_calibrated=True,
            is_practice=True,
            reference_is="simulation truth",
            seed=scenario.seed,
        )
        create_recording(folder, info, streams)
        book.note(folder, "recording made", recording=name, seed=scenario.seed, note="simulated, invented")
    if not drift_done:
        shutil.rmtree(recordings_folder(folder) / DRIFTS, ignore_errors=True)
        when = datetime(DAY.year, DAY.month, DAY.day, 13, 30, tzinfo=UTC)
        keep_closed_flight(folder, project, "hover-level", DRIFT_SEED, DRIFTS, trouble="sticks", when=when)
        book.note(folder, "recording made", recording=DRIFTS, seed=DRIFT_SEED, note="simulated, invented")
    add_bench(folder, DAY, PLACE)
    progress.step(len(names), len(names), "Simulating")
    return folder
