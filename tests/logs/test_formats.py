"""Shapes of text and formats of files, each written by the library that others write it with; archives within their limits."""

import bz2
import gzip
import hashlib
import io
import json
import lzma
import tarfile
import zipfile

import h5py
import numpy as np
import polars as pl
import pyarrow as pa
import pytest
from scipy.io import savemat
from tests.logs.tables import HEADER, RATE, N, lines, truth, write

from fusus.errors import LogError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.mapping import Mapping
from fusus.logs.recording import load_stream

UNITS = {"gx": "rad/s", "gy": "rad/s", "gz": "rad/s", "ax": "m/s^2", "ay": "m/s^2", "az": "m/s^2"}
AT_RATE = Mapping.model_validate({"files": [{"time": {"unit": "counter", "rate_hz": RATE}}]})


def imported(project, *paths, name="log", **options):
    info = import_recording(ImportRequest(tuple(paths), project, name, **options))
    return info, load_stream(project, name, "imu")


def assert_same(imu, atol=2e-6, rows=N):
    t, gyro, acc = truth()
    assert len(imu.t_ns) == rows
    assert np.allclose(imu.t_s - imu.t_s[0], t[:rows], atol=6e-4)
    assert np.allclose(imu.vector("gyro", "rad_s"), gyro[:rows], atol=atol) and np.allclose(
        imu.vector("acc", "m_s2"), acc[:rows], atol=20 * atol
    )


def each():
    """Yield times in s, and the six readings by name."""
    t, gyro, acc = truth()
    for i in range(N):
        yield t[i], dict(zip(UNITS, (*gyro[i].tolist(), *acc[i].tolist()), strict=True))


SHAPES = {
    "labels, commas": [f"t: {t:.4f}, " + ", ".join(f"{k}: {v:.6f}" for k, v in row.items()) for t, row in each()],
    "labels, equals and blanks": [" ".join(f"{k}={v:.6f}" for k, v in row.items()) + f" us={t * 1e6:.0f}" for t, row in each()],
    "labels, tabs, units behind": [f"time:{t * 1e3:.0f} ms\t" + "\t".join(f"{k}:{v:.6f} {UNITS[k]}" for k, v in row.items()) for t, row in each()],
    "a terminal's clock": [f"12:00:{t:09.6f} -> " + ",".join(f"{v:.6f}" for v in row.values()) for t, row in each()],
    "a clock in brackets, labels": [f"[10:00:{t:06.3f}] " + "  ".join(f"{k}: {v:.6f}" for k, v in row.items()) for t, row in each()],
    "one value a line": [f"{k}: {v:.6f}" for t, row in each() for k, v in ({"us": t * 1e6} | row).items()],
    "time, name, value": ["time,name,value", *(f"{t:.4f},{k},{v:.6f}" for t, row in each() for k, v in row.items())],
    "json lines": [json.dumps({"t": t, "gyro": [row[f"g{a}"] for a in "xyz"], "acc": {a: row[f"a{a}"] for a in "xyz"}}) for t, row in each()],
    "json lines of several kinds": [
        x for i, (t, row) in enumerate(each())
        for x in [json.dumps({"type": "imu", "t": t, **row}), *([json.dumps({"type": "baro", "t": t, "pressure": 101325 + i})] if i % 8 == 0 else [])]
    ],
    "several sensors": [
        x for i, (t, row) in enumerate(each())
        for x in [f"IMU,{t * 1e3:.0f}," + ",".join(f"{v:.6f}" for v in row.values()), *([f"BARO,{t * 1e3:.0f},{101325 + i % 9}.5,22.5"] if i % 8 == 0 else [])]
    ],
    "boot messages": ["rst:0x1, boot:0x13", "sensor found", "calibrating ...", ",".join(HEADER), *lines()[1:600], "watchdog!", *lines()[600:]],
    "units in a second line": [",".join(("t", *UNITS)), "s," + ",".join(UNITS.values()), *lines()[1:]],
    "header again after a restart": [*lines()[:600], ",".join(HEADER), *lines()[600:]],
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_a_shape_of_text_is_read(name, project, tmp_path):
    info, imu = imported(project, write(tmp_path / "log.txt", SHAPES[name]))
    assert_same(imu)
    if "several" in name:
        assert info.streams["baro"].rows == N // 8
    assert {p.kind for p in info.problems} <= {"text", "preamble", "axes_changed"}


def test_labels_without_a_time_are_asked_for_their_rate(project, tmp_path):
    path = write(tmp_path / "log.txt", ["\t".join(f"{k}:{v:.6f}" for k, v in row.items()) for _, row in each()])
    with pytest.raises(LogError, match="at which rate"):
        imported(project, path)
    assert_same(imported(project, path, mapping=AT_RATE)[1])


def test_stray_lines_between_labels_are_counted_with_their_places(project, tmp_path):
    rows = list(SHAPES["labels, commas"])
    for at in (30, 60, 90, 120):
        rows.insert(at, "E (1234) wifi: disconnected")
    info, imu = imported(project, write(tmp_path / "log.txt", rows))
    assert_same(imu)
    assert [(p.kind, p.count, p.lines) for p in info.problems] == [("text", 4, (31, 61, 91))]


@pytest.mark.parametrize(("bits", "unit"), [(16, "ms"), (24, "us"), (32, "us")])
def test_counters_run_over_at_their_width(bits, unit, project, tmp_path):
    size = {"ms": 1e3, "us": 1e6}[unit]
    counts = (np.round(truth()[0] * size).astype(np.int64) + 2**bits - int(2 * size)) % 2**bits
    rows = lines(times=[str(c) for c in counts], header=(f"t_{unit}", *HEADER[1:]))
    _, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert_same(imu)


# Files of libraries


def columns():
    t, gyro, acc = truth()
    return (
        {"t": t}
        | {f"gyro_{a}": gyro[:, i] for i, a in enumerate("xyz")}
        | {f"acc_{a}": acc[:, i] for i, a in enumerate("xyz")}
    )


def _hdf5(path):
    t, gyro, acc = truth()
    with h5py.File(path, "w") as file:
        group = file.create_group("imu")
        group["t"], group["gyro"], group["acc"] = t, gyro, acc.T


def _sheet(path):
    """Write the least spreadsheet that the standard (ECMA-376) allows: one sheet of plain cells."""

    def cell(v):
        return f'<c t="str"><v>{v}</v></c>' if isinstance(v, str) else f"<c><v>{v!r}</v></c>"

    rows = [list(columns()), *map(list, zip(*(v.tolist() for v in columns().values()), strict=True))]
    sheet = "".join("<row>" + "".join(map(cell, r)) + "</row>" for r in rows)
    main, office = (
        "http://schemas.openxmlformats.org/spreadsheetml/2006/main",
        "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
    )
    package = "http://schemas.openxmlformats.org/package/2006"
    content = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{package}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.'
        f'relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="{content}.sheet.main+xml"/><Override PartName="/xl/s.xml" '
        f'ContentType="{content}.worksheet+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{main}" xmlns:r="{office}"><sheets><sheet name="log" sheetId="1" r:id="r1"/></sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/worksheet" Target="s.xml"/></Relationships>',
        "xl/s.xml": f'<worksheet xmlns="{main}"><sheetData>{sheet}</sheetData></worksheet>',
    }  # fmt: skip
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in parts.items():
            archive.writestr(name, '<?xml version="1.0" encoding="UTF-8"?>' + text)


