"""Ways on the globe for other programs: GeoJSON (RFC 7946) and GPX 1.1."""

import json
import xml.etree.ElementTree as ET
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.replay import Replay
from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.errors import LogError
from fusus.project.atomic import write_atomically
from fusus.project.records import Place

ENDINGS = (".geojson", ".gpx")
EVERY_S = 0.2  # between points: finer shows nothing on a map
GPX = "http://www.topografix.com/GPX/1/1"


def write_track(replay: Replay, home: Place | None, path: Path, when: datetime | None = None) -> None:
    """Write an estimated way as .geojson or .gpx; LogError where it has no place on the globe."""
    if home is None:
        raise LogError(path, None, None, "a track on the globe needs the project's place: latitude, longitude, height.")
    motion = replay.motion
    if motion is None or not np.isfinite(motion.pos_n).all():
        raise LogError(path, None, None, f"{replay.estimator.title} gives no position: take navigation-ekf.")
    step = max(1, round(EVERY_S / max(float(np.median(np.diff(replay.t_s))), 1e-6)))
    t = replay.t_s[::step]
    points = ned_to_geodetic(motion.pos_n[::step], (home.lat_deg, home.lon_deg, home.height_m))
    sigma = motion.sigma_at("position", t)
    if path.suffix.lower() == ".gpx":
        data = _gpx(replay.estimator.title, t, points, when)
    else:
        data = _geojson(replay.estimator.title, t, points, np.hypot(sigma[:, 0], sigma[:, 1]))
    write_atomically(path, data)


def _geojson(title: str, t: Array, points: Array, sigma: Array) -> bytes:
    line = [[round(float(lon), 8), round(float(lat), 8), round(float(h), 3)] for lat, lon, h in points]
    feature = {
        "type": "Feature",
        "geometry": {"type": "LineString", "coordinates": line},
        "properties": {
            "name": title,
            "t_s": [round(float(x), 3) for x in t],
            "horizontal_sigma_m": [round(float(x), 3) for x in sigma],
        },
    }
    return json.dumps({"type": "FeatureCollection", "features": [feature]}, ensure_ascii=False).encode()


def _gpx(title: str, t: Array, points: Array, when: datetime | None) -> bytes:
    ET.register_namespace("", GPX)
    root = ET.Element(f"{{{GPX}}}gpx", version="1.1", creator="Fusus")
    track = ET.SubElement(root, f"{{{GPX}}}trk")
    ET.SubElement(track, f"{{{GPX}}}name").text = title
    segment = ET.SubElement(track, f"{{{GPX}}}trkseg")
    for seconds, (lat, lon, h) in zip(t - t[0], points, strict=True):
        point = ET.SubElement(segment, f"{{{GPX}}}trkpt", lat=f"{lat:.8f}", lon=f"{lon:.8f}")
        ET.SubElement(point, f"{{{GPX}}}ele").text = f"{h:.3f}"
        if when is not None:
            moment = when + timedelta(seconds=float(seconds))
            ET.SubElement(point, f"{{{GPX}}}time").text = moment.isoformat(timespec="milliseconds").replace(
                "+00:00", "Z"
            )
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))
