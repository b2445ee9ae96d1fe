"""Proof that a kit computes what the core computes: over whole recordings, within limits that are derived, and as test vectors."""
