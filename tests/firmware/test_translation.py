"""C from kernels: it compiles without a warning, and computes what Python computes, construct by construct."""

import ctypes
import importlib.util
import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.firmware.running.compiler import STRICT
from fusus.firmware.translation.expressions import UntranslatableError, literal
from fusus.firmware.translation.types import Layout
from fusus.firmware.translation.unit import Unit, comment, folded
from fusus.firmware.writing.render import render

HERE = Path(__file__).parent
LAYOUT = {
    "modules": {"made_up_kernels": "made"},
    "inner": {("made", "table"): (4,)},
    "fields": {("MadeMemory", "table"): (4, 4)},
}


def load(name: str, path: Path):
    spec = importlib.util.spec_from_file_location(name, path)
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    spec.loader.exec_module(module)
    return module


MADE = load("made_up_kernels", HERE / "made_up.py")


@pytest.fixture(scope="module")
def built(tmp_path_factory):
    """The made-up kernels as a shared library, in double precision."""
    folder = tmp_path_factory.mktemp("made")
    unit = Unit(Layout(**LAYOUT), "double", entries=("made_pieces", "made_carried"))
    unit.add(MADE.pieces)
    unit.add(MADE.carried)
    (folder / "kit_math.h").write_text(render("double", "kit_math.h.j2"))
    text = f'#include "kit_math.h"\n{unit.declarations()}\n{unit.definitions()}'
    (folder / "made.c").write_text(text)
    command = ["gcc", *STRICT, "-shared", "-fPIC", "-o", "made.so", "made.c", "-lm"]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return ctypes.CDLL(str(folder / "made.so")), text


class Inner(ctypes.Structure):
    _fields_ = [("gain", ctypes.c_double), ("offset", ctypes.c_double)]


class Tuning(ctypes.Structure):
    _fields_ = [("inner", Inner), ("limit", ctypes.c_double), ("is_on", ctypes.c_bool), ("every", ctypes.c_int32)]


class Memory(ctypes.Structure):
    _fields_ = [
        ("a", ctypes.c_double),
        ("b", ctypes.c_double),
        ("count", ctypes.c_int32),
        ("table", ctypes.c_double * 16),
    ]


def both_tunings(gain, offset, limit, is_on, every=2):
    python = MADE.Tuning(MADE.Inner(gain, offset), limit, is_on, every)
    return python, Tuning(Inner(gain, offset), limit, is_on, every)


FIGURES = st.floats(-8, 8).map(lambda v: round(v, 3))


@given(x=FIGURES, y=FIGURES, n=st.integers(0, 9), gain=FIGURES, offset=FIGURES, limit=FIGURES, is_on=st.booleans())
@settings(max_examples=300, deadline=None)
def test_every_construct_computes_what_python_computes(built, x, y, n, gain, offset, limit, is_on):
    library, _ = built
    python, c = both_tunings(gain, offset, limit, is_on)
    table = np.arange(16.0).reshape(4, 4) * 0.25
    ours = table.copy()
    wanted = MADE.pieces(python, x, y, n, ours)
    theirs = (ctypes.c_double * 16)(*table.ravel())
    library.made_pieces.restype = ctypes.c_double
    found = library.made_pieces(ctypes.byref(c), ctypes.c_double(x), ctypes.c_double(y), ctypes.c_int32(n), theirs)
    assert found == pytest.approx(wanted, rel=1e-12, abs=1e-12)
    assert np.array(theirs).reshape(4, 4) == pytest.approx(ours, rel=1e-12)


def test_a_value_for_two_places_is_worked_out_once(built):
    """A call that changes things must not be written once for each place that its value goes to."""
    library, text = built
    assert text.count("made_noted(table, 2, y)") == 1
    python, c = both_tunings(0.5, 0.1, 1.0, True)
    ours = np.zeros((4, 4))
    MADE.pieces(python, 1.0, 2.0, 3, ours)
    theirs = (ctypes.c_double * 16)()
    library.made_pieces(ctypes.byref(c), ctypes.c_double(1.0), ctypes.c_double(2.0), ctypes.c_int32(3), theirs)
    assert ours[3, 3] == theirs[15] == 1.0


@given(xs=st.lists(FIGURES, min_size=1, max_size=12), gain=FIGURES, offset=FIGURES, every=st.integers(1, 4))
@settings(max_examples=60, deadline=None)
def test_a_struct_that_is_returned_changes_in_place(built, xs, gain, offset, every):
    library, _ = built
    python, c = both_tunings(gain, offset, 1.0, True, every)
    ours = MADE.Memory(0.5, -0.25, 0, np.zeros((4, 4)))
    theirs = Memory(0.5, -0.25, 0)
    for x in xs:
        ours = MADE.carried(python, ours, x, 0.01)
        library.made_carried(ctypes.byref(c), ctypes.byref(theirs), ctypes.c_double(x), ctypes.c_double(0.01))
    assert (theirs.a, theirs.b) == pytest.approx((ours.a, ours.b), rel=1e-12)
    assert theirs.count == ours.count == len(xs)
    assert np.array(theirs.table).reshape(4, 4) == pytest.approx(ours.table, rel=1e-12)


