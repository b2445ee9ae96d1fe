"""What this machine has of what Fusus uses: compiler, isolation, rights to serial ports, display, folders; and what to do where not."""

import grp
import importlib.metadata
import os
import platform
import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_cache_path, user_log_path

import fusus
from fusus.errors import CompilerError
from fusus.firmware.running.compiler import find_compiler
from fusus.firmware.running.isolation import isolating_tool

LIBRARIES = ("numpy", "scipy", "numba", "polars", "PyQt6", "pyqtgraph")
SERIAL = ("ttyUSB*", "ttyACM*", "ttyAMA*")
FONTS = Path(fusus.__file__).parent / "app" / "assets" / "fonts"
LEAST_FREE = 1 << 30


@dataclass(frozen=True, slots=True)
class Check:
    """One thing: whether it is there, whether Fusus needs it (else only a part of it does), what was found and what to do."""

    name: str
    is_there: bool
    is_needed: bool
    found: str
    action: str = ""


def versions() -> dict[str, str]:
    """Return the versions of Fusus and of what it stands on; "not installed" for what is missing."""
    out = {"fusus": _version("fusus"), "python": platform.python_version()}
    return out | {name.lower(): _version(name) for name in LIBRARIES}


def _version(name: str) -> str:
    try:
        return importlib.metadata.version(name)
    except importlib.metadata.PackageNotFoundError:
        return "not installed"


def checks() -> tuple[Check, ...]:
    """Return all checks, what is needed first."""
    missing = [name for name, version in versions().items() if version == "not installed"]
    found = [
        Check(
            "libraries", not missing, True, "all installed" if not missing else f"missing: {', '.join(missing)}",
            "" if not missing else "Install Fusus again, with its dependencies.",
        ),
        Check("typefaces", any(FONTS.glob("*.ttf")), True, f"{len(list(FONTS.glob('*.ttf')))} files", "Install Fusus again."),
        *(_folder(what, path) for what, path in (("log folder", user_log_path("fusus")), ("cache folder", user_cache_path("fusus")))),
        _display(),
        _compiler(),
        _isolation(),
        _serial(Path("/dev")),
    ]  # fmt: skip
    return tuple(c if not c.is_there else Check(c.name, True, c.is_needed, c.found) for c in found)


def _folder(what: str, path: Path) -> Check:
    place = next((p for p in (path, *path.parents) if p.exists()), Path("/"))
    writable = os.access(place, os.W_OK)
    free = shutil.disk_usage(place).free
    action = "Give yourself the right to write there, or set XDG_STATE_HOME and XDG_CACHE_HOME to folders that you own."
    if writable and free < LEAST_FREE:
        action = "Free some space: captures and recordings need it."
    return Check(what, writable and free >= LEAST_FREE, True, f"{path}, {free / 1e9:.0f} GB free", action)


def _display() -> Check:
    name = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY") or ""
    offscreen = os.environ.get("QT_QPA_PLATFORM", "") in ("offscreen", "minimal")
    found = name or ("no display, drawn off screen" if offscreen else "no display")
    return Check(
        "display", bool(name) or offscreen, False, found, "Only the window needs it: every command works without."
    )


def _compiler() -> Check:
    try:
        found, there = find_compiler(), shutil.which("make") is not None
    except CompilerError:
        found, there = "none", False
    words = found if there else f"compiler {found}, make {shutil.which('make') or 'none'}"
    return Check(
        "C compiler",
        there,
        False,
        words,
        "Kit and check-c need gcc (or clang) and make: install the packages gcc and make.",
    )


def _isolation() -> Check:
    tool = isolating_tool()
    action = "check-c runs foreign code with your rights without it: install the package bubblewrap."
    return Check("isolation of foreign code", tool is not None, False, tool or "none", action)


def _serial(devices: Path) -> Check:
    ports = sorted(p for pattern in SERIAL for p in devices.glob(pattern))
    if not ports:
        return Check("serial ports", True, False, "none is connected")
    closed = [p for p in ports if not os.access(p, os.R_OK | os.W_OK)]
    if not closed:
        return Check("serial ports", True, False, ", ".join(p.name for p in ports))
    groups = ", ".join(sorted(_groups_of(closed)))
    action = f"Add yourself to the group {groups} (sudo usermod -aG {groups.split(', ')[0]} $USER), and log in anew."
    return Check("serial ports", False, False, f"no right to {', '.join(p.name for p in closed)}", action)


def _groups_of(paths: Iterable[Path]) -> set[str]:
    out = set()
    for path in paths:
        try:
            out.add(grp.getgrgid(path.stat().st_gid).gr_name)
        except (KeyError, OSError):
            out.add("dialout")
    return out
