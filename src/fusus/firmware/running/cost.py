"""What a kit costs on a board: instructions counted on this computer, stack and constants as the compiler says, and an estimate of
the time that they take there.

A board's processor is another one: its instructions are fewer or more by some tens of percent, and each takes more or less than one
cycle. The assumptions stand here by name and are told with every figure.
"""

import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from fusus.errors import SandboxError
from fusus.firmware.running.compiler import build
from fusus.firmware.running.sandbox import RUN_BYTES, Limits, run_limited
from fusus.firmware.translation.types import Precision
from fusus.firmware.writing.render import render

# Cycles of an instruction on a small processor of 32 bits, waits for the flash among them: common practice.
CYCLES = 1.6
# Cycles of one operation on figures: by the unit, by the library in single, by the library in double precision.
WITH_UNIT, BY_LIBRARY, DOUBLE_BY_LIBRARY = 1.6, 45.0, 80.0
# What may be wrong with all that, as a factor either way.
DOUBT = 1.5
# Instructions a nanosecond of this computer, where nothing counts them.
PER_NS = 3.0
STEPS = 2000
PARTS = ("estimator_step", "control_step", "sensors_gyro_correct")
_ARITHMETIC = re.compile(r"\b(add|sub|mul|div|sqrt|max|min|cvt|ucomi|comi|cmp\w*|and|xor|andn)s[sd]\b")
_LINE = re.compile(r"^0x([0-9a-f]+) \d+ (\d+)$", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class PartCost:
    """One call of a function: instructions, the share of them that works on figures, bytes of stack (None: unknown)."""

    name: str
    instructions: float
    figures_share: float
    stack_bytes: int | None

    def cycles(self, has_unit: bool, precision: Precision) -> float:
        """Return cycles on a small processor with or without a unit for (single-precision) figures."""
        each = (
            WITH_UNIT
            if has_unit and precision == "single"
            else BY_LIBRARY
            if precision == "single"
            else DOUBLE_BY_LIBRARY
        )
        share = self.figures_share
        return self.instructions * (share * each + (1.0 - share) * CYCLES)

    def seconds(self, clock_hz: float, has_unit: bool, precision: Precision) -> float:
        """Return how long a call takes at a clock."""
        return self.cycles(has_unit, precision) / clock_hz


@dataclass(frozen=True, slots=True)
class Cost:
    """All of a kit's costs; ``counted``: whether instructions were counted, or guessed from the time they took here."""

    precision: Precision
    parts: tuple[PartCost, ...]
    counted: bool
    state_bytes: int
    code_bytes: int
    constant_bytes: int

    def part(self, name: str) -> PartCost:
        """Return the cost of one function."""
        return next(p for p in self.parts if p.name == name)


def count(folder: Path, precision: Precision) -> Cost:
    """Return what the kit in ``folder`` (its files and vectors) costs; CompilerError without a compiler."""
    (folder / "sizes.c").write_text(render(precision, "sizes.c.j2"), encoding="utf-8")
    options = ("-std=c99", "-O2", "-no-pie", "-fno-plt")
    sources = ["test_kit.c", "sensors.c", "estimator.c", "control.c"]
    built = build(folder, sources, "cost", (*options, "-fcallgraph-info=su"))
    stacks = _stacks(folder)
    sizes = build(folder, ["sizes.c"], "sizes", options)
    state = int(run_limited([str(sizes.program)], folder, Limits(10.0, RUN_BYTES)).out or 0)
    code, constants = _sections(folder, options)
    parts = _counted(folder, built.program) or _timed(folder, built.program)
    told = tuple(PartCost(n, i, share, stacks.get(n)) for n, (i, share) in parts.items())
    return Cost(precision, told, shutil.which("valgrind") is not None, state, code, constants)


def _counted(folder: Path, program: Path) -> dict[str, tuple[float, float]]:
    """Return instructions a call, and the share of arithmetic on figures, by callgrind; nothing where there is none."""
    tool = shutil.which("valgrind")
    if tool is None:
        return {}
    arithmetic = _arithmetic_at(folder, program)
    out: dict[str, tuple[float, float]] = {}
    for name in PARTS:
        target = folder / f"{name}.callgrind"
        command = [
            tool, "--tool=callgrind", f"--callgrind-out-file={target}", f"--toggle-collect={name}", "--dump-instr=yes", "--compress-pos=no",
            "--compress-strings=no", str(program), "vectors.txt",
        ]  # fmt: skip
        run_limited(command, folder, Limits(120.0, 4 << 30))
        if not target.exists():
            return {}
        text = target.read_text(encoding="utf-8", errors="replace")
        calls = _calls(folder, name)
        total = int(re.findall(r"^(?:summary|totals): (\d+)", text, re.MULTILINE)[-1])
        own = [(int(at, 16), int(n)) for at, n in _LINE.findall(_without_calls(text))]
        figures = sum(n for at, n in own if at in arithmetic)
        known = sum(n for at, n in own if at < 1 << 32)
        out[name] = (total / max(calls, 1), figures / known if known else 0.0)
    return out


def _without_calls(text: str) -> str:
    """Return a profile without the lines that tell what a call cost inside."""
    return re.sub(r"^calls=.*\n.*\n", "", text, flags=re.MULTILINE)


def _calls(folder: Path, name: str) -> int:
    """Return how often the vectors make the test program call a function."""
    word = {"estimator_step": "sample", "control_step": "control", "sensors_gyro_correct": "gyro"}[name]
    lines = (folder / "vectors.txt").read_text(encoding="utf-8").splitlines()
    return sum(line.startswith(f"{word} ") for line in lines)


def _arithmetic_at(folder: Path, program: Path) -> set[int]:
    """Return the addresses of instructions that work on figures."""
    tool = shutil.which("objdump")
    if tool is None:
        return set()
    listing = folder / "listing.txt"
    ended = run_limited(
        ["/bin/sh", "-c", f'"{tool}" -d --no-show-raw-insn "{program}" > listing.txt'], folder, Limits(30.0, RUN_BYTES)
    )
    if not ended.is_good or not listing.exists():
        return set()
    found = re.findall(r"^\s*([0-9a-f]+):\s+(\S+)", listing.read_text(encoding="utf-8", errors="replace"), re.MULTILINE)
    return {int(at, 16) for at, word in found if _ARITHMETIC.search(word)}


def _timed(folder: Path, program: Path) -> dict[str, tuple[float, float]]:
    """Return a guess from the time that the whole test program takes, half of it arithmetic."""
    began = time.perf_counter()
    ended = run_limited([str(program), "vectors.txt"], folder, Limits(60.0, RUN_BYTES))
    if not ended.is_good:
        raise SandboxError(f"The kit's test program does not run: {ended.words}.")
    calls = sum(_calls(folder, name) for name in PARTS)
    each = (time.perf_counter() - began) * 1e9 * PER_NS / max(calls, 1)
    return dict.fromkeys(PARTS, (each, 0.5))


def _stacks(folder: Path) -> dict[str, int]:
    """Return the deepest stack that each function may need with all that it calls, from the compiler's call graphs."""
    own: dict[str, int] = {}
    calls: dict[str, set[str]] = {}
    for path in folder.glob("*.ci"):
        text = path.read_text(encoding="utf-8", errors="replace")
        for title, size in re.findall(r'node: \{ title: "([^"]+)" label: "[^"]*?(\d+) bytes', text):
            own[title.rsplit(":", 1)[-1]] = int(size)
        for source, target in re.findall(r'edge: \{ sourcename: "([^"]+)" targetname: "([^"]+)"', text):
            calls.setdefault(source.rsplit(":", 1)[-1], set()).add(target.rsplit(":", 1)[-1])

    def deepest(name: str, above: tuple[str, ...] = ()) -> int:
        inner = [deepest(c, (*above, name)) for c in calls.get(name, set()) if c not in above]
        return own.get(name, 0) + 8 + max(inner, default=0)

    return {name: deepest(name) for name in PARTS if name in own}


def _sections(folder: Path, options: tuple[str, ...]) -> tuple[int, int]:
    """Return bytes of code and of constants of the kit's own objects."""
    tool = shutil.which("size")
    build(folder, ["sensors.c", "estimator.c", "control.c", "alignment.c"], "kit.o", (*options, "-r", "-nostdlib"), ())
    if tool is None:
        return 0, 0
    said = run_limited([tool, "-A", "kit.o"], folder, Limits(10.0, RUN_BYTES)).out
    sizes = {name: int(n) for name, n in re.findall(r"^(\.\S+)\s+(\d+)", said, re.MULTILINE)}
    code = sum(n for name, n in sizes.items() if name.startswith(".text"))
    return code, sum(n for name, n in sizes.items() if name.startswith(".rodata"))
