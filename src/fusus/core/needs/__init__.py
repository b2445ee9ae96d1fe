"""What a brief asks of sensors and loops, with the reasoning."""
