"""Calibrations: what a sensor gets wrong, fitted from bench captures, with standard errors and a verdict."""
