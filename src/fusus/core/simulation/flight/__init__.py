"""Closed-loop flight: the craft flies on what its own estimator makes of its own sensors."""
