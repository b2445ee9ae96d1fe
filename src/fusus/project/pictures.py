"""Pictures that belong to entries of the book: copied into the project under the hash of what they show."""

import hashlib
import io
from pathlib import Path

from fusus.errors import ProjectError
from fusus.project.atomic import write_atomically

FOLDER = "pictures"
KINDS = {"PNG": ".png", "JPEG": ".jpg", "WEBP": ".webp", "GIF": ".gif"}
MOST_BYTES = 50_000_000


def attach(folder: Path, source: Path) -> str:
    """Copy a picture into the project and return its place there; ProjectError for what is none, or too large."""
    try:
        if source.stat().st_size > MOST_BYTES:
            raise ProjectError(
                source,
                f"it has {source.stat().st_size / 1e6:.0f} MB; {MOST_BYTES / 1e6:.0f} are allowed. Make it smaller.",
            )
        data = source.read_bytes()
    except OSError as error:
        raise ProjectError(source, f"it cannot be read ({type(error).__name__}).") from error
    kind = kind_of(data)
    if kind is None:
        raise ProjectError(source, f"it is no picture that Fusus knows; give {', '.join(KINDS)}. Nothing was written.")
    name = f"{hashlib.sha256(data).hexdigest()[:16]}{KINDS[kind]}"
    place = folder / FOLDER / name
    if not place.exists():
        place.parent.mkdir(exist_ok=True)
        write_atomically(place, data)
    return f"{FOLDER}/{name}"


def kind_of(data: bytes) -> str | None:
    """Return the kind of a picture by what it holds, None for what is none or is cut short."""
    # Only somebody who attaches a picture waits for its library.
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data)) as picture:
            kind = picture.format
            picture.load()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
    return kind if kind in KINDS else None
