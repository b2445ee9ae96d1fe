"""The two ladders by which practitioners tune a rate loop, by name: what each does in which order."""

LADDERS = {
    "D first": "Raise D until it gets wild, back off; the same for P; then the least I that holds.",
    "rate mode first": "Calm it in rate mode, let a relay find the gains, then the angle loop.",
}
