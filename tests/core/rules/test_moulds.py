"""Moulds: a container less its model, and volumes of meshes against closed forms."""

import io
import math
import struct
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc
from keeve.core.rules.mesh import MOST_TRIANGLES, mesh_of
from keeve.core.rules.mesh_section import Up, upright
from keeve.core.rules.moulds import mould_volume, sphere_cap_volume

SPHERE = trimesh.creation.icosphere(subdivisions=5, radius=2)
TORUS = trimesh.creation.torus(major_radius=5, minor_radius=1, major_sections=256, minor_sections=128)
CYLINDER = trimesh.creation.cylinder(radius=1, height=3, sections=256)
CONE = trimesh.creation.revolve(np.array([[0, 0], [2, 0], [1, 3], [0, 3]]), sections=256)
BLOCK = trimesh.creation.box((100, 60, 40))


def stl(mesh: Any) -> bytes:
    """The mesh as a binary STL."""
    content: bytes = mesh.export(file_type="stl")
    return content


def test_a_mould_in_three_pours() -> None:
    """260 in³ of container, 92 of model: three pours of 56 (common practice, no source)."""
    inch = 0.0254**3
    found = mould_volume(container_m3=260 * inch, model_m3=92 * inch, pieces=3)
    assert found.per_piece_m3 / inch == pytest.approx(56)
    with pytest.raises(InputError, match="model_m3"):
        mould_volume(container_m3=1, model_m3=1)


def test_a_cap_as_high_as_its_radius_is_half_a_sphere() -> None:
    assert sphere_cap_volume(base_diameter_m=2, height_m=1).volume_m3 == pytest.approx(2 / 3 * math.pi)
    assert sphere_cap_volume(base_diameter_m=1e-9, height_m=2).volume_m3 == pytest.approx(4 / 3 * math.pi)


@pytest.mark.parametrize("kind", ["stl", "obj", "ply", "3mf"])
@pytest.mark.parametrize(
    ("mesh", "volume"),
    [
        (SPHERE, 4 / 3 * math.pi * 8),
        (TORUS, 2 * math.pi**2 * 5),
        (CYLINDER, 3 * math.pi),
        (CONE, math.pi * (4 + 2 + 1)),
    ],
    ids=["sphere", "torus", "cylinder", "frustum"],
)
def test_meshes_against_closed_forms(mesh: Any, volume: float, kind: str) -> None:
    content = mesh.export(file_type=kind)
    found = mesh_of(content.encode() if isinstance(content, str) else content, kind)
    assert found.volume == pytest.approx(volume, rel=5e-3)


def test_a_mesh_against_a_sampled_grid() -> None:
    """The share of a grid of points that a torus holds, by its own equation."""
    axis = np.arange(-6 + 0.025, 6, 0.05)
    x, y, z = np.meshgrid(axis, axis, axis[np.abs(axis) <= 1.2])
    inside = (np.hypot(x, y) - 5) ** 2 + z**2 <= 1
    assert mesh_of(stl(TORUS), "stl").volume == pytest.approx(inside.sum() * 0.05**3, rel=5e-3)


def test_a_mesh_far_from_the_origin_keeps_its_volume() -> None:
    moved = BLOCK.copy()
    moved.apply_translation((1e5, -2e5, 3e5))
    assert mesh_of(moved.export(file_type="ply"), "ply").volume == pytest.approx(240_000, rel=1e-4)


def test_a_mesh_inside_out_is_turned() -> None:
    turned = BLOCK.copy()
    turned.invert()
    assert mesh_of(stl(turned), "stl").volume == pytest.approx(240_000)


def opened(mesh: Any, *gone: int) -> bytes:
    """The mesh without some triangles."""
    left = mesh.copy()
    left.update_faces(~np.isin(np.arange(len(left.faces)), gone))
    return stl(left)


def test_an_open_mesh_is_refused_with_the_place() -> None:
    with pytest.raises(
        InputError, match=r"open along 3 edges, the first near x -?50, y -?\d+, z -?\d"
    ) as fault:
        mesh_of(opened(BLOCK, 0), "stl")
    assert fault.value.meant == {"close_holes": True}


@pytest.mark.parametrize("gone", [(0,), (0, 1, 2), (5, 400, 7000), tuple(range(40))])
def test_small_holes_can_be_closed(gone: tuple[int, ...]) -> None:
    closed = mesh_of(opened(SPHERE, *gone), "stl", close_holes=True)
    assert closed.volume == pytest.approx(4 / 3 * math.pi * 8, rel=5e-3)


def test_half_a_sphere_is_no_small_gap() -> None:
    half = trimesh.creation.uv_sphere(radius=2, count=(64, 256))
    half.update_faces(half.triangles_center[:, 2] > 0.3)
    with pytest.raises(InputError, match="isn't closed"):
        mesh_of(stl(half), "stl", close_holes=True)


