"""Error models of the sensors: how a true quantity becomes a reading."""
