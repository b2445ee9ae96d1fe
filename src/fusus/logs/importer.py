"""From source files to a canonical recording in a project."""

from concurrent.futures import Executor, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import polars as pl

from fusus.core.progress import Progress, Silent
from fusus.errors import FususError, LogError, OpenQuestionsError, ProjectError
from fusus.logs.create import create_recording, finished
from fusus.logs.formats.opening import Opened, opened
from fusus.logs.info import (
    RecordingInfo,
    SourceFile,
    StreamInfo,
    check_kind,
    check_name,
    recordings_folder,
)
from fusus.logs.mapping import Mapping
from fusus.logs.nmea import is_nmea, read_nmea
from fusus.logs.plan import Plan, make_plan
from fusus.logs.problems import Problems
from fusus.logs.recording import stream_info
from fusus.logs.table import read_table
from fusus.logs.writer import StreamWriter, join_parts, put_in_order
from fusus.project.atomic import writing
from fusus.project.records import Place
from fusus.project.working_folder import working_folder

RANGE_EXAMPLES = {"gyro": '500, "unit": "deg/s"', "acc": '8, "unit": "g"', "mag": '800, "unit": "uT"'}

# Of the rows of an IMU that share their time with others; more would be lost than a coarse clock explains.
MOST_LOST = 0.25


@dataclass(frozen=True, slots=True)
class ImportRequest:
    """What is to be imported, and what is known about it beforehand."""

    sources: tuple[Path, ...]
    project: Path
    name: str
    kind: str = "flight"
    mapping: Mapping | None = None
    place: Place | None = None
    declination_rad: float = 0.0


def texts_of(files: list[Opened]) -> list[Opened]:
    """Return the sources that are NMEA text; LogError where these come together with tables."""
    texts = [f for f in files if is_nmea(f.path)]
    if texts and len(texts) < len(files):
        raise LogError(
            texts[0].path,
            None,
            None,
            "receiver text and tables have clocks of their own: import it by itself, and name it as the reference.",
        )
    return texts


def plan_import(request: ImportRequest) -> Plan:
    """Return how the sources would be read, for a look before the import; raises LogError if they cannot be."""
    with opened(request.sources) as files:
        return Plan((), Mapping(), 0, ()) if texts_of(files) else _plan(request, files)


def _plan(request: ImportRequest, files: list[Opened]) -> Plan:
    explicit = {f.path for f in files if f.source in request.sources}
    paths = [f.path for f in files]
    return make_plan(paths, explicit, request.mapping, request.kind, request.place, request.declination_rad)


def import_recording(request: ImportRequest, progress: Progress | None = None) -> RecordingInfo:
    """Import sources as a new recording.

    Parameters
    ----------
    request : ImportRequest
        Sources, project, name.
    progress : Progress
        Told about bytes read.

    Returns
    -------
    RecordingInfo
        As written; its problems say what was wrong and what was done.

    Raises
    ------
    LogError
        If a source cannot be read at all.
    ProjectError
        If there is such a recording already, or the disk refuses. Then nothing is left behind.
    """
    check_name(request.name)
    check_kind(request.kind)
    target = recordings_folder(request.project) / request.name
    if target.exists():
        raise ProjectError(target, "there is a recording of this name already. Choose another name.")
    with opened(request.sources) as files:
        if texts := texts_of(files):
            return _import_texts([t.path for t in texts], request)
        plan = _plan(request, files)
        refuse_open(plan)
        return _import_tables(plan, files, request, progress or Silent())


def _import_tables(plan: Plan, files: list[Opened], request: ImportRequest, progress: Progress) -> RecordingInfo:
    """Read the tables of a plan into a new recording."""
    folder = recordings_folder(request.project)
    try:
        with working_folder(folder, request.name) as working:
            with ThreadPoolExecutor(1) as beside:
                info = _read_all(plan, request, working, progress, beside)
            info = info.model_copy(update={"sources": _origins(info.sources, plan, files)})
            return finished(working, folder, info)
    except FususError:
        raise
    except OSError as error:
        with writing(folder / request.name):
            raise error
        raise


def _origins(read: tuple[SourceFile, ...], plan: Plan, files: list[Opened]) -> tuple[SourceFile, ...]:
    """Return the user's files: those that were converted are described as they are, not as they were read."""
    by_path = {f.path: f for f in files}
    out: dict[str, SourceFile] = {}
    for source, table in zip(read, plan.tables, strict=True):
        file = by_path[table.path]
        is_plain = file.path == file.source
        described = source.model_copy(update={"path": str(file.source.resolve())}) if is_plain else file.described()
        out[described.sha256] = described
    return tuple(out.values())


