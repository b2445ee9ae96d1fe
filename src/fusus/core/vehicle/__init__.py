"""The craft as a body: geometry, thrust, power."""
