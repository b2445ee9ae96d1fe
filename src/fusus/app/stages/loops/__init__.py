"""Loops: does it fit in the loop time, and will it fly?"""
