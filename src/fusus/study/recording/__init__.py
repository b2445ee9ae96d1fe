"""From a project's recording to what the core takes: loading, corrections, aiding, references, the accelerometer filter."""
