"""What a brief asks of parts and loops: sensors for each mode, ranges, rates and bus load."""
