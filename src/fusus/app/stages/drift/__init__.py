"""Drift: how wrong it will be, how fast, and why."""
