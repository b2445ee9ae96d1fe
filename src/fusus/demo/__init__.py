"""The invented demo project, made by a seeded script."""
