"""What a project holds. SI units; angles in degrees only where the name says so."""

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from fusus.core.derived_requirements.modes import Mode
from fusus.core.estimation.altitude.parameters import ComplementaryParameters as ComplementaryAltitudeParameters
from fusus.core.estimation.altitude.parameters import Parameters as AltitudeParameters
from fusus.core.estimation.altitude.parameters import ThreeStateParameters
from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeEkfParameters
from fusus.core.estimation.catalogue import EstimatorParameters, info_for
from fusus.core.estimation.complementary.parameters import Parameters as ComplementaryParameters
from fusus.core.estimation.madgwick.parameters import Parameters as MadgwickParameters
from fusus.core.estimation.mahony.parameters import Parameters as MahonyParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationEkfParameters
from fusus.core.mission.mission import Mission
from fusus.core.parts.fields import PartKind
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.part import Part
from fusus.core.requirements import Requirement
from fusus.project.evidence import Evidence, Record
from fusus.project.references import DeclaredReference

FORMAT = 1

EstimatorName = Literal[
    "complementary", "mahony", "madgwick", "attitude-ekf", "altitude-complementary", "altitude-3", "altitude", "navigation-ekf",
]  # fmt: skip
Layout = Literal["X-quad", "plus-quad", "H-quad", "hexa", "octo", "coaxial X8", "other"]


class Place(Record):
    """Where the craft is flown: WGS 84 latitude and longitude in degrees, height above sea level in m."""

    lat_deg: Annotated[float, Field(ge=-90, le=90)]
    lon_deg: Annotated[float, Field(ge=-180, le=180)]
    height_m: Annotated[float, Field(ge=-500, le=9000)] = 0.0


class PlacedMotor(Record):
    """A motor of a craft of its own geometry: forward and right of the centre of gravity, m, and how it turns seen from above."""

    forward_m: Annotated[float, Field(ge=-10, le=10)]
    right_m: Annotated[float, Field(ge=-10, le=10)]
    is_clockwise: bool


class Craft(Record):
    """The airframe, as far as estimate and loops depend on it.

    Measured where known: the mean current of a flight, full speed of a motor, torque over thrust of a propeller; None: estimated.
    ``motors`` place those of the layout “other”. Idle is a share of full speed, drag per mass.
    """

    layout: Layout = "X-quad"
    mass_kg: Annotated[float, Field(gt=0.02, le=150)] = 1.0
    arm_m: Annotated[float, Field(gt=0.02, le=5)] = 0.2
    prop_diameter_m: Annotated[float, Field(ge=0.02, le=3)] = 0.25
    motor_thrust_n: Annotated[float, Field(ge=0.05, le=2000)] = 8.0
    cells: Annotated[float, Field(ge=1, le=24)] = 4.0
    capacity_as: Annotated[float, Field(ge=1, le=1e6)] = 14400.0
    inertia_x_kg_m2: Annotated[float | None, Field(ge=1e-7, le=1e3)] = None
    inertia_y_kg_m2: Annotated[float | None, Field(ge=1e-7, le=1e3)] = None
    inertia_z_kg_m2: Annotated[float | None, Field(ge=1e-7, le=1e3)] = None
    cell_ohm: Annotated[float, Field(ge=0, le=1)] = 0.006
    stop_cell_v: Annotated[float, Field(ge=2.5, le=4.1)] = 3.5
    mean_current_a: Annotated[float | None, Field(gt=0, le=1000)] = None
    idle_share: Annotated[float, Field(ge=0, le=0.9)] = 0.12
    drag_per_s: Annotated[float, Field(ge=0, le=10)] = 0.25
    full_rpm: Annotated[float | None, Field(gt=100, le=1e6)] = None
    torque_per_thrust_m: Annotated[float | None, Field(gt=1e-5, le=1)] = None
    motors: tuple[PlacedMotor, ...] = ()


class Climate(Record):
    """Temperatures to fly in, °C."""

    low_degc: Annotated[float, Field(ge=-80, le=60)] = 0.0
    high_degc: Annotated[float, Field(ge=-40, le=80)] = 30.0


class Budgets(Record):
    """What the sensors may cost, weigh and draw; None: no limit."""

    price: Annotated[float | None, Field(ge=0)] = None
    mass_kg: Annotated[float | None, Field(ge=0)] = None
    current_a: Annotated[float | None, Field(ge=0)] = None
    bus_share: Annotated[float | None, Field(gt=0, le=1)] = None


HeadingSchool = Literal["magnetometer", "GNSS course"]


