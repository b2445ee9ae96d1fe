"""Why a hover or a straight flight wanders: signs of ten causes in its log, and what they say together."""
