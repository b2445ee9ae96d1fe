"""Files of arrays: NumPy's, MATLAB's and HDF5."""

import zipfile
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from fusus.errors import LogError
from fusus.logs.formats.columns import AnyArray, tables_of
from fusus.logs.formats.reasons import short

MOST_DATASETS = 2000


def numpy_tables(path: Path, folder: Path) -> list[Path]:
    """Write the arrays of an .npy or .npz file as tables. Pickled objects are refused: they could run anything."""
    try:
        if zipfile.is_zipfile(path):
            return tables_of(_archive(path), path, folder)
        with path.open("rb") as file:
            _check_size(path, file, path.stat().st_size, path.name)
        array = np.load(path, allow_pickle=False)
    except (ValueError, OSError, EOFError, RuntimeError, NotImplementedError, zlib.error, zipfile.BadZipFile) as error:
        raise LogError(path, None, None, f"its arrays cannot be read ({short(error)}).") from error
    return tables_of({"": array}, path, folder)


def _archive(path: Path) -> dict[str, AnyArray]:
    with zipfile.ZipFile(path) as archive:
        for info in archive.infolist():
            with archive.open(info) as file:
                _check_size(path, file, info.file_size, info.filename)
    with np.load(path, allow_pickle=False) as loaded:
        return {name: loaded[name] for name in loaded.files}


def _check_size(path: Path, file: Any, held: int, name: str) -> None:
    """Refuse an array whose header promises more than the file holds."""
    version = np.lib.format.read_magic(file)
    read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
    shape, _, dtype = read(file)
    if dtype.hasobject:
        raise LogError(path, None, name, "it holds Python objects, which are not read: they could run anything.")
    if int(np.prod(shape, dtype=np.float64)) * dtype.itemsize > held:
        raise LogError(
            path, None, name, "its header promises more numbers than the file holds: it was cut off, or changed."
        )


def matlab_tables(path: Path, folder: Path) -> list[Path]:
    """Write the arrays of a MATLAB file as tables; structures are joined by points."""
    from scipy.io import loadmat
    from scipy.io.matlab import MatReadError

    try:
        loaded = loadmat(path, simplify_cells=True)
    except NotImplementedError:
        return hdf5_tables(path, folder)
    except (MatReadError, ValueError, TypeError, OSError, EOFError, KeyError, IndexError, OverflowError) as error:
        raise LogError(path, None, None, f"it is no readable MATLAB file ({short(error)}).") from error
    return tables_of(dict(_flat({k: v for k, v in loaded.items() if not k.startswith("__")})), path, folder)


def _flat(values: dict[str, Any], before: str = "") -> list[tuple[str, AnyArray]]:
    out: list[tuple[str, AnyArray]] = []
    for name, value in values.items():
        if isinstance(value, dict):
            out += _flat(value, f"{before}{name}.")
        elif isinstance(value, np.ndarray | np.number | int | float):
            out.append((before + name, np.asarray(value)))
    return out


def hdf5_tables(path: Path, folder: Path) -> list[Path]:
    """Write the datasets of an HDF5 file as tables; groups are joined by points, links to other files are left out."""
    import h5py

    arrays: dict[str, AnyArray] = {}
    size = path.stat().st_size

    def look(name: str, item: Any) -> None:
        if not isinstance(item, h5py.Dataset) or len(arrays) >= MOST_DATASETS or item.dtype.hasobject:
            return
        if item.is_virtual or item.external or item.nbytes > 100 * max(size, 1 << 20):
            return
        arrays[name.replace("/", ".")] = item[()]

    try:
        with h5py.File(path, "r") as file:
            file.visititems(look)
    except (OSError, ValueError, RuntimeError, KeyError, TypeError) as error:
        raise LogError(path, None, None, f"it is no readable HDF5 file ({short(error)}).") from error
    return tables_of(arrays, path, folder)
