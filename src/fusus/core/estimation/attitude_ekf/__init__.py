"""The error-state Kalman filter for attitude and gyro bias."""
