"""Installs the packages of a lock file into the running environment, and says how far it is. Standard library alone: it runs first."""

import re
import subprocess
import sys
import threading
import time
from pathlib import Path

WIDTH = 28


class Bar:
    """A line that grows on a terminal; elsewhere a line each tenth."""

    def __init__(self, what: str) -> None:
        self._what, self._told = what, -1

    def show(self, share: float, now: str) -> None:
        """Show a share of all, 0 to 1, and what is going on."""
        filled = round(share * WIDTH)
        if sys.stderr.isatty():
            sys.stderr.write(f"\r{self._what} [{'=' * filled}{' ' * (WIDTH - filled)}] {share:4.0%} {now[:40]:<40}")
        elif int(share * 5) > self._told:
            self._told = int(share * 5)
            sys.stderr.write(f"{self._what} {share:.0%} {now}\n")
        sys.stderr.flush()

    def end(self) -> None:
        """Leave the line."""
        if sys.stderr.isatty():
            sys.stderr.write("\n")


def main(lock: str, what: str) -> int:
    """Install what a lock file names; return pip's exit status, and show what it said where it failed."""
    names = re.findall(r"^([\w.-]+)==", Path(lock).read_text(encoding="utf-8"), re.M)
    site = next(Path(p) for p in sys.path if p.endswith("site-packages"))
    before = len(list(site.glob("*.dist-info")))
    bar = Bar(what)
    # The lock is whole: without --no-deps the references' own documentation tools would come along.
    command = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "--disable-pip-version-check",
        "--no-deps",
        "--require-hashes",
        "-r",
        lock,
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    said: list[str] = []
    state = {"fetched": 0, "now": "asking for packages"}

    def listen() -> None:
        for line in process.stdout or ():
            said.append(line)
            if line.startswith(("Collecting", "Requirement already")):
                state["fetched"] = int(state["fetched"]) + 1
                state["now"] = line.split("==")[0].split()[-1]
            elif line.startswith("Installing"):
                state["now"] = "unpacking"

    listener = threading.Thread(target=listen, daemon=True)
    listener.start()
    while process.poll() is None:
        unpacked = len(list(site.glob("*.dist-info"))) - before
        bar.show(min(0.5 * (int(state["fetched"]) + max(unpacked, 0)) / max(len(names), 1), 1.0), str(state["now"]))
        time.sleep(0.3)
    listener.join()
    bar.show(1.0, "done" if process.returncode == 0 else "failed")
    bar.end()
    if process.returncode:
        sys.stderr.writelines(said[-30:])
    return int(process.returncode)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], sys.argv[2]))
