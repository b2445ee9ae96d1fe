"""Made-up flights with known truth."""
