"""Which estimators there are. Light to import: it names the compiled modules without loading them."""

from dataclasses import dataclass
from typing import Literal

from fusus.core.estimation.altitude.parameters import ComplementaryParameters as ComplementaryAltitudeParameters
from fusus.core.estimation.altitude.parameters import Parameters as AltitudeParameters
from fusus.core.estimation.altitude.parameters import ThreeStateParameters
from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeEkfParameters
from fusus.core.estimation.complementary.parameters import Parameters as ComplementaryParameters
from fusus.core.estimation.madgwick.parameters import Parameters as MadgwickParameters
from fusus.core.estimation.mahony.parameters import Parameters as MahonyParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationEkfParameters

EstimatorParameters = (
    ComplementaryParameters
    | MahonyParameters
    | MadgwickParameters
    | AttitudeEkfParameters
    | NavigationEkfParameters
    | AltitudeParameters
    | ThreeStateParameters
    | ComplementaryAltitudeParameters
)
# What an estimator finds: attitude alone; height and climb too; all of the motion.
Gives = Literal["attitude", "height", "motion"]


@dataclass(frozen=True, slots=True)
class EstimatorInfo:
    """A name for the command line, a title for people, and where the code is."""

    name: str
    title: str
    module: str
    parameters: type[EstimatorParameters]
    school: str
    gives: Gives = "attitude"

    @property
    def field(self) -> str:
        """Its name in a project's record."""
        return self.name.replace("-", "_")


ESTIMATORS = (
    EstimatorInfo(
        "complementary",
        "Complementary",
        "complementary",
        ComplementaryParameters,
        "Simple: gyro for the quick part, gravity and field for the slow one. Enough for self-level, says practice.",
    ),
    EstimatorInfo(
        "mahony",
        "Mahony",
        "mahony",
        MahonyParameters,
        "Proportional and integral correction: the integral learns the gyro bias on line.",
    ),
    EstimatorInfo(
        "madgwick",
        "Madgwick",
        "madgwick",
        MadgwickParameters,
        "A gradient step of fixed length towards gravity and field: one gain to tune.",
    ),
    EstimatorInfo(
        "attitude-ekf",
        "Attitude EKF",
        "attitude_ekf",
        AttitudeEkfParameters,
        "Kalman filter of attitude and gyro bias: learns the bias and says how far it may be wrong.",
    ),
    EstimatorInfo(
        "altitude-complementary",
        "Height, complementary",
        "altitude",
        ComplementaryAltitudeParameters,
        "Accelerometer for the quick part, barometer for the slow one: one time constant.",
        "height",
    ),
    EstimatorInfo(
        "altitude-3",
        "Height, 3 states",
        "altitude",
        ThreeStateParameters,
        "Kalman filter of height, climb and accelerometer bias: the barometer's zero is taken for fixed.",
        "height",
    ),
    EstimatorInfo(
        "altitude",
        "Height, 4 states",
        "altitude",
        AltitudeParameters,
        "Kalman filter that also learns how the barometer's zero drifts, from the fixes' height and climb.",
        "height",
    ),
    EstimatorInfo(
        "navigation-ekf",
        "Navigation EKF",
        "navigation_ekf",
        NavigationEkfParameters,
        "Kalman filter of position, velocity, attitude and the sensors' own errors: GNSS, barometer and field at their own time.",
        "motion",
    ),
)


def info_for(name: str) -> EstimatorInfo:
    """Return the estimator of that name; KeyError names those that exist."""
    for info in ESTIMATORS:
        if info.name == name:
            return info
    raise KeyError(f"{name} is none of {', '.join(i.name for i in ESTIMATORS)}")
