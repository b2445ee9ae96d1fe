"""How practitioners write gains, and the two ladders by which they tune a rate loop: what each does in which order."""

GAINS = 3


def gains_from(text: str) -> tuple[float, float, float] | None:
    """Return P, I and D as written with blanks between, None for nothing; ValueError says what is wrong."""
    words = text.replace(",", ".").split()
    if not words:
        return None
    if len(words) != GAINS:
        raise ValueError(f"give P, I and D, three numbers with blanks between, not {len(words)}")
    try:
        p, i, d = (float(w) for w in words)
    except ValueError as error:
        raise ValueError(f"“{text}” is not three numbers") from error
    if min(p, i, d) < 0.0:
        raise ValueError("gains are zero or more: the mixer knows which way motors act")
    return p, i, d


LADDERS = {
    "D first": "Raise D until it gets wild, back off; the same for P; then the least I that holds.",
    "rate mode first": "Calm it in rate mode, let a relay find the gains, then the angle loop.",
}
