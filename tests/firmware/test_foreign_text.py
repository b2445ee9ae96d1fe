"""Names of others in generated C: they stay words in comments, whatever they hold."""

import subprocess
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.firmware.kits import plan_for

from fusus.errors import RecordingError
from fusus.firmware.running.compiler import STRICT
from fusus.firmware.translation.foreign_text import harmless
from fusus.firmware.writing.kit import kit_files
from fusus.logs.snippet import c_snippet

HOSTILE = (
    "x */ #error it runs /*",
    "x **/ int main(void) { return 1; } /**",
    "x *\n/\n#error it runs\n/*",
    "x ??/\n*/ #error it runs",
    "x *\\\n/ #error it runs /*",
    "x \u202e */ #error \u2066 it runs",
    "x \u2028*/\u2029#error it runs",
    'x" */ "#error it runs',
    "/" * 40 + "*" * 40 + "/" * 40 + " #error it runs",
)


@pytest.mark.parametrize("name", HOSTILE)
def test_no_name_becomes_code(name, place, tmp_path):
    plan = plan_for("mahony", "single", place)
    parameters = {f"fusion.{plan.info.field}.{f}": name for f in type(plan.parameters).__dataclass_fields__}
    loops = {f"cascade.{f}": name for f in plan.controls.cascade._fields}
    said = (
        parameters | loops | dict.fromkeys(("filters", "mixer", "idle", "gyro-bias", "mounting", "magnetometer"), name)
    )
    plan = replace(plan, project=name, said=said, scales=replace(plan.scales, said=name))
    files = kit_files(plan, "", (), [])
    for file, text in files.items():
        (tmp_path / file).write_text(text)
    assert (
        "it runs" in files["sensors_constants.h"] + files["control_constants.h"]
        or "main" in files["control_constants.h"]
    )
    for source in ("sensors.c", "estimator.c", "control.c", "alignment.c", "test_kit.c"):
        done = subprocess.run(
            ["gcc", *STRICT, "-trigraphs", "-Wno-trigraphs", "-c", source], cwd=tmp_path, capture_output=True, text=True
        )
        assert done.returncode == 0, done.stderr[:1500]


@given(st.text(st.sampled_from("*/\\?\n\r \t\x1b\u2028\u202eab"), max_size=30))
def test_what_is_harmless_ends_nothing_and_stays_so(text):
    out = harmless(text)
    assert not any(bad in out for bad in ("*/", "/*", "??", "\\", "\n", "\r", "\x1b", "\u202e", "\u2028"))
    assert harmless(out) == out


@pytest.mark.parametrize("streams", [('imu"); system("true',), ("imu);x", "mag"), ("no such",)])
def test_no_stream_that_there_is_not_reaches_a_string_of_c(streams):
    with pytest.raises(RecordingError, match="no such stream"):
        c_snippet(streams)
    assert c_snippet(("imu mag",)) == c_snippet(("imu", "mag"))