def test_comments_and_docstrings_go_along(built):
    _, text = built
    assert "/* Use loops, choices, chains, tuples and rows, and return one figure of it all. */" in text
    assert "/* A comment that goes along. */" in text
    assert text.count("/* What is read must not have been replaced */") == 1
    assert "/* Well above what any test hands in. */\nstatic const double MADE_MOST = 7.5;" in text


def test_what_is_never_written_is_const(built):
    _, text = built
    assert "const MadeTuning *c, double x, double y, int32_t n, double *table)" in text.replace("\n        ", " ")
    assert "MadeMemory *s" in text and "const MadeMemory *s" not in text


@pytest.mark.parametrize("precision", ["single", "double"])
def test_figures_are_written_in_their_precision(precision):
    suffix = "f" if precision == "single" else ""
    assert literal(0.1, precision) == f"0.1{suffix}"
    assert literal(1e-30, precision) == f"1.0e-30{suffix}"
    assert literal(3.0, precision) == f"3.0{suffix}"
    assert literal(math.inf, precision) == "INFINITY" and literal(math.nan, precision) == "NAN"


def test_single_precision_knows_no_double(tmp_path):
    """A literal or function of double precision would be computed by the library on small units: the compiler is asked."""
    unit = Unit(Layout(**LAYOUT), "single", entries=("made_pieces",))
    unit.add(MADE.pieces)
    (tmp_path / "kit_math.h").write_text(render("single", "kit_math.h.j2"))
    (tmp_path / "made.c").write_text(f'#include "kit_math.h"\n{unit.declarations()}\n{unit.definitions()}')
    done = subprocess.run(
        ["gcc", *STRICT, "-Wdouble-promotion", "-c", "made.c"], cwd=tmp_path, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr


def made(tmp_path, name: str, body: str):
    """Return a kernel from a module written for the occasion."""
    path = tmp_path / f"{name}.py"
    path.write_text(
        "import math\nfrom fusus.core.arrays import Array\n\n\ndef kernel(f):\n    f.py_func = f\n    return f\n\n\n"
        + body
    )
    return load(name, path)


@pytest.mark.parametrize(
    ("name", "line", "why"),
    [
        ("has_power", "return x ** 3", "a power that is no square"),
        ("has_quotient", "return float(int(x) // 2)", "a whole quotient of what is no constant"),
        ("has_list", "return [x][0]", "no C for it"),
        ("has_call", "return sorted(x)", "a call of no kernel"),
        ("has_text", "return 'x'", "no figure"),
        ("has_lambda", "return (lambda: x)()", "a call without C"),
    ],
)
def test_what_has_no_plain_c_is_refused_with_its_line(tmp_path, name, line, why):
    module = made(tmp_path, name, f"@kernel\ndef wrong(x: float) -> float:\n    {line}\n")
    unit = Unit(Layout(modules={name: "wrong"}), "single")
    with pytest.raises(UntranslatableError, match=why) as error:
        unit.add(module.wrong)
    assert "wrong, line 12" in str(error.value)


def test_what_only_keeps_figures_for_drawing_is_left_out(tmp_path):
    body = (
        "@kernel\ndef kept(x: float, log: Array, every: int) -> float:\n"
        "    total = 0.0\n    for i in range(3):\n        total += x\n        log[i] = total\n"
        "        if i % every == 0:\n            log[i] = 0.0\n    return total\n"
    )
    module = made(tmp_path, "left_out_kernels", body)
    unit = Unit(Layout(modules={"left_out_kernels": "left"}, left_out={"kept": ("log", "every")}), "double")
    unit.add(module.kept)
    text = unit.definitions()
    assert "log" not in text and "static double left_kept(double x)" in text


def test_long_lines_are_folded_where_c_may_be():
    line = "    static void f(" + ", ".join(f"const float *name_{i}" for i in range(12)) + ")"
    lines = folded(line).splitlines()
    assert len(lines) > 1 and all(len(part) <= 112 for part in lines)
    assert " ".join(" ".join(lines).split()) == " ".join(line.split())
    assert not any(part.endswith(("const", "float")) for part in lines)


def test_a_comment_cannot_end_early():
    assert comment("ends */ here").count("*/") == 1
