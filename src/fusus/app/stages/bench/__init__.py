"""Bench: measure your own sensors and calibrate them well."""
