"""What all tests share: settings and logs go to temporary folders, Qt draws offscreen."""

import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
from tests.runs import LONG

from fusus.core.mission.motion import Air, Waypoint, fly
from fusus.core.simulation.record import record
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.core.world.site import Site, site_at
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import store
from fusus.project.records import Brief, Place, Project

HOME = (52.5, 13.4, 40.0)


def pytest_collection_modifyitems(config, items):
    """Leave to the long run what is marked so."""
    if LONG or "long" in (config.option.markexpr or ""):
        return
    left = [item for item in items if item.get_closest_marker("long")]
    if left:
        config.hook.pytest_deselected(items=left)
        items[:] = [item for item in items if not item.get_closest_marker("long")]


def pytest_terminal_summary(terminalreporter):
    """Say how long each part took, where that is asked for."""
    if os.environ.get("FUSUS_TIMES") != "1":
        return
    parts = {}
    for reports in terminalreporter.stats.values():
        for report in reports:
            if hasattr(report, "duration") and hasattr(report, "nodeid"):
                file = report.nodeid.partition("::")[0]
                seconds, tests, slowest = parts.get(file, (0.0, 0, (0.0, "")))
                name = report.nodeid.partition("::")[2]
                parts[file] = (
                    seconds + report.duration, tests + (report.when == "call"), max(slowest, (report.duration, name)),
                )  # fmt: skip
    terminalreporter.section("processor seconds by file")
    for file, (seconds, tests, (most, name)) in sorted(parts.items(), key=lambda x: -x[1][0]):
        terminalreporter.write_line(f"{seconds:7.1f} s  {tests:4d} tests  {file}  (longest {most:.1f} s: {name})")
    terminalreporter.write_line(f"{sum(p[0] for p in parts.values()):7.1f} s in all")


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory, monkeypatch):
    """Keep settings, data and logs of the user out of the tests."""
    root = tmp_path_factory.mktemp("home")
    for name in ("CONFIG", "DATA", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(root / name.lower()))


@pytest.fixture(scope="session")
def site() -> Site:
    """Gravity and field of one place."""
    from datetime import date

    return site_at(*HOME, date(2026, 6, 1))


def short_flight(site: Site, seed: int = 1, rate_hz: float = 200.0, drift: float = 0.6, suite: Suite | None = None):
    """Return motion and streams of a made-up flight of some 90 s that begins at rest."""
    rng = np.random.default_rng(seed + 1000)
    points = [Waypoint(0, 0, 0, 0, 0.3), Waypoint(8, 0, 0, 0, 0.3), Waypoint(12, 0, 0, 3, 0.3)]
    t, yaw = 12.0, 0.3
    while t < 80:
        t += rng.uniform(2.0, 5.0)
        yaw += rng.normal(0, 0.5)
        n, e = rng.normal(0, 6 * drift, 2)
        points.append(Waypoint(t, n, e, 3 + rng.normal(0, 0.3), yaw, holds=bool(rng.random() < 0.4)))
    points += [Waypoint(t + 6, 0, 0, 3, yaw), Waypoint(t + 11, 0, 0, 0, yaw), Waypoint(t + 14, 0, 0, 0, yaw)]
    motion = fly(points, rate_hz, site.gravity_m_s2, Air(-2.0, 1.5))
    return motion, record(motion, rate_hz, suite or Suite(), Conditions(rotor_hz=67.0), site, HOME, seed)


def flown_project(folder, streams, **parts) -> Project:
    """Make the project Heron at the known place with one flight, “hop”; return it. ``parts`` are further parts of the project."""
    project = Project(
        name="Heron", brief=Brief(place=Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2])), **parts
    )
    store.create(folder, project)
    reference = "simulation truth" if "reference" in streams else ""
    create_recording(folder, RecordingInfo(name="hop", kind="flight", reference_is=reference), streams)
    return project


@pytest.fixture
def project(tmp_path):
    """An empty project folder with a known place."""
    folder = tmp_path / "craft"
    store.create(
        folder, Project(name="Test craft", brief=Brief(place=Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2])))
    )
    return folder


@pytest.fixture
def desktops_bin(tmp_path, monkeypatch):
    """Let what is thrown away lie under ``tmp_path``: the library reads the place when it is first imported."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    for name in [n for n in sys.modules if n.split(".")[0] == "send2trash"]:
        monkeypatch.delitem(sys.modules, name)
    return tmp_path / "data"
