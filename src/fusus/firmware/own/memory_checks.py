"""What a compiler and its run-time checks find in foreign sources: warnings, memory that is not its own, undefined operations, and
variables that are used before they are set; each with file and line."""

import re
import shutil
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.world.site import Site
from fusus.errors import CompilerError
from fusus.firmware.running.compiler import build
from fusus.firmware.running.exchange import Given
from fusus.firmware.running.programs import run_over
from fusus.firmware.running.sandbox import Ended

# Addresses, bounds and undefined operations; it goes on after the first, so that several are found in one run.
CHECKED = (
    "-O1", "-g1", "-w", "-fno-omit-frame-pointer", "-fsanitize=address,undefined,float-cast-overflow", "-fsanitize-recover=all",
)  # fmt: skip
ENVIRONMENT = {
    "ASAN_OPTIONS": "detect_leaks=0:halt_on_error=0:detect_stack_use_after_return=1:hard_rss_limit_mb=2048",
    "UBSAN_OPTIONS": "print_stacktrace=0",
}
# What no source sets is filled twice, differently: a result that depends on it differs. Not optimised: an optimiser may take for granted
# that what is read was set.
FILLS = (
    (("-O0", "-w", "-ftrivial-auto-var-init=zero"), "0"),
    (("-O0", "-w", "-ftrivial-auto-var-init=pattern"), "165"),
)
CHECK_S = 60.0
# The counter of memory takes thirty times as long: a piece shows what is not set.
PIECE_SAMPLES = 400
OWN_HEADER, RUNNER = "own_estimator.h", "runner.c"
MOST_FINDINGS = 20


@dataclass(frozen=True, slots=True)
class SourceFinding:
    """One thing that is wrong in foreign sources: of which kind (warning, memory, undefined or unset), file, line, and the sentence."""

    kind: str
    file: str
    line: int
    text: str

    @property
    def words(self) -> str:
        """The finding with its place, for people."""
        where = f"{self.file}, line {self.line}: " if self.file else ""
        return where + self.text


@dataclass(frozen=True, slots=True)
class MemoryChecks:
    """What was found, and why a check could not be made here (empty where all were)."""

    findings: tuple[SourceFinding, ...] = ()
    not_checked: str = ""

    @property
    def are_good(self) -> bool:
        """Whether nothing but warnings was found."""
        return all(f.kind == "warning" for f in self.findings)


_WARNING = re.compile(
    r"^(?P<file>[^:\n]+):(?P<line>\d+):(?:\d+:)?\s*warning:\s*(?P<text>.+?)(?:\s*\[-W[^\]]*\])?$", re.MULTILINE
)
_UNDEFINED = re.compile(r"^(?P<file>[^:\n]+):(?P<line>\d+):\d+: runtime error: (?P<text>.+)$", re.MULTILINE)
_ADDRESS = re.compile(r"address 0x[0-9a-f]+|0x[0-9a-f]{8,}")
_BEYOND = re.compile(
    r"(?P<does>load of|store to) memory with insufficient space for an object of type '(?P<type>[^']+)'"
)
_MEMORY = re.compile(r"AddressSanitizer: (?P<kind>[\w-]+)")
_ACCESS = re.compile(r"^(?P<what>READ|WRITE) of size (?P<size>\d+)", re.MULTILINE)
_FRAME = re.compile(r"^\s+#\d+ 0x[0-9a-f]+ in (?P<function>\S+) (?P<file>[^\s:]+):(?P<line>\d+)", re.MULTILINE)
_UNSET = re.compile(r"(?:at|by) 0x[0-9A-F]+: (?P<function>\S+) \((?P<file>[^:()]+):(?P<line>\d+)\)")
_AREAS = {
    "stack-buffer-overflow": "a local array",
    "global-buffer-overflow": "a global array",
    "heap-buffer-overflow": "a block of malloc",
    "heap-use-after-free": "a block that was given back",
    "stack-use-after-return": "a local variable of a function that has ended",
    "stack-use-after-scope": "a local variable whose block has ended",
}


def warnings_of(said: str) -> tuple[SourceFinding, ...]:
    """Return a compiler's warnings about the maker's own files."""
    found = [
        SourceFinding("warning", Path(m["file"]).name, int(m["line"]), f"the compiler warns: {m['text'].strip()}.")
        for m in _WARNING.finditer(said)
        if Path(m["file"]).name not in (RUNNER, OWN_HEADER)
    ]
    return _each_once(found)


