"""What goes into an estimator, changed so that a common implementation error is undone."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import Samples

Changed = tuple[EstimatorInput, Start]
Ways = tuple[Callable[[EstimatorInput, Start], Changed], ...]


def samples(
    given: EstimatorInput, gyro: Array | None = None, acc: Array | None = None, mag: Array | None = None
) -> EstimatorInput:
    s = given.samples
    new = Samples(
        s.dt_s, s.gyro_b if gyro is None else gyro, s.acc_b if acc is None else acc, s.mag_b if mag is None else mag
    )
    return replace(given, samples=new)


def bias_too(change: Callable[[EstimatorInput], EstimatorInput], of_bias: Callable[[Array], Array]) -> Ways:
    """Return two ways to change a gyro: with the start's bias, and without it."""
    return (
        lambda given, start: (change(given), start),
        lambda given, start: (change(given), start._replace(gyro_bias_b=of_bias(start.gyro_bias_b))),
    )


def times(sensor: str, factors: Array) -> Ways:
    """Return what multiplies a sensor's axes by factors."""
    if sensor == "gyro":
        return bias_too(lambda g: samples(g, gyro=g.samples.gyro_b * factors), lambda b: b * factors)

    def change(given: EstimatorInput, start: Start) -> Changed:
        s = given.samples
        if sensor == "acc":
            return samples(given, acc=s.acc_b * factors), start
        return samples(given, mag=s.mag_b * factors), start

    return (change,)


def swapped(sensor: str, order: tuple[int, int, int]) -> Ways:
    columns = list(order)
    if sensor == "gyro":
        return bias_too(lambda g: samples(g, gyro=g.samples.gyro_b[:, columns]), lambda b: b[columns])
    return (lambda given, start: (samples(given, acc=given.samples.acc_b[:, columns]), start),)


def as_if(fixed_s: float) -> Ways:
    """Return what makes rates so much larger that a fixed interval turns as far as the true one."""

    def change(given: EstimatorInput, start: Start) -> Changed:
        ratio = given.samples.dt_s[:, None] / fixed_s
        bias = start.gyro_bias_b
        # What is subtracted in the code is the bias as it is: it stays, and only the motion grows.
        return samples(given, gyro=(given.samples.gyro_b - bias) * ratio + bias), start

    return (change,)


def interval_times(factor: float) -> Ways:
    """Return what changes the unit of intervals, and of intervals and times."""

    def intervals(given: EstimatorInput, start: Start) -> Changed:
        return replace(given, samples=given.samples._replace(dt_s=given.samples.dt_s * factor)), start

    def both(given: EstimatorInput, start: Start) -> Changed:
        a = given.aiding
        rows = {name: getattr(a, name).copy() for name in ("gnss", "baro", "mag", "ranges")}
        for values in rows.values():
            values[:, 0] *= factor
        changed = intervals(given, start)[0]
        return replace(changed, t_s=given.t_s * factor, aiding=replace(a, **rows)), start

    return intervals, both


def normalised(given: EstimatorInput, start: Start) -> Changed:
    acc = given.samples.acc_b
    return samples(given, acc=acc / np.linalg.norm(acc, axis=1)[:, None]), start


def rarer(every: int) -> Ways:
    """Return what gives one sample for each ``every``: rates that turn as far, the newest of all else."""

    def change(given: EstimatorInput, start: Start) -> Changed:
        whole = len(given.t_s) // every * every
        s = given.samples.part(0, whole)
        dt = s.dt_s.reshape(-1, every)
        angle = (s.gyro_b * s.dt_s[:, None]).reshape(-1, every, 3).sum(axis=1)
        at = slice(every - 1, whole, every)
        known = given.aiding.known[:whole].reshape(-1, every)[:, -1] if len(given.aiding.known) else given.aiding.known
        new = Samples(dt.sum(axis=1), angle / dt.sum(axis=1)[:, None], s.acc_b[at], s.mag_b[at])
        return replace(given, t_s=given.t_s[at], samples=new, aiding=replace(given.aiding, known=known)), start

    return (change,)


def turned(matrix: Array) -> Ways:
    """Return what turns all sensors' axes alike."""

    def change(given: EstimatorInput, start: Start) -> Changed:
        s = given.samples
        by_matrix = samples(given, s.gyro_b @ matrix.T, s.acc_b @ matrix.T, s.mag_b @ matrix.T)
        return by_matrix, start._replace(gyro_bias_b=start.gyro_bias_b @ matrix.T)

    return (change,)


def bias_off(factor: float) -> Ways:
    return (lambda given, start: (samples(given, gyro=given.samples.gyro_b - factor * start.gyro_bias_b), start),)
