"""Kernels are compiled in a process of their own: the window answers meanwhile, and says what is going on."""

import subprocess
import sys
from typing import Any

from fusus.app.jobs import Job, JobRunner
from fusus.demo.warming import is_warm


def compile_first(jobs: JobRunner) -> bool:
    """Compile what is not compiled yet, before any other job; return whether there is anything to compile."""
    if is_warm():
        return False
    jobs.start_first(Job("Getting ready, once", _compile), "compiling")
    return True


def _compile(progress: Any) -> None:
    """Run the compilation and hand its progress on. If it fails, jobs compile what they need by themselves."""
    process = subprocess.Popen(
        [sys.executable, "-m", "fusus.demo.warming"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    try:
        for line in process.stdout or ():
            done, total, what = line.rstrip("\n").split(" ", 2)
            progress.step(int(done), int(total), what)
    finally:
        process.kill()  # where it was stopped; it has ended otherwise
        process.wait()