def check_memory(
    folder: Path, sources: list[str], given: Iterable[tuple[EstimatorInput, Start]], site: Site
) -> MemoryChecks:
    """Return what checked builds of the sources in ``folder`` say over recordings."""
    runs = list(given)
    found: list[SourceFinding] = []
    try:
        checked = build(folder, [RUNNER, *sources], "checked", CHECKED).program
        for recording, start in runs:
            _, ended = run_over(
                checked, Given(recording, start, site), CHECK_S, environment=ENVIRONMENT, memory_is_limited=False
            )
            found += _undefined(ended) + _memory(ended)
        found += _unset(folder, sources, runs, site)
    except CompilerError as error:
        return MemoryChecks(
            _each_once(found), f"The compiler here cannot build with checks of memory, so they were not made ({error})"
        )
    return MemoryChecks(_each_once(found))


def _each_once(found: Iterable[SourceFinding]) -> tuple[SourceFinding, ...]:
    places: dict[tuple[str, str, int], SourceFinding] = {}
    for one in found:
        places.setdefault((one.kind, one.file, one.line), one)
    # One access is told by both checkers: an index beyond its array says more than what lies there.
    indexed = {(f.file, f.line) for f in places.values() if "out of bounds" in f.text}
    kept = [f for f in places.values() if not (f.kind == "memory" and (f.file, f.line) in indexed)]
    return tuple(kept[:MOST_FINDINGS])


def _undefined(ended: Ended) -> list[SourceFinding]:
    found = []
    for m in _UNDEFINED.finditer(ended.err):
        text = _ADDRESS.sub("memory", m["text"].strip())
        beyond = _BEYOND.match(text)
        if beyond is not None:
            does = "reads" if beyond["does"] == "load of" else "writes"
            text = f"it {does} a {beyond['type']} beyond the end of what it was given"
        kind = "undefined" if beyond is None else "memory"
        found.append(SourceFinding(kind, Path(m["file"]).name, int(m["line"]), f"{text}."))
    return found


def _memory(ended: Ended) -> list[SourceFinding]:
    found = []
    for report in re.split(r"(?m)^={20,}$", ended.err):
        kind = _MEMORY.search(report)
        if kind is None:
            continue
        access, frame = _ACCESS.search(report), _own_frame(report)
        if access is None or frame is None:
            continue
        does = "reads" if access["what"] == "READ" else "writes"
        area = _AREAS.get(kind["kind"], "memory that is not its own")
        beyond = "beyond the end of " if "overflow" in kind["kind"] else ""
        text = f"{frame['function']}() {does} {access['size']} bytes {beyond}{area}."
        found.append(SourceFinding("memory", Path(frame["file"]).name, int(frame["line"]), text))
    return found


def _own_frame(report: str) -> re.Match[str] | None:
    return next((m for m in _FRAME.finditer(report) if Path(m["file"]).name != RUNNER), None)


def _unset(
    folder: Path, sources: list[str], runs: list[tuple[EstimatorInput, Start]], site: Site
) -> list[SourceFinding]:
    """Return what depends on variables that nothing has set: two builds that fill them differently give different estimates."""
    programs = [
        (build(folder, [RUNNER, *sources], f"filled{i}", options).program, fill)
        for i, (options, fill) in enumerate(FILLS)
    ]
    for recording, start in runs:
        told = []
        for program, fill in programs:
            found, _ = run_over(program, Given(recording, start, site), CHECK_S, environment={"MALLOC_PERTURB_": fill})
            told.append(
                (found.q_nb.tobytes(), found.pos_n.tobytes(), found.vel_n.tobytes(), found.gyro_bias_b.tobytes())
            )
        if told[0] != told[1]:
            place = _where_unset(folder, sources, recording, start, site)
            return [
                place
                or SourceFinding("unset", "", 0, f"The estimate depends on a variable that is never set. {MEND_UNSET}")
            ]
    return []


MEND_UNSET = "Give every variable a value before it is read: on the board it holds whatever was there."


def _where_unset(
    folder: Path, sources: list[str], recording: EstimatorInput, start: Start, site: Site
) -> SourceFinding | None:
    """Return where memory that nothing set decides, by a counter of memory where one is installed."""
    tool = shutil.which("valgrind")
    if tool is None:
        return None
    program = build(folder, [RUNNER, *sources], "traced", ("-O0", "-g", "-w")).program
    piece = replace(recording, t_s=recording.t_s[:PIECE_SAMPLES], samples=recording.samples.part(0, PIECE_SAMPLES))
    command = (tool, "-q", "--track-origins=yes", "--error-limit=no")
    _, ended = run_over(program, Given(piece, start, site), CHECK_S, command, memory_is_limited=False)
    for report in re.split(r"(?m)^==\d+== \n", ended.err):
        places = [m for m in _UNSET.finditer(report) if m["file"] != RUNNER and (folder / m["file"]).exists()]
        if places:
            p = places[0]
            text = f"{p['function']}() depends on a variable that is never set. {MEND_UNSET}"
            return SourceFinding("unset", p["file"], int(p["line"]), text)
    return None
