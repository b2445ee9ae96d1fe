"""Reading JSON that others may have written: whatever it holds, there is one kind of error, with its place."""

import json
from typing import Any, NoReturn


def parsed(text: str) -> Any:
    """Return what JSON text says; json.JSONDecodeError for all that is none.

    That includes what Python's reader lets through or stumbles over: NaN and infinities, numbers of thousands of digits, nesting that
    no file of this kind has.
    """

    def refuse(word: str) -> NoReturn:
        raise json.JSONDecodeError(f"{word} is no number that JSON has", text, max(text.find(word), 0))

    try:
        return json.loads(text, parse_constant=refuse)
    except json.JSONDecodeError:
        raise
    except RecursionError:
        raise json.JSONDecodeError("it is nested too deeply", text, 0) from None
    except ValueError:
        raise json.JSONDecodeError("a number has too many digits", text, 0) from None
