"""Fusus: from loose sensor readings to the state estimate that a multirotor's loops fly on."""
