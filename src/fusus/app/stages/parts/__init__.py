"""Parts: which IMU, barometer, magnetometer and receiver."""
