"""The stand-in board: a whole board with hidden errors, handled on a bench, sample by sample."""
