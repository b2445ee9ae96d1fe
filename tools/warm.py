"""Compiles estimators, prediction and flight once, so that a new user's first run does not wait for it."""

import numpy as np

from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.simulation.flight.campaign import fly_all
from fusus.core.world.site import Site
from fusus.demo.build import demo_project
from fusus.study.flying.setup import flight_tasks
from fusus.study.parts.suite import study_suite


def main() -> None:
    """Run every estimator over a few samples, predict, and fly once."""
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
    project = demo_project()
    study_suite(project)
    fly_all(flight_tasks(project, "arming-tilted", 1, 1))


if __name__ == "__main__":
    main()
