"""Simulated flights of a project's craft with its own parts: one kept as a recording, or many for the errors to expect."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from fusus.core.parts.models import SuiteModel
from fusus.core.prediction.predict import predict
from fusus.core.progress import Progress
from fusus.core.sensors.barometer import BarometerModel
from fusus.core.sensors.gnss import GnssModel
from fusus.core.sensors.magnetometer import MagnetometerModel
from fusus.core.simulation.campaign import Outcome, Summary, Task, fly_many, summarise
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.record import record
from fusus.core.simulation.scenario import Suite
from fusus.core.world.site import Site, site_at
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project.records import Place, Project
from fusus.study.brief.brief import mission_of
from fusus.study.brief.site import USUAL_DAY, site_of
from fusus.study.parts.suite import choice_of, model_of, trajectory_of
from fusus.study.recording.accelerometer_filter import acc_filters_of
from fusus.study.workers import workers

# Where the brief names no place: mid latitudes, by the sea.
USUAL_PLACE = Place(lat_deg=50.0, lon_deg=0.0, height_m=0.0)
# What `sensors_of` says where nothing is chosen.
USUAL = "usual, invented"
ESTIMATORS = ("navigation-ekf", "attitude-ekf", "complementary", "altitude")


@dataclass(frozen=True, slots=True)
class Simulated:
    """All flights, their summary by estimator, and what prediction says of the mission (None where it says nothing); which
    part flew of each kind of sensor."""

    scenario: str
    seed: int
    outcomes: tuple[Outcome, ...]
    summaries: tuple[Summary, ...]
    predicted: dict[str, float] | None
    sensors: dict[str, str | None]


def suite_of(project: Project) -> Suite:
    """Return the error models of the chosen parts in the mission's weather, and none of what is not chosen.

    While there is no IMU nothing is chosen: usual sensors, invented, stand in, and `sensors_of` says so.
    """
    choice = choice_of(project, measured=True)
    if choice is None:
        return Suite()
    m: SuiteModel = model_of(project, choice)
    baro = replace(m.baro, weather_pa=mission_of(project).weather_pa) if m.baro is not None else None
    return Suite(m.gyro, m.acc, baro, m.mag, m.gnss, m.rangefinder)


def full_suite_of(project: Project) -> Suite:
    """Return `suite_of` with usual sensors for kinds that are not chosen: for made-up motions that try code, not a craft."""
    s = suite_of(project)
    return replace(s, baro=s.baro or BarometerModel(), mag=s.mag or MagnetometerModel(), gnss=s.gnss or GnssModel())


def sensors_of(project: Project) -> dict[str, str | None]:
    """Return which part flies of each kind; None: none of it. `USUAL` for all while no IMU is chosen."""
    parts = project.parts
    if parts.imu is None:
        return {"imu": USUAL, "barometer": USUAL, "magnetometer": USUAL, "receiver": USUAL, "rangefinder": None}
    return {
        "imu": parts.imu, "barometer": parts.barometer, "magnetometer": parts.magnetometer, "receiver": parts.receiver,
        "rangefinder": parts.rangefinder,
    }  # fmt: skip


def sensors_words(sensors: Mapping[str, str | None]) -> str:
    """Return which parts flew, and which kinds did not, in words."""
    flew = ", ".join(f"{kind} {name}" for kind, name in sensors.items() if name)
    without = ", ".join(kind for kind, name in sensors.items() if not name)
    return f"sensors: {flew}" + (f"; without {without}" if without else "")


def place_of(project: Project) -> tuple[Place, Site]:
    """Return where the flights take place, with gravity and field."""
    place = project.brief.place
    if place is not None:
        return place, site_of(project)
    return USUAL_PLACE, site_at(USUAL_PLACE.lat_deg, USUAL_PLACE.lon_deg, USUAL_PLACE.height_m, USUAL_DAY)


def tasks_of(
    project: Project, scenario: str, seed: int, runs: int, estimators: tuple[str, ...] = ESTIMATORS
) -> list[Task]:
    """Return the flights to simulate, one a seed; KeyError where there is no such scenario."""
    scenario_named(scenario)
    place, site = place_of(project)
    # A simulated craft takes off from home: nothing else is known of where it stands.
    tuning = tuple(
        (
            n,
            replace(project.fusion.navigation_ekf, home_sigma_m=0.05)
            if n == "navigation-ekf"
            else project.fusion.parameters_of(n),
        )
        for n in estimators
    )
    home = (place.lat_deg, place.lon_deg, place.height_m)
    task = Task(
        scenario, seed, mission_of(project), suite_of(project), site, home, tuning,
        acc_filters=acc_filters_of(project.loops),
    )  # fmt: skip
    return [replace(task, seed=seed + i) for i in range(runs)]


def simulate(
    project: Project,
    scenario: str,
    seed: int,
    runs: int,
    progress: Progress | None = None,
    scheduler: str | None = None,
) -> Simulated:
    """Return what the project's estimators make of simulated flights, worked off by threads or by the cluster at ``scheduler``."""
    tasks = tasks_of(project, scenario, seed, runs)
    with workers(scheduler, runs) as pool:
        outcomes = fly_many(tasks, pool, progress)
    names = tuple(dict.fromkeys(o.estimator for o in outcomes))
    return Simulated(
        scenario,
        seed,
        outcomes,
        tuple(summarise(outcomes, n) for n in names),
        predicted(project, scenario),
        sensors_of(project),
    )


def predicted(project: Project, scenario: str) -> dict[str, float] | None:
    """Return the predicted RMS errors of the mission, SI, by the names of the summaries; None for other scenarios."""
    choice = choice_of(project, measured=True)
    if scenario != "mission" or choice is None:
        return None
    wanted = tuple(replace(r, statistic="rmse") for r in project.brief.requirements)
    found = predict(
        model_of(project, choice),
        trajectory_of(project),
        wanted,
        project.parts.heading == "GNSS course",
        with_budget=False,
    )
    names = {"position": "horizontal"}
    return {
        names.get(f.requirement.quantity, f.requirement.quantity): f.value for f in found.figures if f.value is not None
    }


def keep_flight(
    folder: Path, project: Project, scenario: str, seed: int, name: str, rate_hz: float = 1000.0
) -> RecordingInfo:
    """Write one simulated flight as a recording like any other, and return what is written of it."""
    place, site = place_of(project)
    flight = scenario_named(scenario).flight(mission_of(project), site.gravity_m_s2, rate_hz)
    home = (place.lat_deg, place.lon_deg, place.height_m)
    streams = record(flight.motion, flight.rate_hz, suite_of(project), flight.around, site, home, seed)
    info = RecordingInfo(
        name=name, kind="flight", when=datetime.now(UTC).replace(microsecond=0), place=place, temperature_degc=18.0,
        conditions=f"simulated: {scenario}", is_calibrated=True, is_practice=True, reference_is="simulation truth", seed=seed,
    )  # fmt: skip
    create_recording(folder, info, streams)
    return info
