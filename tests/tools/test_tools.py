"""The developers' commands run."""

import os
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def tool(name, *arguments):
    """Run a tool in a process of its own."""
    return subprocess.run(
        [sys.executable, "-m", f"tools.{name}", *arguments], capture_output=True, text=True, cwd=ROOT, timeout=300
    )


def test_the_import_bench_prints_its_ratio_and_memory():
    done = tool("bench", "--only", "import", "--megabytes", "12", "--repeats", "1")
    assert done.returncode == 0, done.stderr
    found = re.search(r"Import of (\d+) MB: ([\d.]+) of the speed of polars.read_csv .* (\d+) MB at most", done.stdout)
    assert found and 8 <= int(found.group(1)) <= 16 and float(found.group(2)) > 0


def test_the_estimator_bench_measures_all_of_them():
    from tools.bench import best, estimators, made_samples

    assert set(estimators()) == {"complementary", "mahony", "madgwick", "attitude-ekf"}
    assert all(a.shape == (100, 3) for a in made_samples(100)) and best(lambda: None, 2) >= 0


def test_what_is_compiled_is_told_step_by_step_and_once(tmp_path):
    """With all kernels there, but nothing that says so: the steps run over in a moment."""
    from fusus.core.source import kernel_cache

    cache = tmp_path / "fusus"
    cache.mkdir()
    (cache / "kernels").symlink_to(kernel_cache(), target_is_directory=True)
    for mark in kernel_cache().glob("all-of-*"):
        mark.unlink()
    command = [sys.executable, "-m", "fusus.demo.warming"]
    environment = os.environ | {"XDG_CACHE_HOME": str(tmp_path)}
    told = [
        subprocess.run(
            command, capture_output=True, text=True, cwd=ROOT, env=environment, check=True
        ).stdout.splitlines()
        for _ in range(2)
    ]
    assert told[0][0] == "0 10 Compiling Complementary" and told[0][-1] == "10 10 Compiling"
    assert told[1] == [], "it has been done"


def test_the_schema_is_the_documents():
    before = (ROOT / "docs" / "project.schema.json").read_bytes()
    assert tool("schema").returncode == 0 and (ROOT / "docs" / "project.schema.json").read_bytes() == before
