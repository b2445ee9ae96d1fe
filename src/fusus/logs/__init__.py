"""Canonical recordings, and the import that makes them from any table."""
