"""Gravity and field of a project's place. Light to import: a stage shows them before anything heavy is loaded."""

from datetime import date

from fusus.core.world.site import Site, site_at
from fusus.logs.info import RecordingInfo
from fusus.project.records import Project

# The magnetic model changes by some 0.1° a year: without a date this one serves.
USUAL_DAY = date(2026, 6, 1)


def site_of(project: Project, info: RecordingInfo | None = None) -> Site:
    """Return gravity and field: of the recording's place where it has one, else of the brief's."""
    place = (info.place if info else None) or project.brief.place
    if place is None:
        return Site()
    day = info.when.date() if info and info.when else project.brief.day or USUAL_DAY
    return site_at(place.lat_deg, place.lon_deg, place.height_m, day)
