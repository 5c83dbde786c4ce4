"""How large a mesh becomes is known before it is read, however it is coded; and it reads no file it should not."""

from __future__ import annotations

import itertools
from pathlib import Path

import h5py
import meshio
import numpy as np
import pytest
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkUnstructuredGrid
from vtkmodules.vtkIOXML import vtkXMLUnstructuredGridWriter

from blunt_ember.mesh.files.mesh_file_limits import require_readable
from blunt_ember.ordinary_file import FileRefusedError

POINTS = np.random.default_rng(4).random((3000, 3)) * [1, 1, 0]


@pytest.mark.parametrize(
    ("mode", "coded", "fold"), list(itertools.product(("Binary", "Appended"), (True, False), ("ZLib", "LZMA")))
)
def test_every_coding_is_measured_to_the_byte(mode: str, coded: bool, fold: str, tmp_path: Path) -> None:
    grid, points = vtkUnstructuredGrid(), vtkPoints()
    points.SetData(numpy_to_vtk(POINTS, deep=True))
    grid.SetPoints(points)
    writer = vtkXMLUnstructuredGridWriter()
    writer.SetFileName(str(tmp_path / "points.vtu"))
    writer.SetInputData(grid)
    getattr(writer, f"SetDataModeTo{mode}")()
    writer.SetEncodeAppendedData(coded)
    getattr(writer, f"SetCompressorTypeTo{fold}")()
    writer.SetBlockSize(4096)  # several blocks
    assert writer.Write() == 1
    whole = POINTS.size * 8
    require_readable(tmp_path / "points.vtu", whole)
    with pytest.raises(FileRefusedError, match=r"points\.vtu unfolds to more than"):
        require_readable(tmp_path / "points.vtu", whole - 1)


def test_numbers_beside_an_xdmf_file_are_measured_and_no_other_file_is_opened(tmp_path: Path) -> None:
    path = tmp_path / "inner" / "a.xdmf"
    path.parent.mkdir()
    meshio.Mesh(POINTS, [("triangle", [[0, 1, 2]])]).write(path)
    whole = POINTS.nbytes + 3 * 8
    require_readable(path, whole)
    with pytest.raises(FileRefusedError, match="unfolds to more than"):
        require_readable(path, whole - 1)
    text = path.read_text()
    path.write_text(text.replace("a.h5:", "../a.h5:"))
    with pytest.raises(FileRefusedError, match=r"takes numbers from \.\./a\.h5, which lies outside its folder"):
        require_readable(path)
    path.write_text(text.replace('Format="HDF"', 'Format="Binary"', 1))
    with pytest.raises(FileRefusedError, match="without a form of its own"):
        require_readable(path)
    # Links within the HDF5 file lead no further than it, nor do numbers that are made of others or far too many.
    path.write_text(text)
    with h5py.File(path.parent / "a.h5", "w") as made:
        made["data0"] = h5py.ExternalLink("/tmp/other.h5", "/data")
    with pytest.raises(FileRefusedError, match=r"takes '/?data0' from another file"):
        require_readable(path)
    with h5py.File(path.parent / "a.h5", "w") as made:
        made.create_dataset("data0", (10, 3), "f8", external=[("/etc/hostname", 0, 240)])
    with pytest.raises(FileRefusedError, match=r"takes '/?data0' from another file"):
        require_readable(path)
    with h5py.File(path.parent / "a.h5", "w") as made:
        made.create_dataset("data0", (10**9, 3), "f8", chunks=(1000, 3))  # none of it written: a small file
    assert (path.parent / "a.h5").stat().st_size < 10_000
    with pytest.raises(FileRefusedError, match="unfolds to more than 2,048 MB"):
        require_readable(path)
