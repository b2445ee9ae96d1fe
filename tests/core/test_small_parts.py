"""Arrays, errors, progress, fingerprint, quantiser."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus import errors
from fusus.core import source
from fusus.core.arrays import as_samples, as_series, check_range
from fusus.core.progress import Silent
from fusus.core.sensors import quantise


def test_arrays_come_out_in_one_form():
    for given_ in (np.ones((4, 3), dtype=np.float32), np.asfortranarray(np.ones((4, 3))), [[1, 1, 1]] * 4):
        out = as_samples(given_, "x", 3)
        assert out.dtype == np.float64 and out.flags.c_contiguous and not out.flags.writeable
    assert as_series([1, 2], "t").shape == (2,)
    with pytest.raises(ValueError, match="one dimension"):
        as_series([[1.0]], "t")


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -1.0, 11.0, "5", None])
def test_numbers_out_of_range_are_refused_with_facts(value):
    with pytest.raises(errors.ParameterError) as caught:
        check_range("tau", value, 0.0, 10.0, "s")
    assert (caught.value.name, caught.value.low, caught.value.high, caught.value.unit) == ("tau", 0.0, 10.0, "s")
    assert "give a number from 0 to 10 s" in str(caught.value)


def test_errors_are_of_the_built_in_kinds_too():
    assert issubclass(errors.ParameterError, ValueError) and issubclass(errors.LogError, ValueError)
    log = errors.LogError("/somewhere/log.csv", 7, "gx", "it is odd.")
    assert str(log) == "log.csv, line 7, column “gx”: it is odd." and (log.line, log.column) == (7, "gx")
    assert not issubclass(errors.CancelledError, errors.FususError)


@given(st.lists(st.floats(-20, 20), min_size=1, max_size=30), st.integers(8, 24), st.sampled_from([2.0, 8.0, 16.0]))
def test_quantising_errs_by_half_a_count_and_clips(values, bits, full):
    out = quantise.quantise(values, full, bits)
    count = 1 / quantise.counts_per_unit(full, bits)
    clipped = np.clip(values, -full, full - count)
    assert np.abs(out - clipped).max() <= 0.5 * count + 1e-12


@given(st.integers(-32768, 32767))
def test_unsigned_words_read_as_two_s_complement(count):
    assert quantise.from_counts([count % 65536], 500.0, 16)[0] == quantise.from_counts([count], 500.0, 16)[0]


def test_silent_progress_does_nothing():
    assert Silent().step(1, 2, "x") is None


def test_kernels_are_kept_by_what_they_are_compiled_from(tmp_path, monkeypatch):
    from pathlib import Path

    root = tmp_path / "src" / "fusus" / "core"
    root.mkdir(parents=True)
    texts = {
        "a.py": "from fusus.core import b\nfrom fusus.core.c import (\n    f,\n)\n",
        "b.py": "x = 1\n",
        "c.py": "import fusus.core.d\n",
        "d.py": "",
        "e.py": "",
    }
    for name, text in texts.items():
        (root / name).write_text(text)
    monkeypatch.setattr(source, "__file__", str(root / "source.py"))

    def digest(name="a.py"):
        for cached in (source.closure_digest, source._imported, source._file_of):
            cached.cache_clear()
        return source.closure_digest(root / name)

    before = digest()
    assert {p.name for p in source._closure(root / "a.py")} == {"a.py", "b.py", "c.py", "d.py"}
    (root / "e.py").write_text("other = 1\n")
    assert digest() == before, "nothing of it is compiled into a"
    for name in ("b.py", "c.py", "d.py", "a.py"):
        (root / name).write_text(texts[name] + "# changed\n")
        assert digest() != before, name
        before = digest()
    copy = tmp_path / "other" / "fusus" / "core"
    copy.mkdir(parents=True)
    for path in root.iterdir():
        (copy / path.name).write_bytes(path.read_bytes())
    monkeypatch.setattr(source, "__file__", str(copy / "source.py"))
    for cached in (source.closure_digest, source._imported, source._file_of):
        cached.cache_clear()
    assert source.closure_digest(Path(copy / "a.py")) == before, (
        "a second copy of the same source finds what the first compiled"
    )


def test_machine_code_is_kept_where_nobody_else_can_write(tmp_path, monkeypatch):
    monkeypatch.setattr(source, "user_cache_path", lambda name: tmp_path / name)
    source.kernel_cache.cache_clear()
    try:
        own = source.kernel_cache()
        assert own == tmp_path / "fusus" / "kernels" and own.stat().st_mode & 0o777 == 0o700
        # Others could write into it: what lies there may be theirs.
        (own / "theirs").mkdir()
        (own / "theirs" / "code.nbc").write_bytes(b"code")
        (own / "link").symlink_to(tmp_path)
        own.chmod(0o777)
        source.kernel_cache.cache_clear()
        assert source.kernel_cache() == own and not list(own.iterdir()) and own.stat().st_mode & 0o777 == 0o700
        assert tmp_path.is_dir(), "a link is unlinked, not followed"
        # Not this user's at all: a folder of this process, new and closed.
        monkeypatch.setattr(source.os, "geteuid", lambda: own.stat().st_uid + 1)
        source.kernel_cache.cache_clear()
        other = source.kernel_cache()
        assert other != own and other.stat().st_mode & 0o077 == 0
        other.rmdir()
    finally:
        monkeypatch.undo()
        source.kernel_cache.cache_clear()


def test_the_kernels_use_that_place():
    from fusus.core.estimation.attitude_math import unit

    locator = getattr(getattr(unit, "_cache", None), "_impl", None)
    if locator is None:
        pytest.skip("uncompiled here")
    digest = source.closure_digest(__import__("pathlib").Path(unit.py_func.__code__.co_filename))
    assert digest[:20] in locator.locator.get_cache_path()


def test_kernels_compile_without_fastmath():
    from fusus.core.estimation.attitude_math import unit

    options = getattr(unit, "targetoptions", {"nogil": True})
    assert not options.get("fastmath") and options.get("nogil")
