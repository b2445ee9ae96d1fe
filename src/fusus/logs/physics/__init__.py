"""What the signals themselves show of their units, axes and times, by laws that hold for any motion."""
