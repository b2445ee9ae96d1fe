"""The surroundings: atmosphere, gravity, magnetic field, earth rate."""
