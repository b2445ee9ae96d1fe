"""What all columns of one table mean together: names first, then what their neighbours tell, and what a mapping says above all."""

from fusus.core.arrays import Array
from fusus.core.frames.units import known_unit
from fusus.logs.headers import Meaning, meaning, sensor_of, split_unit, words
from fusus.logs.mapping import ColumnMapping
from fusus.logs.positions import by_position, name_unit_quaternion
from fusus.logs.streams import STREAMS

COURSE_WORDS = {
    "gnss.speed_m_s": {"speed", "gspeed", "groundspeed", "sog"}, "gnss.course_deg": {"course", "cog", "track"},
}  # fmt: skip


def meanings_of(
    file: str, names: tuple[str, ...], numeric: dict[int, Array], kind: str, said: dict[int, ColumnMapping]
) -> dict[int, Meaning]:
    """Return the meanings of columns by position.

    Parameters
    ----------
    file : str
        The file's name, which helps columns called just "x".
    numeric : dict of int to array
        First values of the columns that hold numbers, the time left out.
    kind : str
        The word that the table's lines begin with, where they do.
    said : dict of int to ColumnMapping
        What a mapping says of columns.
    """
    meanings: dict[int, Meaning] = {}
    if (names and not names[0].startswith("column 1")) or any(meaning(n) for n in names):
        for i in numeric:
            found = meaning(names[i], kind if sensor_of(kind) else file)
            if found is not None:
                meanings[i] = found
        _settle_quaternion(meanings)
        name_unit_quaternion(names, numeric, meanings)
    elif not kind or sensor_of(kind) == "imu":
        meanings = by_position(numeric)
    _settle_temperature(meanings)
    _settle_velocity(meanings)
    _settle_course(names, numeric, meanings)
    # What a mapping says goes first, and a detected column gives way where its place is taken.
    given = {c.target for c in said.values()}
    meanings = {i: m for i, m in meanings.items() if i not in said and m.target not in given}
    for i, c in said.items():
        if c.target is not None:
            meanings[i] = Meaning(c.target, known_unit(c.unit) or c.unit if c.unit else split_unit(names[i])[1])
    return _one_a_target(meanings, said)


def _one_a_target(meanings: dict[int, Meaning], said: dict[int, ColumnMapping]) -> dict[int, Meaning]:
    """Move a second column of one meaning to the next sensor of its kind, or leave it out."""
    taken: set[str] = set()
    out: dict[int, Meaning] = {}
    for i in sorted(meanings, key=lambda i: (i not in said, i)):
        target = meanings[i].target
        while target in taken and target.startswith("imu"):
            n = int(target[3]) if target[3].isdecimal() else 1
            target = f"imu{n + 1}.{target.split('.', 1)[1]}"
        if target.startswith("reference.") and target in taken:
            target = target.replace("reference.", "board.", 1)
        if target not in taken and target.partition(".")[2] in STREAMS.get(target.partition(".")[0], {}):
            taken.add(target)
            out[i] = meanings[i]._replace(target=target)
    return out


def _settle_quaternion(meanings: dict[int, Meaning]) -> None:
    """Turn q_#0..3 or q_#1..4 into w, x, y, z."""
    for stream in ("reference", "board"):
        numbered = {
            i: int(m.target.rpartition("#")[2]) for i, m in meanings.items() if m.target.startswith(f"{stream}.q_#")
        }
        first = min(numbered.values(), default=0)
        for i, n in numbered.items():
            letter = "wxyz"[n - first] if 0 <= n - first < 4 and len(numbered) == 4 else "?"
            meanings[i] = meanings[i]._replace(target=f"{stream}.q_{letter}")


def _settle_velocity(meanings: dict[int, Meaning]) -> None:
    """Give a velocity or a place without a sensor's name to the receiver whose latitude stands in the same table."""
    targets = {m.target for m in meanings.values()}
    if "gnss.lat_deg" not in targets:
        return
    for i, m in meanings.items():
        stream, column = m.target.split(".")
        if stream == "reference" and column.startswith(("vel_", "pos_")) and f"gnss.{column}" not in targets:
            meanings[i] = m._replace(target=f"gnss.{column}")


def _settle_course(names: tuple[str, ...], numeric: dict[int, Array], meanings: dict[int, Meaning]) -> None:
    """Give speed and course without a sensor's name to the receiver whose latitude stands in the same table."""
    targets = {m.target for m in meanings.values()}
    if "gnss.lat_deg" not in targets:
        return
    for i in numeric:
        bare, unit = split_unit(names[i])
        found = set(words(bare))
        for target, known in COURSE_WORDS.items():
            if i not in meanings and found & known and len(found) <= 2 and target not in targets:
                meanings[i] = Meaning(target, unit)
                targets.add(target)


def _settle_temperature(meanings: dict[int, Meaning]) -> None:
    """Give a temperature without a sensor's name to the barometer where the table has no IMU, or one of its own for the IMU."""
    targets = {m.target for m in meanings.values()}
    nameless = sorted(i for i, m in meanings.items() if m.target == "imu.temperature_degc")
    if "baro.pressure_pa" not in targets or "baro.temperature_degc" in targets or not nameless:
        return
    has_imu = any(t.startswith("imu.") and t != "imu.temperature_degc" for t in targets)
    if has_imu and len(nameless) == 1:
        return
    pressure = next(i for i, m in meanings.items() if m.target == "baro.pressure_pa")
    nearest = min(nameless, key=lambda i: (abs(i - pressure), -i))
    meanings[nearest] = meanings[nearest]._replace(target="baro.temperature_degc")
