"""The report of a craft: what it is, what it was proved by, so that another person can repeat it."""