def _arrow(path):
    table = pl.DataFrame(columns()).to_arrow()
    with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, table.schema) as out:
        out.write_table(table)


FILES = {
    "log.parquet": lambda p: pl.DataFrame(columns()).write_parquet(p),
    "nested.parquet": lambda p: pl.DataFrame({"t": truth()[0], "gyro": truth()[1].tolist(), "acc": truth()[2].tolist()}).write_parquet(p),
    "log.arrow": _arrow,
    "log.npz": lambda p: np.savez(p, t=truth()[0], gyro=truth()[1], acc=truth()[2]),
    "packed.npz": lambda p: np.savez_compressed(p, t=truth()[0], gyro=truth()[1].T, acc=truth()[2]),
    "record.npy": lambda p: np.save(p, np.array(list(zip(*columns().values(), strict=True)), dtype=[(n, float) for n in columns()])),
    "log.mat": lambda p: savemat(p, {"t": truth()[0], "gyro": truth()[1], "acc": truth()[2]}),
    "struct.mat": lambda p: savemat(p, {"log": {"t": truth()[0], "imu": {"gyro": truth()[1], "acc": truth()[2]}}}),
    "log.h5": _hdf5,
    "log.xlsx": _sheet,
    "records.json": lambda p: p.write_text(json.dumps([{"t": t, **row} for t, row in each()], indent=1)),
    "arrays.json": lambda p: p.write_text(json.dumps({"t": truth()[0].tolist(), "gyro": truth()[1].tolist(), "acc": truth()[2].tolist()})),
}  # fmt: skip


@pytest.mark.parametrize("name", FILES)
def test_a_format_is_read_to_the_last_bit(name, project, tmp_path):
    path = tmp_path / name
    FILES[name](path)
    before = path.read_bytes()
    info, imu = imported(project, path)
    t, gyro, acc = truth()
    assert np.array_equal(imu.vector("gyro", "rad_s"), gyro) and np.array_equal(imu.vector("acc", "m_s2"), acc)
    assert np.allclose(imu.t_s, t, atol=1e-9) and not info.problems
    (source,) = info.sources
    assert (source.name, source.sha256, source.bytes) == (
        name,
        hashlib.sha256(before).hexdigest(),
        len(before),
    ) and path.read_bytes() == before


