"""Brief: what the craft must do, and where."""