def _import_texts(texts: list[Path], request: ImportRequest) -> RecordingInfo:
    """Write a receiver's text as a recording."""
    if len(texts) > 1:
        raise LogError(texts[1], None, None, "import each receiver's text as a recording of its own.")
    problems = Problems()
    columns, source, when = read_nmea(texts[0], problems)
    info = RecordingInfo(
        name=request.name, kind=request.kind, when=when, place=request.place, sources=(source,), clock="time since the first sentence",
        problems=problems.all(),
    )  # fmt: skip
    return create_recording(request.project, info, {"gnss": columns})


def refuse_open(plan: Plan) -> None:
    """Refuse what has to be asked: the first question in a sentence, all of them in the error's details."""
    for table in plan.tables:
        for c in table.mapping.columns:
            if c.target and c.unit_from == "unknown" and not any(q.column == c.source for q in plan.questions):
                sensor = c.target.split(".")[1].split("_")[0]
                if sensor == "gyro":
                    continue  # one question stands for its three axes
                raise LogError(
                    table.path, table.mapping.first_data_line, c.source,
                    "it holds raw counts, and the data do not show their range. Give it with --range or --part, or with "
                    "--mapping, for example "
                    f'{{"ranges": {{"{sensor}": {{"full_scale": {RANGE_EXAMPLES[sensor]}, "bits": 16}}}}}}.',
                )  # fmt: skip
    if not plan.questions:
        return
    first = plan.questions[0]
    more = f" ({len(plan.questions) - 1} more to settle.)" if len(plan.questions) > 1 else ""
    raise OpenQuestionsError(first.file, first.column, first.sentence().partition(": ")[2] + more, said_of(plan))


def said_of(plan: Plan) -> dict[str, object]:
    """Return questions, conclusions and problems of a plan as plain values."""
    return {
        "questions": [q.model_dump() for q in plan.questions],
        "conclusions": [c.model_dump() for c in plan.conclusions],
        "problems": [p.model_dump() for p in plan.problems],
    }


def _read_all(plan: Plan, request: ImportRequest, working: Path, progress: Progress, beside: Executor) -> RecordingInfo:
    problems = Problems()
    problems.extend(plan.problems)
    total = sum(t.path.stat().st_size for t in plan.tables)
    done = 0
    sources: list[SourceFile] = []
    writers: dict[str, list[StreamWriter]] = {}
    for number, table in enumerate(plan.tables):

        def report(read: int, before: int = done) -> None:
            progress.step(before + read, max(total, 1), "Reading")

        mine, source = read_table(table, plan, number, working, problems, report, beside)
        done += source.bytes
        sources.append(source)
        for writer in mine:
            writer.close()
            if writer.rows:
                writers.setdefault(writer.stream, []).append(writer)
    if not writers:
        raise LogError(plan.tables[0].path, None, None, "no row holds a time and a reading; nothing was imported.")
    streams = {name: _finish(name, parts, working, [t.path for t in plan.tables]) for name, parts in writers.items()}
    when = None
    if plan.start_ns:
        when = datetime.fromtimestamp(plan.start_ns / 1e9, tz=UTC)
    return RecordingInfo(
        name=request.name,
        kind=request.kind,
        when=when,
        place=request.place,
        reference_is="the device's own estimate" if "reference" in streams else None,
        sources=tuple(sources),
        mapping=plan.mapping,
        clock="time since the first sample" if plan.start_ns else "as in the source",
        streams=streams,
        problems=problems.all(),
        conclusions=plan.conclusions,
    )


def _refuse_loss(stream: str, part: StreamWriter, lost: int, sources: list[Path]) -> None:
    """Refuse a time that many rows of an IMU share: it is a part of the time, or written too coarsely, and rows would be lost."""
    if not stream.startswith("imu") or lost <= MOST_LOST * part.rows:
        return
    source = next((p for p in sources if p.name == part.file), sources[0])
    raise LogError(
        source, None, None, f"{lost} of {part.rows} rows of {stream} have a time that another row has: the column is only a part of the "
        "time, or written too coarsely. Name the whole time in a mapping, or count the rows: "
        '{"files": [{"time": {"index": null, "unit": "counter", "rate_hz": 100}}]} with their rate.',
    )  # fmt: skip


def _finish(name: str, parts: list[StreamWriter], working: Path, sources: list[Path]) -> StreamInfo:
    """Bring the parts of a stream into one file in the order of time."""
    for part in parts:
        if part.disorder:
            _refuse_loss(name, part, put_in_order(part.path), sources)
    path = working / f"{name}.parquet"
    if len(parts) > 1:
        join_parts([p.path for p in parts], path)
        for part in parts:
            part.path.unlink()
    else:
        parts[0].path.rename(path)
        if not parts[0].disorder:
            return parts[0].info()
    return stream_info(pl.read_parquet(path, columns=["t_ns"], memory_map=False)["t_ns"].to_numpy())
