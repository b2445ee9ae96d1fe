"""Files of every format with bytes changed, cut, doubled and put in: read, asked about or refused in a sentence; never a trace, never long."""

import subprocess
import sys
import time
import warnings

import numpy as np
import pytest
from tests.logs.tables import lines, write
from tests.logs.test_formats import FILES, PACKED, SHAPES
from tests.runs import LONG, long_run

from fusus.errors import FususError
from fusus.logs.importer import ImportRequest, import_recording

TRIES = 200 if LONG else 3
LONGEST_S = 5.0
TRACK = (
    '<?xml version="1.0"?><gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>'
    + "".join(
        f'<trkpt lat="{49 + i * 1e-5:.7f}" lon="8.43"><ele>115</ele><time>2026-05-01T10:00:{i:02d}Z</time></trkpt>'
        for i in range(30)
    )
    + "</trkseg></trk></gpx>"
)
SENTENCES = "\r\n".join(
    [f"$GPGGA,1235{i:02d},4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*00" for i in range(40)]
    + ["$GPRMC,123519,A,4807.038,N,01131.000,E,022.4,084.4,230394,003.1,W*6A"]
)


def sources(folder):
    """Return one sound file of each format, small enough to be tried often."""
    out = []
    for name, save in FILES.items():
        save(folder / name)
        out.append(folder / name)
    for name, save in PACKED.items():
        save(folder / name, "\n".join(lines()[:300]).encode())
        out.append(folder / name)
    out += [write(folder / f"{i}.txt", rows[:400]) for i, rows in enumerate(SHAPES.values())]
    (folder / "track.gpx").write_text(TRACK)
    (folder / "fixes.nmea").write_text(SENTENCES)
    return [*out, folder / "track.gpx", folder / "fixes.nmea"]


def damaged(data, rng):
    """Return the bytes with one to six things done to them."""
    content = bytearray(data)
    for _ in range(rng.integers(1, 7)):
        if not content:
            return b"x"
        at = int(rng.integers(0, len(content)))
        match rng.integers(0, 7):
            case 0:
                content[at] = int(rng.integers(0, 256))
            case 1:
                del content[at:]
            case 2:
                content[at:at] = content[max(0, at - 60) : at]
            case 3:
                texts = (
                    b"\x00",
                    b"\xff\xfe",
                    b",,,",
                    b"\n\n",
                    b'"',
                    b"nan",
                    b"1e999",
                    b";",
                    b"\r",
                    b"#",
                    b"{",
                    b"[",
                    b"-",
                    b"inf",
                    b"\t",
                    b"<",
                )
                content[at:at] = texts[int(rng.integers(0, len(texts)))]
            case 4:
                del content[at : at + int(rng.integers(1, 80))]
            case 5:
                other = int(rng.integers(0, len(content)))
                content[at : at + 20], content[other : other + 20] = content[other : other + 20], content[at : at + 20]
            case _:
                content[at : at + 8] = bytes(rng.integers(0, 256, 8, dtype=np.uint8))
    return bytes(content) or b"x"


@pytest.mark.filterwarnings("ignore")
def test_damaged_files_are_read_or_refused_in_a_sentence(project, tmp_path):
    """Some 5,000 files of 29 kinds in the long run."""
    tried = tmp_path / "tried"
    tried.mkdir()
    for number, source in enumerate(sources(tmp_path)):
        rng = np.random.default_rng(
            [16, number]
        )  # each its own: archives hold the hour, and differ in size from run to run
        data = source.read_bytes()
        for k in range(TRIES):
            path = tried / source.name
            path.write_bytes(damaged(data, rng))
            began = time.monotonic()
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                try:
                    info = import_recording(ImportRequest((path,), project, f"{source.name}-{k}"))
                    assert info.streams and all(p.message and p.action for p in info.problems)
                except FususError as error:
                    assert str(error).strip() and "\n" not in str(error) and "Traceback" not in str(error), (
                        source.name,
                        k,
                        str(error),
                    )
            assert time.monotonic() - began < LONGEST_S, (source.name, k)
    assert not list((project / "recordings").glob(".importing*"))


MEMORY = """
import resource, sys
from pathlib import Path
from fusus.logs.importer import ImportRequest, import_recording
small, large, project = map(Path, sys.argv[1:])
import_recording(ImportRequest((small,), project, "small"))
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
import_recording(ImportRequest((large,), project, "large"))
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024)
"""


@long_run
@pytest.mark.parametrize("name", ["labels, commas", "json lines", "several sensors", "time, name, value"])
def test_no_import_takes_more_than_five_times_its_file(name, project, tmp_path):
    rows = SHAPES[name]
    small = write(tmp_path / "small.txt", rows)
    size = small.stat().st_size
    text = "\n".join(rows[1:]) + "\n"
    large = tmp_path / "large.txt"
    with large.open("w") as file:
        file.write(rows[0] + "\n")
        for _ in range(60_000_000 // size):
            file.write(text)  # the clock begins again each time: it goes on where it was
    done = subprocess.run(
        [sys.executable, "-c", MEMORY, str(small), str(large), str(project)],
        capture_output=True,
        text=True,
        check=True,
        timeout=600,
    )
    assert int(done.stdout) < 5 * large.stat().st_size
