"""Causes of position drift: the signs of ten causes in a log, and what they say together."""
