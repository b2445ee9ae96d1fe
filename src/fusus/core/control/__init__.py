"""The loops: what stands in them, how much they can bear, and how to choose their gains."""
