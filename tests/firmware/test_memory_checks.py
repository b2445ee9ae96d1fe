"""Foreign code that reads, writes or uses what is not its own: told with file and line; and kept apart from the machine while it runs."""

import http.server
import shutil
import threading

import pytest
from tests.firmware.test_own import code

from fusus.firmware.own import memory_checks
from fusus.firmware.own.examine import build_own, run_own
from fusus.firmware.own.explanation import explain
from fusus.firmware.own.memory_checks import check_memory
from fusus.firmware.own.motion import proving_motion
from fusus.firmware.running.compiler import LENIENT, build
from fusus.firmware.running.isolation import isolated, isolating_tool, isolation_words
from fusus.firmware.running.sandbox import Limits, run_limited

needs_isolation = pytest.mark.skipif(isolating_tool() is None, reason="nothing isolates here")
STEP = "const double dt"


@pytest.fixture(scope="module")
def proving(place):
    return proving_motion(1, place)


@pytest.fixture
def found(tmp_path, proving, place):
    """Return what gives the findings of a source with a statement put into own_step()."""

    def find(statement, above="", **changes):
        sources, space = tmp_path / "sources", tmp_path / "space"
        sources.mkdir()
        space.mkdir()
        text = above + code(**changes).replace(STEP, f"{statement}\n    {STEP}", 1)
        (sources / "own.c").write_text(text)
        own = build_own(sources, space)
        at = 1 + text[: text.index(statement)].count("\n") if statement else 0
        return own, check_memory(space, list(own.sources), [(proving.given, proving.start)], place), at

    return find


def test_sound_code_has_no_findings(found):
    own, checks, _ = found("")
    assert checks.findings == () and not checks.not_checked and own.warnings == () and checks.are_good


@pytest.mark.parametrize(
    ("statement", "above", "kinds"),
    [
        ("static int turn; static double past[8]; past[turn++ % 9] = s->time_s;", "", {"undefined", "memory"}),
        ("double local[4]; volatile int k = 4; local[k] = 1.0; q[0] += 0.0 * local[k];", "", {"undefined", "memory"}),
        ("double *m = malloc(24); m[3] = 1.0; free(m);", "#include <stdlib.h>\n", {"memory"}),
        ("double *m = malloc(24); free(m); q[0] += 0.0 * m[0];", "#include <stdlib.h>\n", {"memory"}),
        ("volatile int most = 2147483647; most = most + (int)(s->interval_s > 0);", "", {"undefined"}),
        ("volatile int far = 40; volatile int one = 1; one = one << far;", "", {"undefined"}),
    ],
)
def test_what_is_not_its_own_is_told_with_its_line(statement, above, kinds, found):
    _, checks, at = found(statement, above)
    assert checks.findings and not checks.are_good
    assert all(f.kind in kinds and (f.file, f.line) == ("own.c", at) for f in checks.findings), checks.findings
    assert all(f"own.c, line {at}: " in f.words and f.text.endswith(".") for f in checks.findings)


def test_two_writes_out_of_bounds_are_both_told(found):
    statement = "static double first[2], second[2]; volatile int k = 2;\n    first[k] = 1.0;\n    second[k + 1] = 1.0;"
    _, checks, at = found(statement)
    assert {f.line for f in checks.findings} == {at + 1, at + 2}


def test_a_variable_that_is_never_set_is_told(found):
    statement = "double gone[3]; if (s->interval_s < 0) gone[1] = 1.0; q[1] += 1e-9 * gone[1];"
    own, checks, at = found(statement)
    (unset,) = [f for f in checks.findings if f.kind == "unset"]
    assert "never set" in unset.text
    # The line needs a counter of memory; where there is none, the compiler's warning tells it.
    assert unset.line in range(at - 8, at + 30) or any(w.line == at for w in own.warnings)


def test_without_a_counter_of_memory_it_is_still_told(found, monkeypatch):
    which = shutil.which
    monkeypatch.setattr(memory_checks.shutil, "which", lambda name: None if name == "valgrind" else which(name))
    _, checks, _ = found("double gone[1]; if (s->interval_s < 0) gone[0] = 1.0; q[1] += 1e-9 * gone[0];")
    assert [f.file for f in checks.findings if f.kind == "unset"] == [""]


def test_warnings_are_told_and_do_not_fail(found):
    own, checks, at = found("int idle; if (q[0] = 1.0) idle = 0;")
    assert any(w.line == at and "compiler warns" in w.words for w in own.warnings)
    assert all(w.kind == "warning" and w.file == "own.c" for w in own.warnings)
    assert checks.are_good


def test_an_early_exit_is_told_with_its_sample(tmp_path, proving, place):
    (tmp_path / "own.c").write_text(code().replace(STEP, f"extern void exit(int); if (s->time_s > 5) exit(0);\n{STEP}"))
    (tmp_path / "space").mkdir()
    run = run_own(build_own(tmp_path, tmp_path / "space").program, proving.given, proving.start, place)
    words = run.words(proving.given.t_s)
    assert not run.is_whole and "ended the program by itself, with status 0" in words and "t = 5.0" in words


