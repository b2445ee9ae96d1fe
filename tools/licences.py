"""The packages that Fusus is installed with, by version and licence, and the same as a software bill of materials: ``./run licences``.

The bill follows CycloneDX 1.5 (JSON). What it lists is what ``requirements.lock`` pins; licences are what the packages say of themselves.
"""

import importlib.metadata
import json
import re
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
LOCK, PAGE, BILL = ROOT / "requirements.lock", ROOT / "docs" / "licences.md", ROOT / "docs" / "bill-of-materials.json"
# What may stand beside a program under GPL-3.0-or-later; beginnings of what packages write.
COMPATIBLE = (
    "MIT", "BSD", "0BSD", "Apache", "ISC", "PSF", "Python", "MPL", "LGPL", "GNU Lesser", "GPL", "GNU General", "HPND", "Zlib",
    "Simplified BSD", "Unlicense", "Public Domain", "CC0",
)  # fmt: skip


def pinned(lock: Path = LOCK) -> dict[str, tuple[str, tuple[str, ...]]]:
    """Return version and checksums of each pinned package, by name."""
    out: dict[str, tuple[str, tuple[str, ...]]] = {}
    for block in re.split(r"\n(?=\S)", lock.read_text()):
        found = re.match(r"([A-Za-z0-9_.\-\[\]]+)==([^\s;\\]+)", block)
        if found:
            out[found[1]] = (found[2], tuple(re.findall(r"--hash=sha256:([0-9a-f]+)", block)))
    return out


def licence_of(name: str) -> str:
    """Return a package's licence as it says: its expression, else its classifiers, else the first line of its text."""
    told = importlib.metadata.metadata(name.partition("[")[0])
    expression = told.get("License-Expression")
    if expression:
        return str(expression)
    classified = [c.rpartition(" :: ")[2] for c in told.get_all("Classifier") or [] if c.startswith("License")]
    named = [c.removesuffix(" License") for c in classified if c != "OSI Approved"]
    if named:
        return "; ".join(named)
    first = (told.get("License") or "").strip().splitlines()
    return first[0] if first else "unknown"


def is_compatible(licence: str) -> bool:
    """Whether a licence is one of those that may stand beside the program's own."""
    return any(part.strip().startswith(COMPATIBLE) for part in re.split(r";| AND | OR ", licence))


def rows() -> list[tuple[str, str, str]]:
    """Return name, version and licence of each package."""
    return [
        (name, version, licence_of(name)) for name, (version, _) in sorted(pinned().items(), key=lambda p: p[0].lower())
    ]


def bill() -> dict[str, Any]:
    """Return the bill of materials."""
    checksums = pinned()
    return {
        "bomFormat": "CycloneDX",
        "specVersion": "1.5",
        "version": 1,
        "metadata": {"component": {"type": "application", "name": "fusus", "licenses": [{"expression": "GPL-3.0-or-later"}]}},
        "components": [
            {
                "type": "library", "name": name, "version": version, "purl": f"pkg:pypi/{name.lower()}@{version}",
                "licenses": [{"license": {"name": licence}}],
                "hashes": [{"alg": "SHA-256", "content": c} for c in checksums[name][1]],
            }
            for name, version, licence in rows()
        ],
    }  # fmt: skip


def main() -> int:
    """Write both; return 1 where a licence is not known to fit."""
    found = rows()
    table = "\n".join(f"| {name} | {version} | {licence} |" for name, version, licence in found)
    PAGE.write_text(
        f"""# Licences

Fusus is free software under GPL-3.0-or-later. It is installed with the packages below; the versions are pinned with their checksums in
`requirements.lock`, the licences are what the packages say of themselves. The same as a bill of materials (CycloneDX 1.5):
[bill-of-materials.json](bill-of-materials.json). `./run licences` writes both; a test holds them against the lock.

The typefaces that ship with it (DejaVu) have their licence beside them. Exported C is 0BSD: yours without conditions.

| package | version | licence |
|---|---|---|
{table}
"""
    )
    BILL.write_text(json.dumps(bill(), indent=1) + "\n")
    odd = [f"{name}: {licence}" for name, _, licence in found if not is_compatible(licence)]
    if odd:
        sys.stderr.write("Licences to look at: " + "; ".join(odd) + "\n")
    return 1 if odd else 0


if __name__ == "__main__":
    sys.exit(main())
