"""Kits from projects: what is in them, the proof that they are equal, what they cost, and the maker's own code beside them."""
