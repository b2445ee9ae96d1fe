"""Height and climb from barometer and accelerometer: a complementary filter and Kalman filters of three and four states."""
