"""Estimators, one folder each, and what they share."""
