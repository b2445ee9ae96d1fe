"""What recordings prove: references, the board's own estimate, deciding stretches, flights pooled and compared, causes of drifting."""
