"""Ranking: every combination once, the front by hand, cancelling; cures and swaps."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.derived_requirements.check import conflicts
from fusus.core.judgement.parts_findings import SuitePrediction, cheapest_cure, findings, told
from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import COARSE_STEP_S, lay_out
from fusus.core.parts.fitting import Fitting
from fusus.core.prediction.improvements import sensitivities, swaps
from fusus.core.prediction.predict import predict
from fusus.core.prediction.ranking import Choice, choices, front_of, rank
from fusus.core.requirements import Requirement
from fusus.errors import CancelledError

WANTED = (Requirement("tilt", 0.035), Requirement("height", 0.3, "p95"), Requirement("position", 1.5, "p95"))


@pytest.fixture(scope="module")
def coarse(site):
    return lay_out(Mission(weather_pa=30.0), site, step_s=COARSE_STEP_S)


@pytest.fixture(scope="module")
def few(parts):
    return tuple(
        parts[n] for n in ("Birch 1", "Birch 9", "Cedar 1", "Fen 1", "Fen 3", "Lode 1", "Needle 1", "Tern 1", "Tern 3")
    )


def test_the_whole_catalogue_makes_over_two_thousand_suites(parts):
    found = choices(tuple(parts.values()))
    names = {tuple(sorted(c.names().items())) for c in found}
    assert len(found) == len(names) > 2000
    on_board = [c for c in found if c.magnetometer is c.imu]
    assert on_board and all(c.imu.part.has_magnetometer and len(c.separate()) == 3 for c in on_board)


def test_ranking_predicts_each_suite_as_a_prediction_does(few, coarse, suite):
    ranking = rank(choices(few), coarse, WANTED, Fitting())
    # Two six-axis boards with two magnetometers, one nine-axis board with three, two barometers, two receivers.
    assert len(ranking.suites) == (2 * 2 + 3) * 2 * 2
    one = next(s for s in ranking.suites if s.choice.names() == {
        "imu": "Birch 1", "barometer": "Fen 3", "magnetometer": "Needle 1", "receiver": "Tern 3"})  # fmt: skip
    alone = predict(suite(mag="Needle 1"), coarse, WANTED, with_budget=False)
    assert one.values == pytest.approx([f.value for f in alone.figures], rel=1e-12)
    assert one.score == pytest.approx(max(v / r.limit for v, r in zip(one.values, WANTED, strict=True)))
    assert one.price == pytest.approx(5.2 + 3.6 + 6.4 + 29) and one.mass_kg == pytest.approx(17.7e-3)
    best = ranking.best()
    assert [s.score for s in best] == sorted(s.score for s in best)
    cheapest = min(ranking.suites, key=lambda s: (s.price, s.score))
    assert cheapest in best


@given(st.lists(st.tuples(*[st.integers(0, 6)] * 3), min_size=1, max_size=40))
def test_front_is_what_nothing_beats(rows):
    table = np.array(rows, dtype=float)
    kept = front_of(table)
    for i, row in enumerate(table):
        beaten = any((o <= row).all() and (o < row).any() for o in table)
        assert kept[i] != beaten


def test_a_cancelled_ranking_stops(few, coarse):
    class Stop:
        def step(self, done, total, what):
            raise CancelledError

    with pytest.raises(CancelledError):
        rank(choices(few), coarse, WANTED, Fitting(), Stop())


def test_halving_the_largest_source_gains_most(suite, trajectory):
    model = suite()
    gains = {s.change: s.gains for s in sensitivities(model, trajectory, WANTED)}
    assert gains["half the accelerometer's offset"][0] > 0.2  # tilt is mostly that
    assert all(-0.02 < g < 1 for found in gains.values() for g in found)
    assert gains["half the magnetometer noise"][1] == pytest.approx(0.0, abs=1e-3)  # height has nothing to do with it


def test_the_cheapest_cure_is_found_and_told(parts, few, trajectory):
    fitting = Fitting()
    choice = Choice(parts["Birch 1"], parts["Fen 1"], parts["Lode 1"], parts["Tern 1"])
    from fusus.core.parts.models import suite_model

    model = suite_model(choice.imu, choice.barometer, choice.magnetometer, choice.receiver, None, fitting)
    prediction = predict(model, trajectory, WANTED)
    found = swaps(choice, (*few, parts["Reed 1"]), trajectory, WANTED, fitting)
    assert [s.extra_price for s in found] == sorted(s.extra_price for s in found)
    suite_prediction = SuitePrediction(
        prediction.figures, prediction.budgets, sensitivities(model, trajectory, WANTED), found, ()
    )
    cure = cheapest_cure(suite_prediction, 1, WANTED[1])
    assert prediction.figures[1].value > WANTED[1].limit and cure is not None and cure.values[1] <= WANTED[1].limit
    before = [f.value for f in prediction.figures]

    def spoils_nothing(values):
        return all(v <= r.limit or v <= 1.02 * b for v, r, b in zip(values, WANTED, before, strict=True))

    fit = [s.extra_price for s in found if s.values[1] <= WANTED[1].limit and spoils_nothing(s.values)]
    assert cure.extra_price == min(fit)
    height = next(f for f in findings(suite_prediction) if f.subject.startswith("Height"))
    assert height.severity == "stop" and cure.new.part.name in height.next_step and "gains" in height.reason
    assert findings(suite_prediction)[0].severity == "stop"


def test_a_nine_axis_board_is_swapped_with_its_magnetometer(parts, trajectory):
    board = parts["Birch 9"]
    choice = Choice(board, parts["Fen 3"], board, parts["Tern 3"])
    found = swaps(choice, (parts["Birch 1"], parts["Cedar 9"]), trajectory, WANTED, Fitting())
    assert [s.new.part.name for s in found] == ["Cedar 9"]  # a six-axis board would leave no magnetometer
    assert found[0].choice.magnetometer is parts["Cedar 9"]


def test_findings_say_when_all_is_in_reach(suite, trajectory, parts):
    wide = (Requirement("tilt", 0.5), Requirement("position", 50.0, "p95"))
    prediction = predict(suite(), trajectory, wide)
    found = findings(SuitePrediction(prediction.figures, prediction.budgets))
    assert [f.severity for f in found] == ["fine"] and "tightest" in found[0].statement.lower()
    clash = conflicts((parts["Alder 1"], parts["Alder 9"], parts["Alder 1"]))
    assert findings(SuitePrediction(prediction.figures, prediction.budgets, conflicts=clash))[0].severity == "stop"
    assert told(wide[0], 0.0174533) == "1°" and told(wide[1], 2.5) == "2.5 m"
