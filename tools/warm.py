"""Compiles estimators and prediction once, so that a new user's first run does not wait for it."""

import numpy as np

from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.world.site import Site
from fusus.demo.build import demo_project
from fusus.study.suite import study_suite


def main() -> None:
    """Run every estimator over a few samples."""
    n = 400
    given = estimator_input(
        np.arange(n) * 0.01,
        np.zeros((n, 3)),
        np.tile([0.0, 0.0, -9.81], (n, 1)),
        np.arange(n) * 0.01,
        np.tile([20.0, 0.0, 43.0], (n, 1)),
    )
    for info in ESTIMATORS:
        run_estimator(info.name, info.parameters(), given, Site())
    study_suite(demo_project())


if __name__ == "__main__":
    main()
