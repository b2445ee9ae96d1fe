"""Times as people and programs write them: read as they are meant (Python's datetime wrote them), or asked."""

import datetime as dt

import numpy as np
import pytest

from fusus.errors import OpenQuestionsError
from fusus.logs.answering import answered
from fusus.logs.importer import ImportRequest, import_recording, plan_import
from fusus.logs.mapping import Mapping
from fusus.logs.recording import load_stream

ROWS, STEP_MS = 2500, 40
SENSORS = ",".join([*(f"gyro_{a}_rad_s" for a in "xyz"), *(f"acc_{a}_m_s2" for a in "xyz")])


def moments(start="2026-03-25 11:59:10"):
    begin = dt.datetime.fromisoformat(start)
    return [begin + dt.timedelta(milliseconds=STEP_MS * i) for i in range(ROWS)]


def written(path, stamps, name="timestamp"):
    rng = np.random.default_rng(3)
    rows = [f"{name},{SENSORS}"]
    for stamp in stamps:
        values = [*rng.normal(0, 0.01, 3), *rng.normal(0, 0.05, 2), -9.81 + rng.normal(0, 0.05)]
        rows.append(",".join([str(stamp), *(f"{v:.5f}" for v in values)]))
    path.write_text("\n".join(rows) + "\n")
    return path


def read(path, folder, mapping=None):
    info = import_recording(ImportRequest((path,), folder, "log", mapping=mapping))
    return info, load_stream(folder, "log", "imu").t_ns


def milli(at):
    return f"{at.microsecond // 1000:03d}"


def serial(at):
    """Days since the last day but one of 1899, as spreadsheets count."""
    return repr((at - dt.datetime(1899, 12, 30)) / dt.timedelta(days=1))


