"""The complementary filter in quaternion form."""
