"""A mission: its figures, the smooth motion that flies it, and the trajectory that predictions run along."""
