"""Guided captures: what to do, what is wrong while it is being done, and when it is enough."""
