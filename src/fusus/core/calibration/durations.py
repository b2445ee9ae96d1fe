"""How long captures take at least. Light to import: guides name it before a capture begins."""

# A receiver's errors last a minute and more: less sky than this shows one of them only. Common practice.
LEAST_SKY_S = 600.0
LEAST_FIXES = 60