class Parts(Record):
    """The chosen parts by name, the maker's own parts, and how they are fitted.

    ``magnetometer`` may name a nine-axis IMU: then the board's own is used.
    """

    imu: str | None = None
    barometer: str | None = None
    magnetometer: str | None = None
    receiver: str | None = None
    rangefinder: str | None = None
    heading: HeadingSchool = "magnetometer"
    fitting: Fitting = Fitting()
    own: tuple[Part, ...] = ()


DEFAULT_REQUIREMENTS = (
    Requirement("tilt", 0.0349065850398866, "rmse"),
    Requirement("heading", 0.13962634015954636, "rmse"),
    Requirement("height", 0.5, "p95"),
    Requirement("position", 2.0, "p95"),
    Requirement("velocity", 0.3, "rmse"),
    Requirement("outage", 5.0, "max", 8.0),
)


class Brief(Record):
    """What the craft must do, where, and how good its estimate has to be."""

    about: str = ""
    craft: Craft = Craft()
    modes: tuple[Mode, ...] = ("self-level", "altitude-hold", "position-hold", "return")
    mission: Mission = Mission()
    climate: Climate = Climate()
    budgets: Budgets = Budgets()
    place: Place | None = None
    day: date | None = None
    requirements: tuple[Requirement, ...] = DEFAULT_REQUIREMENTS


class Fusion(Record):
    """Which recording, which estimators (the first is the one that is judged), how tuned, how compared.

    ``outages``: stretches whose fixes Fusion hides to see what comes of it, (start, duration) in s; nothing is judged by them.
    """

    recording: str | None = None
    estimators: Annotated[tuple[EstimatorName, ...], Field(min_length=1)] = ("navigation-ekf", "attitude-ekf")
    use_accelerometer: bool = True
    use_magnetometer: bool = True
    use_barometer: bool = True
    use_gnss: bool = True
    outages: tuple[tuple[Annotated[float, Field(ge=0)], Annotated[float, Field(gt=0)]], ...] = ()
    align_time: bool = False
    align_yaw: bool = False
    complementary: ComplementaryParameters = ComplementaryParameters()
    mahony: MahonyParameters = MahonyParameters()
    madgwick: MadgwickParameters = MadgwickParameters()
    attitude_ekf: AttitudeEkfParameters = AttitudeEkfParameters()
    altitude_complementary: ComplementaryAltitudeParameters = ComplementaryAltitudeParameters()
    altitude_3: ThreeStateParameters = ThreeStateParameters()
    altitude: AltitudeParameters = AltitudeParameters()
    navigation_ekf: NavigationEkfParameters = NavigationEkfParameters()

    def parameters_of(self, estimator: str) -> EstimatorParameters:
        """Return the tuning of an estimator by its command-line name."""
        found: EstimatorParameters = getattr(self, info_for(estimator).field)
        return found


Gain = Annotated[float, Field(ge=0, le=1e6)]


class Failsafe(Record):
    """What the craft does by itself: the school of a silent radio, after how long it counts as silent and how long is held then (s), how
    fast it sinks (m/s), the voltage of a cell at which the battery is empty (V), how long it sinks without a height before the motors stop
    (s). Low is the battery at the craft's stop voltage."""

    radio: Literal["land", "return", "stop"] = "land"
    radio_s: Annotated[float, Field(ge=0.05, le=10)] = 0.5
    hold_s: Annotated[float, Field(ge=0, le=120)] = 3.0
    sink_m_s: Annotated[float, Field(ge=0.2, le=5)] = 0.7
    empty_cell_v: Annotated[float, Field(ge=2.5, le=4.3)] = 3.3
    blind_s: Annotated[float, Field(ge=1, le=600)] = 20.0


