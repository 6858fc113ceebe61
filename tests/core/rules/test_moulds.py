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


def boxes(*sizes: tuple[tuple[float, float, float], tuple[float, float, float], bool]) -> Any:
    """Boxes in one mesh, each by its side, its middle and whether it is inside out."""
    found = []
    for side, middle, inside_out in sizes:
        box = trimesh.creation.box(side)
        box.apply_translation(middle)
        if inside_out:
            box.invert()
        found.append(box)
    return trimesh.util.concatenate(found)


ONE, HALF = (1.0, 1.0, 1.0), (0.5, 0.5, 0.5)
MIDDLE = (0.0, 0.0, 0.0)


@pytest.mark.parametrize("kind", ["stl", "obj", "ply"])
@pytest.mark.parametrize(
    ("mesh", "volume", "overlap", "hollow"),
    [
        (boxes((ONE, MIDDLE, False), (ONE, (0.5, 0, 0), False)), 1.5, 0.5, 0),
        (boxes((ONE, MIDDLE, False), (ONE, (0.5, 0, 0), True)), 1.5, 0.5, 0),
        (boxes((ONE, MIDDLE, False), (HALF, MIDDLE, False)), 1, 0.125, 0),
        (boxes((ONE, MIDDLE, False), (HALF, MIDDLE, True)), 0.875, 0, 0.125),
        (boxes((ONE, MIDDLE, True), (HALF, MIDDLE, False)), 0.875, 0, 0.125),
        (boxes((ONE, MIDDLE, False), (ONE, (1, 0, 0), False)), 2, 0, 0),
        (boxes((ONE, MIDDLE, False), (ONE, (1, 1, 0), False)), 2, 0, 0),
        (boxes((ONE, MIDDLE, False), (HALF, (0.75, 0, 0), False)), 1.125, 0, 0),
        (boxes((ONE, MIDDLE, False), (ONE, (5, 0, 0), True)), 2, 0, 0),
    ],
    ids=["half", "half inside out", "nested", "hollow", "all inside out", "face", "edge", "on it", "apart"],
)
def test_bodies_of_a_mesh_are_united(
    mesh: Any, volume: float, overlap: float, hollow: float, kind: str
) -> None:
    """By hand: what two share counts once; inside out in another it is a hollow, elsewhere wound the wrong way."""
    content = mesh.export(file_type=kind)
    found = mesh_of(content.encode() if isinstance(content, str) else content, kind)
    assert (found.volume, found.overlap, found.hollow) == pytest.approx((volume, overlap, hollow), abs=1e-6)
    assert found.bodies == 2
    assert upright(found).below[-1] == 1


@pytest.mark.parametrize("seed", range(8))
def test_blocks_that_touch_keep_each_its_volume(seed: int) -> None:
    """Random blocks of a grid share faces, edges and corners, whatever the order of their triangles."""
    chance = np.random.default_rng(seed)
    places = [place for place in np.ndindex(3, 3, 3) if chance.random() < 0.5] or [(0, 0, 0)]
    touching = boxes(*((ONE, place, False) for place in places))
    touching.merge_vertices()
    touching.faces = touching.faces[chance.permutation(len(touching.faces))]
    found = mesh_of(stl(touching), "stl")
    assert (found.volume, found.overlap) == pytest.approx((len(places), 0), abs=1e-5)


def test_triangles_that_bound_nothing_are_refused_with_the_place() -> None:
    """One of two blocks on an edge has a triangle the wrong way round; three sheets meet at an edge."""
    edge = boxes((ONE, MIDDLE, False), (ONE, (1, 1, 0), False))
    edge.faces[0] = edge.faces[0][::-1]
    fin = trimesh.Trimesh(
        [(0, 0, 0), (0, 0, 1), (1, 0, 0), (0, 1, 0), (-1, -1, 0)], [(0, 1, 2), (0, 1, 3), (0, 1, 4)]
    )
    for mesh, code in ((edge, "mesh_crowded"), (fin, "mesh_open")):
        with pytest.raises(InputError, match="near x") as fault:
            mesh_of(stl(mesh), "stl")
        assert fault.value.code == code


@pytest.mark.parametrize("seed", range(12))
def test_random_bodies_hold_as_many_points_as_they_should(seed: int) -> None:
    """The share of random points that lie in any of some boxes and balls, by their own equations."""
    chance = np.random.default_rng(seed)
    points = chance.uniform(-1.5, 1.5, (200_000, 3))
    held, meshes = np.zeros(len(points), dtype=bool), []
    for _ in range(chance.integers(2, 7)):
        middle = chance.uniform(-0.8, 0.8, 3)
        if chance.random() < 0.5:
            side = chance.uniform(0.2, 1.2, 3)
            meshes.append(trimesh.creation.box(side))
            held |= (np.abs(points - middle) <= side / 2).all(axis=1)
        else:
            radius = chance.uniform(0.2, 0.6)
            meshes.append(trimesh.creation.icosphere(subdivisions=4, radius=radius))
            held |= np.linalg.norm(points - middle, axis=1) <= radius
        meshes[-1].apply_translation(middle)
    found = mesh_of(stl(trimesh.util.concatenate(meshes)), "stl")
    assert found.volume == pytest.approx(held.mean() * 27, rel=0.03)
    assert found.volume + found.overlap == pytest.approx(sum(mesh.volume for mesh in meshes), rel=1e-5)


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


def test_the_rule_says_what_it_made_of_several_bodies(tmp_path: Path) -> None:
    file = tmp_path / "two.stl"
    for inside_out, code, words in (
        (False, "mesh_overlap", "overlap by 125 L"),
        (True, "mesh_hollow", "hollow of 125 L"),
    ):
        file.write_bytes(stl(boxes((ONE, MIDDLE, False), (HALF, MIDDLE, inside_out))))
        (told,) = calc("mesh-volume", {"file": str(file), "unit": "m"})["warnings"]
        assert told["code"] == code
        assert words in told["message"]


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
