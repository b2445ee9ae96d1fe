"""The window. The only part that knows Qt."""
