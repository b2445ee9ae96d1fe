"""What is kept and what is due: test cards, calendar, parts, firmware, the list before a flight."""
