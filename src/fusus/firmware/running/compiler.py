"""The machine's C compiler: found, run within limits, its first complaint put into a sentence."""

import os
import re
import shutil
from dataclasses import dataclass
from pathlib import Path

from fusus.errors import CompilerError
from fusus.firmware.running.sandbox import COMPILE_BYTES, COMPILE_S, Limits, run_limited

STRICT = ("-std=c99", "-Wall", "-Wextra", "-Werror", "-Wconversion", "-O2")
# The maker's own sources only have to compile: what standard they are in is theirs.
LENIENT = ("-O2", "-w")
WARNING = ("-O2", "-Wall", "-Wextra", "-Wno-unused-parameter")
NAMES = ("cc", "gcc", "clang")
_COMPLAINT = re.compile(
    r"^(?P<file>[^:\n]+):(?P<line>\d+):(?:(?P<column>\d+):)?\s*(?:fatal )?error:\s*(?P<text>.+)$", re.MULTILINE
)
_LINKER = re.compile(
    r"undefined reference to [`'‘](?P<name>[^'’]+)['’]|multiple definition of [`'‘](?P<twice>[^'’;]+)['’]"
)


@dataclass(frozen=True, slots=True)
class Built:
    """A program that was built, by which compiler and with what options; ``said`` are its warnings."""

    program: Path
    compiler: str
    options: tuple[str, ...]
    said: str


def find_compiler() -> str:
    """Return the C compiler: ``CC`` where it is set, else the first of the usual names; CompilerError where there is none."""
    wanted = os.environ.get("CC", "").split()
    for name in [*wanted[:1], *NAMES]:
        found = shutil.which(name)
        if found is not None:
            return found
    raise CompilerError(
        "No C compiler was found (cc, gcc or clang, or what CC names). Install one, for instance the package gcc; the kit itself "
        "can be exported without it."
    )


def build(
    folder: Path, sources: list[str], program: str, options: tuple[str, ...], libraries: tuple[str, ...] = ("-lm",)
) -> Built:
    """Compile and link sources of a folder to a program in it; CompilerError says what is wrong and where."""
    compiler = find_compiler()
    command = [compiler, *options, "-o", program, *sources, *libraries]
    ended = run_limited(command, folder, Limits(COMPILE_S, COMPILE_BYTES))
    if ended.timed_out:
        raise CompilerError(f"The compiler was stopped after {COMPILE_S:.0f} s. Make the sources smaller.")
    if not ended.is_good:
        raise complaint(ended.err, ended.words)
    return Built(folder / program, compiler, options, ended.err)


def complaint(said: str, otherwise: str = "") -> CompilerError:
    """Return the first error that a compiler or linker printed, in a sentence."""
    first = _COMPLAINT.search(said)
    if first is not None:
        file, line, column = first["file"], int(first["line"]), int(first["column"]) if first["column"] else None
        where = f"{file}, line {line}" + (f", column {column}" if column else "")
        return CompilerError(
            f"{where}: {first['text'].strip()}. Mend this first; what follows may come of it.", file, line, column
        )
    linked = _LINKER.search(said)
    if linked is not None and linked["name"]:
        return CompilerError(
            f"The function {linked['name']}() is called or asked for, but no source defines it. own_init() and own_step() must be there, "
            'under exactly these names (extern "C" in C++).'
        )
    if linked is not None:
        return CompilerError(f"{linked['twice']} is defined twice: leave one of the sources out, or make it static.")
    last = said.strip().splitlines()[-1] if said.strip() else otherwise
    return CompilerError(f"The compiler gave up: {last}.")
