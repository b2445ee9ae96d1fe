"""What a project's loops come to: timing, latency, margins, mixer."""
