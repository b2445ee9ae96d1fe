"""Prediction without data: the navigation filter's covariance along a mission, cut by the sources of error."""
