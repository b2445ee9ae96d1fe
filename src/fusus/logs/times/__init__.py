"""Time columns: found, told what they count in, and read as nanoseconds."""