class Loops(Record):
    """The work of a control cycle, its schedule and buses, the motors' lag, filters, and what the rate loops are wanted to do.

    Above them: what full sticks ask for, what the craft is allowed, how sticks are shaped, gains of the outer loops in 1/s (None: by
    the rate loops), the tilt beyond which motors do not start, whether they start with a calibration due, and the sigma of position
    beyond which it counts as lost. Durations are those of the present processor; ``processor`` says how many times as fast the one
    looked at is. A gain of None is designed by the wanted crossover and phase margin.
    """

    schedule: Literal["superloop", "fixed priorities"] = "superloop"
    rate_hz: Annotated[float, Field(ge=10, le=32000)] = 500.0
    signal: Literal["standard pulse", "eighth pulse", "slow frame", "fast frame"] = "standard pulse"
    pulse_by_software: bool = False
    processor: Annotated[float, Field(ge=0.05, le=100)] = 1.0
    bus: Literal["I2C", "SPI"] = "I2C"
    bus_hz: Annotated[float, Field(ge=1e4, le=5e7)] = 400e3
    single_reads: bool = False
    reads_block: bool = True
    with_accelerometer: bool = True
    filter_s: Annotated[float, Field(ge=0, le=1)] = 20e-6
    estimator_s: Annotated[float, Field(ge=0, le=1)] = 150e-6
    pid_s: Annotated[float, Field(ge=0, le=1)] = 20e-6
    mixer_s: Annotated[float, Field(ge=0, le=1)] = 10e-6
    receiver_s: Annotated[float, Field(ge=0, le=1)] = 40e-6
    receiver_hz: Annotated[float, Field(ge=0.1, le=1e4)] = 50.0
    telemetry_s: Annotated[float, Field(ge=0, le=1)] = 250e-6
    telemetry_hz: Annotated[float, Field(ge=0.1, le=1e4)] = 20.0
    logging_s: Annotated[float, Field(ge=0, le=1)] = 80e-6
    logging_hz: Annotated[float, Field(ge=0.1, le=32000)] = 100.0
    motor_tau_s: Annotated[float, Field(ge=0.001, le=2)] = 0.05
    gyro_lowpass_hz: Annotated[float, Field(ge=1, le=8000)] = 90.0
    acc_lowpass_hz: Annotated[float | None, Field(ge=2, le=8000)] = None
    notch_hz: Annotated[float | None, Field(ge=5, le=8000)] = None
    notch_quality: Annotated[float, Field(ge=0.3, le=50)] = 3.0
    derivative_hz: Annotated[float, Field(ge=1, le=8000)] = 60.0
    crossover_hz: Annotated[float, Field(ge=0.1, le=200)] = 5.0
    yaw_crossover_hz: Annotated[float, Field(ge=0.1, le=200)] = 2.0
    phase_margin_rad: Annotated[float, Field(ge=0.17, le=1.4)] = 1.0471975511965976
    roll: tuple[Gain, Gain, Gain] | None = None
    pitch: tuple[Gain, Gain, Gain] | None = None
    yaw: tuple[Gain, Gain, Gain] | None = None
    feed_forward: Annotated[float, Field(ge=0, le=2)] = 0.0
    rate_rad_s: Annotated[float, Field(ge=0.1, le=60)] = 6.283185307179586
    yaw_rate_rad_s: Annotated[float, Field(ge=0.1, le=30)] = 2.0943951023931953
    tilt_rad: Annotated[float, Field(ge=0.05, le=1.4)] = 0.5235987755982988
    speed_m_s: Annotated[float, Field(ge=0.2, le=60)] = 8.0
    up_m_s: Annotated[float, Field(ge=0.1, le=30)] = 2.5
    down_m_s: Annotated[float, Field(ge=0.1, le=10)] = 1.5
    home_height_m: Annotated[float, Field(ge=0.5, le=500)] = 5.0
    shaping_s: Annotated[float, Field(ge=0, le=2)] = 0.06
    stick_curve: Annotated[float, Field(ge=0, le=1)] = 0.4
    dead_band: Annotated[float, Field(ge=0, le=0.5)] = 0.03
    tilt_p: Annotated[float | None, Field(gt=0, le=100)] = None
    heading_p: Annotated[float | None, Field(gt=0, le=100)] = None
    climb_p: Annotated[float | None, Field(gt=0, le=100)] = None
    speed_p: Annotated[float | None, Field(gt=0, le=100)] = None
    place_p: Annotated[float | None, Field(gt=0, le=100)] = None
    arm_tilt_rad: Annotated[float, Field(ge=0, le=3.1416)] = 0.4363323129985824
    arm_when_due: bool = True
    lost_m: Annotated[float, Field(ge=0.5, le=1000)] = 6.0
    failsafe: Failsafe = Failsafe()


class Drift(Record):
    """How long a gyro's bias is averaged at rest and how well it should be known, over what span drift is shown, and
    the limit of dead reckoning."""

    averaging_s: Annotated[float, Field(ge=0.5, le=3600)] = 10.0
    bias_error_rad_s: Annotated[float, Field(ge=1e-9, le=1.0)] = 1e-4
    span_s: Annotated[float, Field(ge=10, le=36000)] = 600.0
    limit_m: Annotated[float, Field(gt=0, le=1e5)] = 3.0


