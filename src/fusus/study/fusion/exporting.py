"""The judged estimate as a file: samples as a table, or the way on the globe, by the file's ending."""

from pathlib import Path

from fusus.logs.estimates import write_estimate
from fusus.logs.tracks import ENDINGS, write_track
from fusus.study.fusion.run import Study
from fusus.study.recording.aiding import home_of


def export_estimate(study: Study, path: Path) -> None:
    """Write .parquet or .csv, .geojson or .gpx; LogError says what is wrong with path or estimate."""
    if path.suffix.lower() in ENDINGS:
        info = study.loaded.info
        write_track(study.judged.replay, home_of(study.request.project, info), path, info.when)
    else:
        write_estimate(study.judged.replay, path)
