"""The look at a log before it is imported."""