class StoredCalibration(Record):
    """One calibration that was taken over: what came out, from which recording, where and when.

    ``is_in_force``: whether replay uses it; a later one of its kind, or withdrawing it, ends that. ``is_practice``: the stand-in or a
    simulation was its source: in a real craft it is never active.
    """

    kind: str
    recording: str
    when: datetime
    parameters: dict[str, Any]
    standard_errors: dict[str, Any]
    units: dict[str, str]
    before: dict[str, float]
    after: dict[str, float]
    condition: float | None = None
    verdict: Literal["pass", "close", "fail"]
    reason: str
    temperature_degc: float | None = None
    place: Place | None = None
    is_in_force: bool = True
    is_practice: bool = False


class MeasuredFigure(Record):
    """A figure of a part as the bench measured it, SI, beside the datasheet's: which part, which field, from what."""

    part_kind: PartKind
    part: str
    field: str
    value: float
    standard_error: float | None
    recording: str
    when: datetime


FaceSchool = Literal["six faces", "five faces", "free poses"]
CalibrationSchool = Literal["check", "each-flight", "on-signs", "distance-and-age"]


class Bench(Record):
    """The board's link (serial:PATH, udp:PORT, or "stand-in" to practise; empty: none yet), the calibrations of this craft's sensors in
    the order of time, whether replay uses them, when they are due, and how many poses an accelerometer is calibrated from."""

    link: str = ""
    standin_seed: Annotated[int, Field(ge=0, le=10**9)] = 1
    use: bool = True
    school: CalibrationSchool = "check"
    faces: FaceSchool = "six faces"
    calibrations: tuple[StoredCalibration, ...] = ()
    measured: tuple[MeasuredFigure, ...] = ()

    def figures(self, part_kind: PartKind, part: str) -> dict[str, float]:
        """Return the latest measured figures of a part by field."""
        return {m.field: m.value for m in self.measured if (m.part_kind, m.part) == (part_kind, part)}

    def in_force(self) -> dict[str, StoredCalibration]:
        """Return the active calibration of each kind."""
        return {c.kind: c for c in self.calibrations if c.is_in_force}


class Proof(Record):
    """What recordings are held against where it is not what they hold themselves; at most one each."""

    references: tuple[DeclaredReference, ...] = ()

    def declared(self, recording: str) -> DeclaredReference | None:
        """Return what was declared for a recording."""
        return next((r for r in self.references if r.recording == recording), None)


class KitExport(Record):
    """A kit that was written: when, to which folder, from which state of the project, in which files; whether it was then proved equal
    (None: not tried)."""

    when: datetime
    folder: str
    state: str
    precision: Literal["single", "double"]
    estimator: EstimatorName
    files: tuple[str, ...]
    equal: bool | None = None


class Kit(Record):
    """What goes onto the board: which estimator (None: the one that Fusion judges) in which precision; the processor that costs are told
    for; the streams that the board sends; the folder of the maker's own sources; the last export."""

    estimator: EstimatorName | None = None
    precision: Literal["single", "double"] = "single"
    clock_hz: Annotated[float, Field(ge=1e6, le=5e9)] = 168e6
    has_fpu: bool = True
    streams: tuple[str, ...] = ("imu", "mag", "baro", "gnss", "battery", "motor", "board")
    own: str | None = None
    exported: KitExport | None = None


class EarlierValue(Record):
    """A figure that another replaced: both stay on record."""

    path: str
    value: float | str | bool | None
    evidence: Evidence


class Project(Record):
    """One craft, from brief to proof. ``is_practice``: it exists to learn on, so that what the stand-in showed counts.

    ``provenance`` says by path where a figure comes from; what is not in it is assumed.
    """

    format: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=120)]
    is_practice: bool = False
    brief: Brief = Brief()
    parts: Parts = Parts()
    drift: Drift = Drift()
    loops: Loops = Loops()
    bench: Bench = Bench()
    fusion: Fusion = Fusion()
    proof: Proof = Proof()
    kit: Kit = Kit()
    provenance: dict[str, Evidence] = Field(default_factory=dict)
    earlier: tuple[EarlierValue, ...] = ()

    def counts(self, is_practice: bool) -> bool:
        """Return whether what something showed is evidence here: of a real board, or in a craft to practise on."""
        return self.is_practice or not is_practice

    def evidence(self, path: str) -> Evidence:
        """Return where the figure at ``path`` comes from."""
        return self.provenance.get(path, Evidence())
