"""Measures on samples: alignment in time, stillness, errors, intervals."""