RIGHT_TURN = {
    "GYRO": "s->gyro_rad_s[1], -s->gyro_rad_s[0], s->gyro_rad_s[2]", "ACC": "s->acc_m_s2[1], -s->acc_m_s2[0], s->acc_m_s2[2]",
    "BIAS": "(i == 0 ? s->gyro_bias_rad_s[1] : i == 1 ? -s->gyro_bias_rad_s[0] : s->gyro_bias_rad_s[2])",
}  # fmt: skip
MIRRORED = "const double v[3] = { s->mag_ut[1], -s->mag_ut[0], s->mag_ut[2] };"
INVERSE = {"GIVE": "e->attitude[0] = q[0]; for (int i = 1; i < 4; i++) e->attitude[i] = -q[i];"}
DEGREES = {"GYRO": ", ".join(f"57.29578 * s->gyro_rad_s[{i}]" for i in range(3))}
UPSIDE = {"ACC": "-s->acc_m_s2[0], -s->acc_m_s2[1], -s->acc_m_s2[2]"}
SWAPPED = {"GYRO": "s->gyro_rad_s[1], s->gyro_rad_s[0], s->gyro_rad_s[2]"}


def explained(tmp_path, proving, place, text):
    space = tmp_path / "space"
    space.mkdir()
    (tmp_path / "own.c").write_text(text)
    return explain(build_own(tmp_path, space).program, proving, place)


@pytest.mark.parametrize(
    ("names", "changes", "replaced"),
    [
        ({"milliseconds as seconds"}, {"DT": "(1000 * s->interval_s)"}, ()),
        ({"seconds as milliseconds"}, {"DT": "(s->interval_s / 1000)"}, ()),
        ({"axes -y, +x, +z"}, RIGHT_TURN, ("const double *v = s->mag_ut;", MIRRORED)),
        (
            {"accelerometer not normalised", "accelerometer in g"}, {"GAIN": "3.0"},
            ("n > 8.8 && n < 10.8) {\n        const double m[3] = { -a[0] / n, -a[1] / n, -a[2] / n };",
             "1) {\n        const double m[3] = { -a[0], -a[1], -a[2] };"),
        ),
        ({"degrees as radians", "order"}, {**DEGREES, "GIVE": "for (int i = 0; i < 4; i++) e->attitude[(i + 3) % 4] = q[i];"}, ()),
        ({"half angle twice", "inverse"}, {"HALF": "0.25", **INVERSE}, ()),
        ({"gyro xy swapped", "acc signs"}, {**SWAPPED, **UPSIDE}, ()),
    ],
)  # fmt: skip
def test_errors_that_only_show_together_or_by_their_kind(names, changes, replaced, tmp_path, proving, place):
    text = code(**changes)
    text = text.replace(*replaced) if replaced else text
    found = explained(tmp_path, proving, place, text)
    assert found.errors_found and {e.name for e, _ in found.errors_found} <= names, found.errors_found
    assert len(found.errors_found) == (1 if len(names) == 1 or "accelerometer in g" in names else 2)
    assert found.errors_found[-1][1].total <= 2.0


@needs_isolation
def test_foreign_code_sees_no_files_no_network_and_no_processes(tmp_path):
    server = http.server.HTTPServer(("127.0.0.1", 0), http.server.SimpleHTTPRequestHandler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    secret, space = tmp_path / "secret.txt", tmp_path / "space"
    secret.write_text("word")
    space.mkdir()
    script = (
        f"cat {secret}; ls /home /root /etc/passwd; echo x > {tmp_path}/left.txt; ls /proc | grep -c '^[0-9]'; "
        f"exec 3<>/dev/tcp/127.0.0.1/{server.server_port}"
    )
    try:
        ended = run_limited(["/bin/bash", "-c", script], space, Limits(10.0, 1 << 28))
    finally:
        server.shutdown()
        server.server_close()
    assert not ended.is_good and "word" not in ended.out and not (tmp_path / "left.txt").exists()
    assert int(ended.out.split()[-1]) < 6
    assert ended.err.count("No such file or directory") >= 4 and "Connection refused" in ended.err


@needs_isolation
def test_only_the_output_can_be_written_and_not_without_end(tmp_path):
    limits = Limits(10.0, 1 << 28, 1 << 16, ("output.bin",))
    ended = run_limited(["/bin/sh", "-c", "echo x > other; yes > output.bin"], tmp_path, limits)
    assert "Read-only file system" in ended.err and not (tmp_path / "other").exists()
    assert not ended.is_good and "more to disk" in ended.words
    assert (tmp_path / "output.bin").stat().st_size <= 1 << 16


@needs_isolation
def test_a_signal_is_told_through_the_isolation(tmp_path):
    (tmp_path / "gone.c").write_text("int main(void) { *(volatile int *)0 = 1; return 0; }\n")
    built = build(tmp_path, ["gone.c"], "gone", LENIENT)
    ended = run_limited([str(built.program)], tmp_path, Limits(10.0, 1 << 28))
    assert ended.signal == 11 and "segmentation fault" in ended.words


def test_where_nothing_isolates_the_question_says_so(tmp_path, monkeypatch):
    from fusus.firmware.running import isolation

    assert "without network" in isolation_words() or "bubblewrap" in isolation_words()
    monkeypatch.setattr(isolation, "isolating_tool", lambda: None)
    assert "with your rights" in isolation.isolation_words()
    assert isolated(["/bin/true"], tmp_path) == ["/bin/true"]


@needs_isolation
def test_a_compiler_of_ones_own_is_seen_through_its_links(tmp_path):
    tools, real, work = tmp_path / "links", tmp_path / "toolchain" / "bin", tmp_path / "work"
    for folder in (tools, real, work):
        folder.mkdir(parents=True)
    (real / "mycc").write_text('#!/bin/sh\nexec cc "$@"\n')
    (real / "mycc").chmod(0o755)
    (tools / "mycc").symlink_to(real / "mycc")
    (work / "a.c").write_text("int main(void) { return 5; }\n")
    limits = Limits(30.0, 1 << 31)
    built = run_limited([str(tools / "mycc"), "-o", "a", "a.c"], work, limits)
    assert built.is_good, built.words
    assert run_limited([str(work / "a")], work, limits).status == 5
