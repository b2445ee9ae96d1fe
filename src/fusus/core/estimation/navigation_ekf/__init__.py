"""The error-state Kalman filter for position, velocity and attitude with the sensors' own errors."""
