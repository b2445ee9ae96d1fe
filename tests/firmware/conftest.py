"""What the kit's tests share."""

import hashlib
import os
import shutil
import tempfile
from datetime import date
from pathlib import Path

import pytest
from tests.firmware.kits import HOME

from fusus.core.world.site import site_at
from fusus.firmware.own import examine
from fusus.firmware.running import compiler, cost, programs

KEPT = Path(tempfile.gettempdir()) / f"fusus-test-builds-{os.getuid()}"


@pytest.fixture(scope="session")
def place():
    """A place with some declination."""
    return site_at(*HOME, date(2026, 6, 1))


@pytest.fixture(autouse=True, scope="session")
def builds_are_shared():
    """Compile the same sources with the same options once, whichever test or worker asks: what comes out is the same program."""
    KEPT.mkdir(mode=0o700, exist_ok=True)
    truly = compiler.build

    def build(folder, sources, program, options, libraries=("-lm",)):
        if "-fcallgraph-info=su" in options:  # the compiler's call graphs are looked for beside the program
            return truly(folder, sources, program, options, libraries)
        digest = hashlib.sha256(repr((compiler.find_compiler(), sources, program, options, libraries)).encode())
        for path in sorted(folder.glob("*.[ch]")):
            digest.update(path.name.encode() + path.read_bytes())
        kept = KEPT / digest.hexdigest()[:32]
        if kept.exists():
            shutil.copy2(kept, folder / program)
            said = kept.with_suffix(".said").read_text()
            return compiler.Built(folder / program, compiler.find_compiler(), options, said)
        built = truly(folder, sources, program, options, libraries)
        kept.with_suffix(".said").write_text(built.said)
        made = kept.with_suffix(f".{os.getpid()}")
        shutil.copy2(built.program, made)
        made.replace(kept)
        return built

    patch = pytest.MonkeyPatch()
    for module in (programs, examine, cost):
        if hasattr(module, "build"):
            patch.setattr(module, "build", build)
    yield
    patch.undo()
