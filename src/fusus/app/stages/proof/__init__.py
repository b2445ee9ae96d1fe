"""Proof: requirements against recordings."""
