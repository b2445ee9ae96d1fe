"""The bench's figures draw what they are given, read and save it, and take on the other theme."""

from datetime import datetime

import numpy as np
import pytest

from fusus.app import theme
from fusus.app.figures.bench import (
    ACC_UNITS,
    GYRO_UNITS,
    HistoryFigure,
    MeasuredAllan,
    PairFigure,
    ScatterFigure,
    SpectrumFigure,
    ThermalFigure,
)
from fusus.app.figures.mounting import MountingFigure
from fusus.app.figures.turnmap import TurnMap, flat
from fusus.core.analysis.allan.deviation import allan_curve
from fusus.core.analysis.allan.reading import read_curve
from fusus.core.calibration.coverage import coverage, even_directions
from fusus.study.bench.allan import AxisAllan


@pytest.fixture(autouse=True)
def look(qapp):
    theme.load_fonts()
    theme.set_theme(qapp, theme.LIGHT)


def shown(qtbot, figure):
    qtbot.addWidget(figure)
    figure.resize(640, 400)
    figure.show()
    assert not figure.picture().isNull()
    figure.restyle()
    return figure


def saved(figure, tmp_path):
    path = tmp_path / "figure.csv"
    figure.save_csv(path)
    return path.read_text(encoding="utf-8").splitlines()


def test_the_projection_keeps_areas_and_halves():
    """Lambert's azimuthal equal-area projection: a cap of half the hemisphere's area has half the disc's."""
    d = even_directions(20000)
    lower = d[d[:, 2] >= 0]
    xy = flat(lower)
    r = np.hypot(xy[:, 0] + 1.2, xy[:, 1])
    assert r.max() <= 1.0 + 1e-9
    assert (r < np.sqrt(0.5)).mean() == pytest.approx(0.5, abs=0.01)
    assert flat(np.array([[0.0, 0.0, 1.0]]))[0] == pytest.approx([-1.2, 0.0])
    assert flat(np.array([[0.0, 0.0, -1.0]]))[0] == pytest.approx([1.2, 0.0])


def test_turn_map_names_the_largest_gap(qtbot, tmp_path):
    d = even_directions(900)
    half = d[d[:, 2] > 0]
    figure = shown(qtbot, TurnMap())
    figure.show_turns(half, coverage(half))
    assert "missing: upside down" in figure.reading.text()
    assert len(saved(figure, tmp_path)) == len(half) + 1
    figure.show_turns(d, coverage(d))
    assert "no gaps" in figure.reading.text()


@pytest.mark.parametrize(
    "rotation", [np.eye(3), np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]]), np.diag([1.0, -1, -1])]
)
def test_mounting_draws_every_axis(qtbot, rotation, tmp_path):
    figure = shown(qtbot, MountingFigure())
    figure.show_mounting(rotation, np.linspace(1, -1, 24), "x nose")
    texts = {i.toPlainText() for i in figure.item.items if hasattr(i, "toPlainText")}
    assert any(t.startswith("z ") for t in texts)
    assert {"nose", "1.00 best"} <= texts
    assert figure.reading.text() == "x nose"
    assert saved(figure, tmp_path)[0] == "score"


def axes(prefix, scale=1e-3):
    out = []
    for i, a in enumerate("xyz"):
        curve = allan_curve(np.random.default_rng(i).standard_normal(4000) * scale, 100.0)
        out.append(AxisAllan(f"{prefix}_{a}", "u", curve, read_curve(curve)))
    return out


@pytest.mark.parametrize(("units", "word"), [(GYRO_UNITS, "°/√h"), (ACC_UNITS, "µg/√Hz")])
def test_measured_allan_reads_in_the_trades_units(qtbot, tmp_path, units, word):
    figure = shown(qtbot, MeasuredAllan("a", "Sensor", "u", units))
    tau = np.geomspace(0.01, 10, 20)
    figure.show_axes(axes("gyro"), 1.0, (tau, 1e-4 / np.sqrt(tau)))
    assert word in figure.title.text()
    assert "worst axis: N" in figure.title.text()
    assert saved(figure, tmp_path)[0].startswith("x,gyro_x,gyro_y,gyro_z")
    figure.point_at(1.0)
    assert "gyro_x" in figure.reading.text()
    names = [label.text for _, label in figure._legend.items]
    assert names == ["datasheet", "x", "y", "z", "fit x"]


def test_n_of_one_degree_per_root_hour():
    """1 °/√h is 1/60 °/s/√Hz (IEEE Std 952)."""
    scale, unit = GYRO_UNITS["N"]
    assert np.radians(1 / 60) * scale == pytest.approx(1.0)
    assert unit == "°/√h"


def test_pair_scatter_spectrum_and_soak(qtbot, tmp_path):
    rng = np.random.default_rng(1)
    t = np.arange(200) / 25
    pair = shown(qtbot, PairFigure())
    pair.show_pair((t, rng.normal(0, 3, 200)), (t, rng.normal(0, 1, 200)))
    assert [label.text.split(":")[0] for _, label in pair._legend.items] == ["without foam", "with foam"]
    assert saved(pair, tmp_path)[0] == "x,without Pa,with Pa"
    scatter = shown(qtbot, ScatterFigure())
    scatter.show_scatter(rng.normal(0, 1, (300, 3)), 1.2, 2.4)
    assert [label.text for _, label in scatter._legend.items] == ["50 % within 1.20 m", "95 % within 2.40 m"]
    spectrum = shown(qtbot, SpectrumFigure())
    f = np.linspace(0, 500, 200)
    spectrum.show_spectrum(
        f, np.abs(rng.normal(0, 1, (200, 3))) + 1e-3, [("turns", 115.0, 115.0, True), ("blades", 620.0, 380.0, False)]
    )
    texts = {i.toPlainText() for i in spectrum.item.items if hasattr(i, "toPlainText")}
    assert {"turns", "blades (620 Hz folds)"} <= texts
    soak = shown(qtbot, ThermalFigure())
    warm = np.linspace(5, 30, 60)
    soak.show_soak(warm, np.outer(warm, [1e-4, 2e-4, 0.0]), np.array([[0.0, 1e-4], [0.0, 2e-4], [0.0, 0.0]]), 0.0)
    assert len(saved(soak, tmp_path)) == 101


def test_history_shows_each_calibration_with_its_error(qtbot, tmp_path):
    figure = shown(qtbot, HistoryFigure())
    entries = [(datetime(2026, 9, d), [0.1 * d, 0.2, -0.3], [0.01, 0.01, 0.02]) for d in (1, 5, 9)]
    figure.show_history("Bias over 3 calibrations", "bias [°/s]", entries)
    assert figure.title.text() == "Bias over 3 calibrations"
    assert [label.text for _, label in figure._legend.items] == ["x", "y", "z"]
    assert len(saved(figure, tmp_path)) == 4
    figure.show_history("Trim over 1 calibration", "trim [°]", [(datetime(2026, 9, 1), [0.5, -0.2], [0.1, 0.1])])
    assert [label.text for _, label in figure._legend.items] == ["roll", "pitch"]
