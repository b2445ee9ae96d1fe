"""Figures of Fusus's own, drawn with pyqtgraph."""
