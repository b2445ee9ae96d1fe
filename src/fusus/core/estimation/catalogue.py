"""Which estimators there are. Light to import: it names the compiled modules without loading them."""

from dataclasses import dataclass

from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeEkfParameters
from fusus.core.estimation.complementary.parameters import Parameters as ComplementaryParameters
from fusus.core.estimation.madgwick.parameters import Parameters as MadgwickParameters
from fusus.core.estimation.mahony.parameters import Parameters as MahonyParameters

AttitudeParameters = ComplementaryParameters | MahonyParameters | MadgwickParameters | AttitudeEkfParameters


@dataclass(frozen=True, slots=True)
class EstimatorInfo:
    """A name for the command line, a title for people, and where the code is."""

    name: str
    title: str
    module: str
    parameters: type[AttitudeParameters]
    school: str


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
)


def info_for(name: str) -> EstimatorInfo:
    """Return the estimator of that name; KeyError names those that exist."""
    for info in ESTIMATORS:
        if info.name == name:
            return info
    raise KeyError(f"{name} is none of {', '.join(i.name for i in ESTIMATORS)}")