def package(members: dict[str, bytes]) -> bytes:
    """A zip file of these members."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for name, content in members.items():
            file.writestr(name, content)
    return out.getvalue()


BOMB = b'<?xml version="1.0"?><!DOCTYPE l [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><model>&b;</model>'
NAN = struct.pack("<80xI", 1) + struct.pack("<12fH", *[math.nan] * 12, 0)


@pytest.mark.parametrize(
    ("content", "kind", "code"),
    [
        (b"", "stl", "mesh_unreadable"),
        (b"solid nothing\nendsolid", "stl", "mesh_unreadable"),
        (struct.pack("<80xI", 4_000_000_000), "stl", "mesh_too_large"),
        (struct.pack("<80xI", MOST_TRIANGLES), "stl", "mesh_unreadable"),
        (NAN, "stl", "mesh_unreadable"),
        (b"ply\nformat ascii 1.0\nelement vertex 999999999999\nproperty float x\nend_header\n", "ply",
         "mesh_unreadable"),
        (b"v 0 0 0\nf 1 2 999999999\n", "obj", "mesh_unreadable"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "obj", "mesh_open"),
        (b"PK not a package", "3mf", "mesh_unreadable"),
        (package({"3D/3dmodel.model": BOMB}), "3mf", "mesh_unreadable"),
        (package({"3D/3dmodel.model": b"<" + b" " * 450_000_000}), "3mf", "mesh_too_large"),
        (package({f"{n}.txt": b"" for n in range(300)}), "3mf", "mesh_too_large"),
        (b"", "exe", "mesh_kind"),
    ],
)  # fmt: skip
def test_hostile_files_are_refused(content: bytes, kind: str, code: str) -> None:
    with pytest.raises(InputError) as fault:
        mesh_of(content, kind)
    assert fault.value.code == code


def test_the_rule_reads_a_file_and_its_unit(tmp_path: Path) -> None:
    file = tmp_path / "block.stl"
    file.write_bytes(stl(BLOCK))
    found = calc("mesh-volume", {"file": str(file), "unit": "mm"})
    assert found["volume_m3"] == pytest.approx(0.00024)
    assert found["bounds_m"] == pytest.approx([0.1, 0.06, 0.04])
    assert found["warnings"] == []
    (slip,) = calc("mesh-volume", {"file": str(file), "unit": "m"})["warnings"]
    assert slip["meant"] == {"unit": "mm"}
    with pytest.raises(InputError, match="file cannot be read"):
        calc("mesh-volume", {"file": str(tmp_path / "none.stl"), "unit": "mm"})


def test_no_rule_that_reads_files_is_among_those_that_are_served() -> None:
    assert "mesh-volume" not in all_rules()


@pytest.mark.parametrize(("up", "sides"), [("z", (1, 2, 3)), ("y", (3, 1, 2)), ("-x", (2, 3, 1))])
def test_a_mesh_is_turned_and_keeps_its_volume(up: Up, sides: tuple[float, ...]) -> None:
    block = mesh_of(stl(trimesh.creation.box((1, 2, 3))), "stl")
    found = upright(block, up)
    assert found.sides == pytest.approx(sides)
    assert math.prod(found.sides) == pytest.approx(block.volume)
    assert found.below == pytest.approx(np.linspace(0, 1, 21).tolist(), abs=1e-4)


def test_how_a_mesh_fills_is_its_cross_sections() -> None:
    """Half way up a cone 1 − 1/8 of it is filled; half way up a sphere, or a torus on its side, half."""
    cone = mesh_of(stl(trimesh.creation.cone(radius=1, height=3, sections=64)), "stl")
    assert upright(cone).below[10] == pytest.approx(1 - 1 / 8, abs=1e-3)
    assert upright(cone, "-z").below[10] == pytest.approx(1 / 8, abs=1e-3)
    for mesh, up in ((SPHERE, "z"), (TORUS, "x")):
        below = upright(mesh_of(stl(mesh), "stl"), up).below
        assert below == sorted(below)
        assert below[10] == pytest.approx(0.5, abs=1e-3)


def test_the_section_of_a_torus_is_two_circles_and_of_a_block_its_corners() -> None:
    rings = upright(mesh_of(stl(TORUS), "stl"), cut="length").outline
    assert len(rings) == 2
    for ring in rings:
        x, z = np.array(ring).T
        middle = round(float(x.mean()) * 12 - 6)
        assert abs(middle) == 5
        assert np.hypot(x * 12 - 6 - middle, z * 2 - 1) == pytest.approx(np.ones(len(ring)), abs=0.01)
    (block,) = upright(mesh_of(stl(BLOCK), "stl"), cut="width").outline
    assert {(round(x), round(z)) for x, z in block} == {(0, 0), (0, 1), (1, 0), (1, 1)}
    assert len(block) <= 8
