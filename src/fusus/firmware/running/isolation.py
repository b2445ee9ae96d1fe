"""Foreign code kept apart from the rest of the machine by bubblewrap: no network, no files but its folder, none of the user's processes."""

import shutil
import subprocess
from functools import cache
from pathlib import Path

# What compilers and programs need of the system, read only. Nothing of the user's, and no name of the machine.
SYSTEM = ("/usr", "/lib", "/lib32", "/lib64", "/bin", "/sbin", "/opt", "/nix", "/etc/alternatives", "/etc/ld.so.cache")
APART = ("--unshare-user", "--unshare-all", "--disable-userns", "--die-with-parent", "--new-session")
TRY_S = 10.0


@cache
def isolating_tool() -> str | None:
    """Return the program that isolates, None where there is none or where the system does not let it."""
    tool = shutil.which("bwrap")
    if tool is None:
        return None
    try:
        tried = subprocess.run([tool, *_bound(), "/bin/sh", "-c", "exit 0"], capture_output=True, timeout=TRY_S)
    except (OSError, subprocess.TimeoutExpired):
        return None
    return tool if tried.returncode == 0 else None


def _bound() -> list[str]:
    binds = [word for place in SYSTEM for word in ("--ro-bind-try", place, place)]
    return [*APART, *binds, "--proc", "/proc", "--dev", "/dev"]


def isolated(command: list[str], folder: Path, writes: tuple[str, ...] | None = None) -> list[str]:
    """Return a command that runs another one apart from the machine: it sees ``folder``, and writes there what ``writes`` names (None:
    anything); the command itself where nothing isolates here."""
    tool = isolating_tool()
    if tool is None:
        return command
    inside = str(folder.absolute())
    binds = [*_bound(), *_toolchain(command), "--bind" if writes is None else "--ro-bind", inside, inside]
    for name in writes or ():
        (folder / name).touch()
        binds += ["--bind", f"{inside}/{name}", f"{inside}/{name}"]
    return [tool, *binds, "--chdir", inside, "--", *command]


def _toolchain(command: list[str]) -> list[str]:
    """Return what shows a program outside the system's folders, such as a compiler of one's own."""
    program = shutil.which(command[0])
    if program is None:
        return []
    out = []
    # Where it is called, and where it is: between them may stand links.
    for place in dict.fromkeys((Path(program).absolute().parent, Path(program).resolve().parent)):
        if not any(place.is_relative_to(p) for p in SYSTEM):
            inside_bin = place.name == "bin" and place.parent != Path(place.anchor)
            prefix = str(place.parent if inside_bin else place)
            out += ["--ro-bind-try", prefix, prefix]
    return out


def isolation_words() -> str:
    """Return what keeps foreign code from the rest of this machine, in a sentence."""
    if isolating_tool() is not None:
        return "It runs apart from the machine: without network, and with a folder of its own as the only files of yours that it sees."
    return (
        "This machine has nothing that isolates it (install the package bubblewrap): it runs with your rights, and could read your files "
        "and use the network. Say yes only to code that you trust."
    )
