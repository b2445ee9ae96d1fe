"""The command line on the same core."""
