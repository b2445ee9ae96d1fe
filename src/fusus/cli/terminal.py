"""Text of others on a terminal: names and notes of a foreign project or log must not move its cursor, ring, or turn its writing direction.

Everything that commands print passes through here once; colours and bold, which tables set themselves, stay.
"""

import re
from typing import Any

REPLACED = "\ufffd"
# Control characters but tab and line end; escape sequences but those of colour and of the progress line; turns of the writing direction;
# bytes of a file name that are no text.
_ACTS = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1a\x1c-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069\ud800-\udfff]|\x1b(?!\\[[0-9;]*[mK])"
)


def shown(text: str) -> str:
    """Return text with a mark in the place of each character that would act instead of being seen."""
    return _ACTS.sub(REPLACED, text)


def json_shown(text: str) -> str:
    """Return JSON with such characters as escapes: the values stay what they were."""
    return _ACTS.sub(lambda m: "".join(f"\\u{ord(c):04x}" for c in m.group()), text)


class ShownStream:
    """A text stream that shows what is written to it, and lets none of it act on the terminal."""

    def __init__(self, stream: Any) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        """Write text as it may be shown; return how many characters were given."""
        self._stream.write(shown(text))
        return len(text)

    def __getattr__(self, name: str) -> Any:
        """Return what the stream itself has."""
        return getattr(self._stream, name)