FORMS = {
    "date-day-first": lambda a: a.strftime("%d/%m/%Y %H:%M:%S.") + milli(a),
    "date-month-first": lambda a: a.strftime("%m/%d/%Y %H:%M:%S.") + milli(a),
    "halves-of-the-day": lambda a: a.strftime("%m/%d/%Y %I:%M:%S.") + milli(a) + a.strftime(" %p"),
    "points": lambda a: a.strftime("%d.%m.%Y %H:%M:%S.") + milli(a),
    "months-name": lambda a: a.strftime("%d-%b-%Y %H:%M:%S.") + milli(a),
    "zone": lambda a: a.isoformat(timespec="milliseconds") + "+02:00",
    "no-signs": lambda a: a.strftime("%Y%m%d%H%M%S.") + milli(a),
    "basic": lambda a: a.strftime("%Y%m%dT%H%M%S.") + milli(a) + "Z",
    "clock-comma": lambda a: '"' + a.strftime("%H:%M:%S,") + milli(a) + '"',
    "clock-colon": lambda a: a.strftime("%H:%M:%S:") + milli(a),
    "one-number": lambda a: a.strftime("%H%M%S.") + milli(a),
    "no-leading-zeros": lambda a: a.strftime("%H:%M:%S.") + str(a.microsecond // 1000),
    "seconds-torn": lambda a: f"{a.hour * 3600 + a.minute * 60 + a.second}.{a.microsecond // 1000}",
    "minutes": lambda a: f"{(a.hour - 11) * 60 + a.minute}:{a.second:02d}.{milli(a)}",
    "serial-days": serial,
}


@pytest.mark.parametrize("form", FORMS)
def test_every_form_gives_the_steps_that_were_written(form, tmp_path, folder):
    info, t = read(written(tmp_path / "log.csv", map(FORMS[form], moments())), folder)
    steps = np.diff(t)
    # A spreadsheet's day has 15 or 16 digits: some microseconds.
    assert len(t) == ROWS and np.abs(steps - STEP_MS * 1_000_000).max() <= (2000 if form == "serial-days" else 0)
    assert not info.problems and any(c.column == "timestamp" for c in info.conclusions)


@pytest.mark.parametrize(
    ("form", "day"), [("date-day-first", 25), ("no-signs", 25), ("months-name", 25), ("serial-days", 25)]
)
def test_the_date_is_the_one_that_was_written(form, day, tmp_path, folder):
    info, _ = read(written(tmp_path / "log.csv", map(FORMS[form], moments())), folder)
    assert info.when is not None and (info.when.year, info.when.month, info.when.day) == (2026, 3, day)


def test_a_zone_is_taken_off(tmp_path, folder):
    info, _ = read(written(tmp_path / "log.csv", map(FORMS["zone"], moments("2026-03-25 01:00:00"))), folder)
    assert (info.when.day, info.when.hour) == (24, 23)


@pytest.mark.parametrize("form", ["date-day-first", "date-month-first", "halves-of-the-day"])
def test_a_day_that_may_be_a_month_is_asked_and_an_answer_settles_it(form, tmp_path, folder):
    path = written(tmp_path / "log.csv", map(FORMS[form], moments("2026-03-05 11:59:10")))
    with pytest.raises(OpenQuestionsError, match="more than one way") as error:
        read(path, folder)
    assert [c["value"] for c in error.value.details["questions"][0]["candidates"]] == ["dmy", "mdy"]
    said = "dmy" if form == "date-day-first" else "mdy"
    line = Mapping.model_validate({"files": [{"time": {"unit": "iso8601", "form": said}}]})
    plan = plan_import(ImportRequest((path,), folder, "log"))
    assert (
        answered(plan.mapping, plan.questions[0], said).files[0].time
        == plan_import(ImportRequest((path,), folder, "log", mapping=line)).mapping.files[0].time
    ), "the dialog's answer and the command line's mapping are one"
    info, t = read(path, folder, line)
    assert (info.when.month, info.when.day) == (3, 5) and np.array_equal(np.diff(t), np.full(ROWS - 1, STEP_MS * 10**6))


def test_one_number_that_may_be_seconds_or_a_time_of_day_is_asked(tmp_path, folder):
    within_a_minute = [f"{123001 + i * 0.02:.2f}" for i in range(ROWS)]
    with pytest.raises(OpenQuestionsError, match="seconds, or a time of day"):
        read(written(tmp_path / "log.csv", within_a_minute), folder)
    # Beyond 59 it can only be seconds.
    _, t = read(written(tmp_path / "more.csv", [f"{123001 + i * 0.05:.2f}" for i in range(ROWS)]), folder)
    assert np.abs(np.diff(t) - 50_000_000).max() < 1000


def test_a_clock_goes_on_over_midnight_and_over_noon_of_a_short_clock(tmp_path, folder):
    over = [a.strftime("%H:%M:%S.%f") for a in moments("2026-03-25 23:59:30")]
    info, t = read(written(tmp_path / "log.csv", over), folder)
    assert np.array_equal(np.diff(t), np.full(ROWS - 1, STEP_MS * 10**6)) and [p.kind for p in info.problems] == [
        "clock_wrap"
    ]


@pytest.mark.parametrize(("name", "step"), [("dt", 40), ("dt_us", 40_000), ("delta_t (ms)", 40), ("dt", 0.04)])
def test_steps_of_time_are_summed(name, step, tmp_path, folder):
    rng = np.random.default_rng(5)
    steps = np.round(step * rng.uniform(0.9, 1.1, ROWS), 4 if step < 1 else 0)
    info, t = read(written(tmp_path / "log.csv", steps, name), folder)
    unit = 40.0 / 1000 / step
    assert np.allclose(t * 1e-9, np.cumsum(steps * unit) - steps[0] * unit, atol=1e-9)
    assert any("steps of time" in c.conclusion for c in info.conclusions)


@pytest.mark.parametrize("field", ["10 ms", "0x1f40", "np.float64(0.5)"])
def test_a_time_that_is_not_read_is_shown_and_asked(field, tmp_path, folder):
    with pytest.raises(OpenQuestionsError) as error:
        read(written(tmp_path / "log.csv", [field] * ROWS), folder)
    assert field in str(error.value) and "no time in a form that is read" in str(error.value)
