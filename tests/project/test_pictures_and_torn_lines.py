"""Pictures of the book are pictures; a torn line costs itself and nothing else."""

import io
import json

import pytest
from PIL import Image

from fusus.errors import ProjectError
from fusus.project import book, pictures


def picture(kind="PNG", size=(8, 6)):
    out = io.BytesIO()
    Image.new("RGB", size, (200, 30, 30)).save(out, kind)
    return out.getvalue()


@pytest.mark.parametrize(("kind", "ending"), [("PNG", ".png"), ("JPEG", ".jpg"), ("WEBP", ".webp")])
def test_a_picture_is_kept_under_its_hash_whatever_it_was_called(tmp_path, kind, ending):
    source = tmp_path / "IMG 1.dat"
    source.write_bytes(picture(kind))
    place = pictures.attach(tmp_path, source)
    assert place.endswith(ending) and (tmp_path / place).read_bytes() == source.read_bytes()
    assert pictures.attach(tmp_path, source) == place and len(list((tmp_path / "pictures").iterdir())) == 1


@pytest.mark.parametrize(
    "data", [b"", b"not a picture", b"\x89PNG\r\n\x1a\n" + b"\x00" * 40, picture(size=(600, 400))[:400], b"<svg></svg>"]
)
def test_what_is_no_picture_is_refused_and_nothing_is_written(tmp_path, data):
    source = tmp_path / "holiday.png"
    source.write_bytes(data)
    with pytest.raises(ProjectError, match="no picture"):
        pictures.attach(tmp_path, source)
    assert not (tmp_path / "pictures").exists()
    with pytest.raises(ProjectError, match="cannot be read"):
        pictures.attach(tmp_path, tmp_path / "none.png")


def test_a_torn_line_is_left_as_it_is_and_what_comes_after_is_kept(tmp_path):
    book.note(tmp_path, "first")
    path = tmp_path / book.BOOK_FILE
    whole = path.read_bytes()
    torn = b'{"at": "2026-06-01T10:00", "wh'
    path.write_bytes(whole + torn)  # the power went
    book.note(tmp_path, "second", note="ä")
    assert [e["what"] for e in book.entries(tmp_path)] == ["first", "second"] and book.damaged(tmp_path) == [2]
    assert path.read_bytes().startswith(whole + torn + b"\n"), "only ever added to"
    path.write_bytes(
        path.read_bytes() + b'"words"\n\xff\xfe\n\n' + json.dumps({"at": "2026-06-02", "what": "third"}).encode()
    )
    assert [e["what"] for e in book.entries(tmp_path)] == ["first", "second", "third"]
    assert book.damaged(tmp_path) == [2, 4, 5]
