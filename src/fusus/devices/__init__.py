"""Boards and links to them: line protocol, serial and UDP, capture, and the stand-in board."""
