"""Text of others (names of projects, parts and recordings) as it may stand in generated C: nothing in it can end a comment or a line.

All such text enters a kit through its plan, which passes it through here once; what makes comments does so again.
"""

import unicodedata

_ENDS = (("*/", "* /"), ("/*", "/ *"), ("??", "? ?"), ("\\", "/"))


def harmless(text: str) -> str:
    """Return text without line ends, control characters and turns of the writing direction, and without what ends a comment of C."""
    shown = "".join(" " if unicodedata.category(c) in ("Cc", "Cf", "Cs", "Co", "Zl", "Zp") else c for c in text)
    # What taking one pair apart joins anew is taken apart, too.
    while any(pair in shown for pair, _ in _ENDS):
        for pair, apart in _ENDS:
            shown = shown.replace(pair, apart)
    return " ".join(shown.split())
