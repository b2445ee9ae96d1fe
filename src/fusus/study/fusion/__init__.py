"""Estimators over a recording: runs, errors and verdicts, and the longer questions asked of them."""
