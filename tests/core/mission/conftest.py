"""A mission laid out at a known place."""

from tests.core.known_mission import site, trajectory

__all__ = ["site", "trajectory"]
