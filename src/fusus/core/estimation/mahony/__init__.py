"""The nonlinear complementary filter of Mahony, Hamel and Pflimlin."""
