"""What a flight shows of its loops: frequency response, plant, margins, oscillations, the loop's own beat."""
