"""Whether the work of a control cycle fits in its time: buses, tasks, schedules, motor signals, latency."""
