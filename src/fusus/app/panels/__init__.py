"""The panels around the sheet: stage bar, notes, requirements, notices, the start screen and the finder."""