def test_a_track_is_read_with_its_times(project, tmp_path):
    points = "".join(
        f'<trkpt lat="{49 + i * 1e-5:.7f}" lon="8.43"><ele>{115 + i}</ele><time>2026-05-01T10:00:{i:02d}Z</time></trkpt>'
        for i in range(40)
    )
    path = tmp_path / "track.gpx"
    path.write_text(
        f'<?xml version="1.0"?><gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>{points}</trkseg></trk></gpx>'
    )
    info = import_recording(ImportRequest((path,), project, "track"))
    gnss = load_stream(project, "track", "gnss")
    assert info.when.isoformat() == "2026-05-01T10:00:00+00:00" and gnss.t_s[-1] == 39.0
    assert gnss.matrix("lat_deg")[7, 0] == pytest.approx(49.00007) and gnss.matrix("height_m")[7, 0] == 122.0
    path.write_text(path.read_text().replace("<?xml version", '<!DOCTYPE x [<!ENTITY a "b">]><?xml version', 1))
    with pytest.raises(LogError):
        import_recording(ImportRequest((path,), project, "other"))


def test_objects_in_arrays_are_never_unpickled(project, tmp_path):
    class Trap:
        def __reduce__(self):
            return (open, (str(tmp_path / "sprung"), "w"))

    for name, save in (("a.npy", np.save), ("a.npz", np.savez)):
        save(tmp_path / name, np.array([Trap(), 1], dtype=object), allow_pickle=True)
        with pytest.raises(LogError, match="Python objects"):
            imported(project, tmp_path / name)
    assert not (tmp_path / "sprung").exists()


# Archives


def _tar(path, data):
    with tarfile.open(path, "w:gz") as archive:
        info = tarfile.TarInfo("../../etc/log.csv")
        info.size = len(data)
        archive.addfile(info, io.BytesIO(data))


def _zip(path, data):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("day/log.csv", data)
        archive.writestr("day/readme.md", "nothing")


def _by_arrow(path, data, codec):
    with pa.CompressedOutputStream(str(path), codec) as packed:
        packed.write(data)


PACKED = {
    "log.csv.gz": lambda p, d: p.write_bytes(gzip.compress(d)),
    "log.csv.bz2": lambda p, d: p.write_bytes(bz2.compress(d)),
    "log.csv.xz": lambda p, d: p.write_bytes(lzma.compress(d)),
    "log.csv.zst": lambda p, d: _by_arrow(p, d, "zstd"),
    "log.csv.lz4": lambda p, d: _by_arrow(p, d, "lz4"),
    "logs.zip": _zip,
    "logs.tgz": _tar,
}


@pytest.mark.parametrize("name", PACKED)
def test_packed_logs_are_unpacked_beside_the_project_only(name, project, tmp_path):
    PACKED[name](tmp_path / name, "\n".join(lines()).encode())
    info, imu = imported(project, tmp_path / name)
    assert_same(imu)
    assert [s.name for s in info.sources] == [name]
    assert {p.name for p in tmp_path.iterdir()} <= {name, "craft", project.name}


def test_archives_that_are_made_to_fill_a_disk_are_refused(project, tmp_path, monkeypatch):
    from fusus.logs.formats import archives

    bomb = tmp_path / "bomb.csv.gz"
    bomb.write_bytes(gzip.compress(b"0" * (archives.CHUNK * archives.MOST_RATIO + archives.CHUNK)))
    with pytest.raises(LogError, match="unpacks to more"):
        imported(project, bomb)
    monkeypatch.setattr(archives, "MOST_FILES", 3)
    with zipfile.ZipFile(tmp_path / "many.zip", "w") as archive:
        for i in range(5):
            archive.writestr(f"{i}.csv", "\n".join(lines()[:40]))
    with pytest.raises(LogError, match="more than 3 files"):
        imported(project, tmp_path / "many.zip")
    (tmp_path / "cut.zip").write_bytes((tmp_path / "many.zip").read_bytes()[:-30])
    with pytest.raises(LogError, match="damaged|unpacked"):
        imported(project, tmp_path / "cut.zip")


REFUSED = {
    "receiver.ubx": (b"\xb5\x62\x01\x07" + bytes(200), "NMEA"),
    "cut.parquet": (b"PAR1" + bytes(100), "Parquet"),
    "cut.h5": (b"\x89HDF\r\n\x1a\n" + bytes(60), "HDF5"),
    "page.xml": (b"<?xml version='1.0'?><html/>", "XML"),
    "empty.json": (b"[]", "empty"),
    "half.json": (b'[{"t": 1, "ax": 2}, {"t": ', "no whole JSON"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_no_reader_can_read_says_what_to_do(name, project, tmp_path):
    content, message = REFUSED[name]
    (tmp_path / name).write_bytes(content)
    with pytest.raises(LogError, match=message) as caught:
        imported(project, tmp_path / name)
    assert name in str(caught.value) and "Error" not in str(caught.value)
