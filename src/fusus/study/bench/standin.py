"""The stand-in board of a project: its chosen parts, as bought, at its place."""

from dataclasses import replace

from fusus.core.simulation.board.board import Board
from fusus.core.simulation.board.slow_sensors import Rates
from fusus.core.simulation.board.specimen import draw_specimen
from fusus.core.world.site import site_at
from fusus.errors import ParameterError
from fusus.project.records import Project
from fusus.study.brief.site import USUAL_DAY, site_of
from fusus.study.parts.suite import choice_of, find_part, model_of

USUAL_PLACE = (53.0, 0.6, 0.0)
# What stands in where the project has chosen no part of a kind.
USUAL_PARTS = {"imu": "Birch 1", "barometer": "Fen 3", "magnetometer": "Needle 1", "receiver": "Tern 3"}


def standin_board(project: Project, seed: int, rate_hz: float = 200.0) -> Board:
    """Return a board with hidden errors; the same seed gives the same one."""
    if not 10 <= rate_hz <= 4000:
        raise ParameterError("IMU rate", rate_hz, 10, 4000, "Hz")
    filled = {k: getattr(project.parts, k) or name for k, name in USUAL_PARTS.items()}
    for kind, name in filled.items():
        if not (kind == "magnetometer" and name == filled["imu"]):
            find_part(project, kind, name)  # type: ignore[arg-type]
    parts = project.parts.model_copy(update={**filled, "fitting": replace(project.parts.fitting, calibrated=False)})
    full = project.model_copy(update={"parts": parts})
    choice = choice_of(full)
    if choice is None:
        raise ValueError("a stand-in needs an IMU")
    model = model_of(full, choice)
    site = site_of(project) if project.brief.place else site_at(*USUAL_PLACE, project.brief.day or USUAL_DAY)
    specimen = draw_specimen(model, project.parts.fitting.lever_arm_b_m, seed)
    slow = min(20.0, rate_hz)
    board = Board(specimen, model, site, Rates(rate_hz, min(50.0, rate_hz), min(25.0, rate_hz), 5.0, slow), seed)
    if project.brief.place:
        board.slow.home = (project.brief.place.lat_deg, project.brief.place.lon_deg, project.brief.place.height_m)
    return board
