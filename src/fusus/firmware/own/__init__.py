"""Estimators of the maker's own: run beside Fusus' filters, judged, and their implementation errors found."""
