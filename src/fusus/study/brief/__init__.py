"""What a project's brief means: its place, mission, airframe, and the parts there are. Light to import."""
