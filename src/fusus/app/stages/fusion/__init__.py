"""Fusion: which estimator, tuned how, and does it tell the truth."""
