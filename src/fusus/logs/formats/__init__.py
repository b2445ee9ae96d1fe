"""Files that are no text: each becomes text tables in a temporary folder, which are then read like any others."""
