"""A kit as it is written: what it is made of, its constants and templates, and its files."""
