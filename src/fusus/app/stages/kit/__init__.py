"""Kit: from the proven estimator and loops to the maker's own board."""
