"""A project's craft in closed-loop flight."""
