"""Rotations, axes, geodesy, units, clocks."""
