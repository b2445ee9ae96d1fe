"""Rows of inputs: label, value, unit, evidence mark."""
