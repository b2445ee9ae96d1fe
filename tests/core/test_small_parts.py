"""Arrays, errors, progress, fingerprint, quantiser."""

import subprocess
import sys

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


def test_the_fingerprint_names_the_kernel_cache():
    digest = source.source_digest()
    code = "from fusus.core import _jit; import numba; print(numba.config.CACHE_DIR)"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert len(digest) == 64 and digest[:16] in out


def test_kernels_compile_without_fastmath():
    from fusus.core.estimation.attitude_math import unit

    options = getattr(unit, "targetoptions", {"nogil": True})
    assert not options.get("fastmath") and options.get("nogil")
