"""A project's parts: the chosen combination, what it predicts, and lists of it."""
