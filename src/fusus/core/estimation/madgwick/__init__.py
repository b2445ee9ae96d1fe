"""The gradient-descent filter of Madgwick."""
