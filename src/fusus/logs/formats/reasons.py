"""What a library's error says, short enough for a sentence."""

LONGEST = 100


def short(error: BaseException) -> str:
    """Return the first line of an error's words, or its kind where it has none."""
    return (str(error).splitlines() or [type(error).__name__])[0][:LONGEST]
