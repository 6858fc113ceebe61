"""Mesh files that people send."""

import math

import pytest

from keeve.core.errors import InputError
from keeve.demo.rose import HEIGHT_MM, RADIUS_MM, rose_stl
from keeve.formats.mesh_figures import read_mesh_file


def test_a_file_is_read_by_its_ending_and_its_unit() -> None:
    found = read_mesh_file(rose_stl(), "rose.STL", "mm", "z", "length", False)
    assert found["figures"]["sides_m"] == pytest.approx(
        [2 * RADIUS_MM / 1e3] * 2 + [HEIGHT_MM / 1e3], rel=1e-3
    )
    assert 0 < found["figures"]["volume_m3"] < math.prod(found["figures"]["sides_m"])
    assert found["warnings"] == []
    for name, unit, code in (
        ("rose.exe", "mm", "mesh_kind"),
        ("rose.stl", "ell", "mesh_kind"),
        ("rose.ply", "mm", "mesh_unreadable"),
    ):
        with pytest.raises(InputError) as fault:
            read_mesh_file(rose_stl(), name, unit, "z", "length", False)
        assert fault.value.code == code
    slip = read_mesh_file(rose_stl(), "rose.stl", "m", "z", "length", False)["warnings"]
    assert slip
    assert "file's unit looks wrong" in slip[0]
