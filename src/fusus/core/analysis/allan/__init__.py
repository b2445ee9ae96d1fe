"""Allan deviation of measured series: the curve with its bounds, and what is read off it."""
