"""Text that is no plain table, rewritten line by line into one: labels on each line, lines of several sensors, JSON lines."""
