"""Figures and tables of Parts and Drift on their own."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fusus.app import theme
from fusus.app.figures.budget import BudgetFigure
from fusus.app.figures.drift import AllanFigure, FanFigure, MissionFigure, ReckoningFigure
from fusus.app.figures.rows import RowsTable
from fusus.app.figures.suites import SuiteFigure

BARS = [
    ("Tilt", "0.2 of 2°", 0.1, [("gyro noise", 0.7), ("weather", 0.3)]),
    ("Height", "3 of 0.3 m", 10.0, [("weather", 0.9), ("a very long name of a source", 0.05), ("gyro noise", 0.05)]),
]


def shown(qtbot, widget, width=600, height=320):
    qtbot.addWidget(widget)
    widget.resize(width, height)
    widget.show()
    QApplication.processEvents()
    return widget


def test_rows_table_sets_figures_right_and_says_severity_in_words(qtbot):
    table = shown(qtbot, RowsTable("t", "A table", ("what", "figure>", "word"), 0))
    table.show_rows([["a", "1.0", ("■ fail", "fail")], ["b", "2.0", "plain"]], ["tip a"])
    assert table.item(0, 1).textAlignment() & Qt.AlignmentFlag.AlignRight and table.item(0, 0).toolTip() == "tip a"
    assert table.item(0, 2).foreground().color().name() == theme.tokens().brick.lower()
    assert table.item(1, 2).text() == "plain" and table.horizontalHeaderItem(1).text() == "figure"
    can_edit = Qt.ItemFlag.ItemIsEditable
    assert table.accessibleName() == "A table" and not table.item(0, 0).flags() & can_edit
    table.show_rows([["a", "1.0", ("none", "faint")]], editable=1)
    assert table.item(0, 1).flags() & can_edit and not table.item(0, 0).flags() & can_edit
    assert table.item(0, 2).foreground().color().name() == theme.tokens().faint.lower()
    table.columns_of({1: 80})
    assert table.columnWidth(1) == theme.px(80)
    table.show_rows([["word " * 40, "1", "x"], ["word", "1", "x"]])
    wide = table.rowHeight(0)
    assert wide > 2 * table.rowHeight(1), "words that need lines have them"
    table.resize(300, 300)
    QApplication.processEvents()
    assert table.rowHeight(0) > wide, "and more of them in less room"
    table.show_rows([])
    assert table.rowCount() == 0


def test_budget_bars_end_at_three_limits_and_keep_every_piece(qtbot):
    figure = shown(qtbot, BudgetFigure())
    figure.show_bars(BARS)
    figure.bars.grab()
    boxes = figure.bars._boxes
    assert [b[1] for b in boxes] == ["gyro noise", "weather", "weather", "a very long name of a source", "gyro noise"]
    tilt, height = (sum(b[0].width() for b in boxes[i:j]) for i, j in ((0, 2), (2, 5)))
    assert height == pytest.approx(30 * tilt, rel=1e-6), "ten limits are drawn as three"
    assert figure.bars.brush("weather") != figure.bars.brush("gyro noise")
    assert "weather 90%" in figure.bars.accessibleDescription()
    names, columns = figure.data()
    assert names == ["error_over_limit", "a very long name of a source", "gyro noise", "weather"] and columns[
        3
    ].tolist() == [0.3, 0.9]


def test_budget_bars_tell_a_piece_and_follow_a_click(qtbot):
    figure = shown(qtbot, BudgetFigure())
    figure.show_bars(BARS)
    figure.bars.grab()
    box = figure.bars._boxes[2][0]
    at = QPoint(int(box.center().x()), int(box.center().y()))
    with qtbot.waitSignal(figure.bars.piece_clicked) as clicked:
        QTest.mouseClick(figure.bars, Qt.MouseButton.LeftButton, pos=at)
    assert clicked.args == ["weather"]
    assert figure.bars.event(QHelpEvent(QEvent.Type.ToolTip, at, figure.bars.mapToGlobal(at)))
    assert figure.bars.piece_at(1, 1) is None
    figure.restyle()


def test_suite_chart_reads_what_money_buys_and_picks_the_nearest(qtbot, tmp_path):
    chart = shown(qtbot, SuiteFigure())
    chart.show_suites(np.zeros(0), np.zeros(0), np.zeros(0, dtype=int), None, None)
    assert chart.data()[1][0].size == 0
    price, score = np.array([10.0, 20.0, 30.0, 40.0]), np.array([3.0, 2.0, 2.5, 0.5])
    chart.show_suites(price, score, np.array([0, 1, 3]), (20.0, 2.0), 25.0)
    assert chart.read(5.0) == "5.00 cr buys no suite" and "0.500" in chart.read(100.0) and "2.00" in chart.read(25.0)
    picked = []
    chart.picked.connect(picked.append)

    class Click:
        def __init__(self, place):
            self._place = place

        def scenePos(self):  # noqa: N802
            return self._place

    from PyQt6.QtCore import QPointF

    chart._clicked(Click(chart.item.vb.mapViewToScene(QPointF(np.log10(39.0), np.log10(0.55)))))
    assert picked == [3]
    chart.save_csv(tmp_path / "s.csv")
    assert (tmp_path / "s.csv").read_text().splitlines()[1] == "10,3,1"


def test_drift_figures_draw_again_and_keep_their_data(qtbot):
    t = np.linspace(1, 100, 50)
    fan = shown(qtbot, FanFigure())
    bands = np.stack([-2 * t, -t, 0 * t, t, 2 * t])
    for _ in range(2):
        fan.show_fan(t, bands, 1.01 * t, "datasheet")
    assert fan.data()[0] == ["x", "σ °", "84 % °", "97.5 % °"] and "σ ° 101" in fan.read(100.0)
    reckoning = shown(qtbot, ReckoningFigure())
    reckoning.show_reckoning(t, {"tilt": 0.1 * t**2, "bias": 0.01 * t**3}, 3.0)
    names, columns = reckoning.data()
    assert columns[1] == pytest.approx(np.hypot(0.1 * t**2, 0.01 * t**3)) and names[1] == "total m"
    allan = shown(qtbot, AllanFigure("a", "Allan", "°/h"))
    allan.show_allan(
        t, {"noise": 1 / np.sqrt(t), "walk": np.sqrt(t) / 30, "total": np.hypot(1 / np.sqrt(t), np.sqrt(t) / 30)}, 2.0
    )
    assert allan.data()[1][3] == pytest.approx(2 * np.hypot(1 / np.sqrt(t), np.sqrt(t) / 30))


def test_mission_figure_names_units_and_phases(qtbot):
    t = np.arange(0.5, 60, 0.5)
    figure = shown(qtbot, MissionFigure())
    phases = [("rest", 0.0, 10.0), ("hover", 10.0, 40.0), ("outage", 20.0, 28.0), ("steel", 22.0, 25.0)]
    figure.show_mission(t, {"tilt": t / 10, "north": t / 20}, t / 12, phases, "°")
    assert "°" in figure.item.getAxis("left").labelText and figure.data()[0] == ["x", "tilt", "north", "claimed"]
    figure.show_mission(t, {"height": t}, None, phases, "m")
    assert figure.data()[0] == ["x", "height"] and "m" in figure.item.getAxis("left").labelText
