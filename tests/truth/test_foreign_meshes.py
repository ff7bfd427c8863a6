"""Meshes made elsewhere: what is mended is said, what cannot be is refused in one sentence, and nothing freezes."""

from __future__ import annotations

import os
import time

import numpy as np
import pytest
import trimesh
from soak import hostile

from bouncy_latch.core.errors import Cancelled, ReadError
from bouncy_latch.core.formats import foreign, meshes, reader_process

CUBE = trimesh.creation.box((10, 10, 10))


def stl(mesh):
    return mesh.export(file_type="stl")


def without(mesh, *faces):
    made = mesh.copy()
    made.update_faces(~np.isin(np.arange(len(made.faces)), faces))
    return made


def inverted(mesh):
    made = mesh.copy()
    made.invert()
    return made


def moved(mesh, *by):
    made = mesh.copy()
    made.apply_translation(by)
    return made


def joined(*parts):
    return trimesh.util.concatenate(parts)


def turned_once(mesh, face):
    made = mesh.copy()
    made.faces[face] = made.faces[face][::-1]
    return made


def pierced():
    """One shell, connected, that overlaps itself: a cube whose top is pulled down through its floor and out sideways."""
    made = trimesh.creation.box((10, 10, 10)).subdivide().subdivide()
    top = made.vertices[:, 2] > 4.9
    middle = top & (np.abs(made.vertices[:, :2]).max(axis=1) < 3)
    made.vertices[middle, 2] = -9
    return made


def huge_header(count):
    return b"x" * 80 + int(count).to_bytes(4, "little") + bytes(50 * 4)


NESTED = joined(CUBE, inverted(trimesh.creation.box((4, 4, 4))))
MENDED = {
    "sound": (CUBE, 1, 1000, ""),
    "inside out": (inverted(CUBE), 1, 1000, "inside out; it is turned"),
    "one triangle missing": (without(CUBE, 3), 1, 1000, "small holes closed"),
    "one triangle turned": (turned_once(CUBE, 4), 1, 1000, "faced the wrong way"),
    "doubled triangles": (joined(CUBE, without(CUBE, *range(3, 12))), 1, 1000, "3 doubled triangles dropped"),
    "the same body twice": (joined(CUBE, moved(CUBE, 1e-5, 0, 0)), 1, 1000, "same body twice"),
    "two bodies": (joined(CUBE, moved(CUBE, 10.5, 0, 0)), 2, 1000, ""),
    "two bodies that share an edge": (joined(CUBE, moved(CUBE, 10, 10, 0)), 2, 1000, ""),
    "overlapping shells": (joined(CUBE, moved(CUBE, 5, 0, 0)), 1, 1500, "taken as one body"),
    "a void": (NESTED, 1, 1000 - 64, ""),
}


@pytest.mark.parametrize("name", MENDED)
def test_what_is_safe_is_mended_and_said(name, tmp_path):
    mesh, count, volume, says = MENDED[name]
    path = tmp_path / "part.stl"
    path.write_bytes(stl(mesh))
    found = foreign.read(path)

    assert [body.volume() for body in found.bodies.values()] == [pytest.approx(volume, rel=1e-3)] * count
    assert says in " ".join(found.notes)
    assert bool(says) == bool(found.notes)


BAD = {
    "empty.stl": (b"", "damaged|empty"),
    "open.stl": (stl(without(trimesh.creation.icosphere(3), *range(200))), "not a closed solid: .* edges"),
    "flat.stl": (stl(without(CUBE, *range(2, 12))), "no body|not a closed solid"),
    "metres.stl": (stl(CUBE.copy().apply_scale(0.001)), "as m it would be 10 mm"),
    "inch.stl": (stl(CUBE.copy().apply_scale(0.04)), "another unit.*as inch"),
    "huge.stl": (stl(CUBE.copy().apply_scale(1e4)), "unit"),
    "pierced.stl": (stl(pierced()), "crosses itself"),
    "nan.obj": (b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers|damaged|empty"),
    "wild.obj": (b"v 0 0 0\nf 1 2 9\n", "damaged|empty"),
    "broken.3mf": (b"PK\x03\x04 no", "damaged"),
    "words.txt": (b"hello", "not a mesh file"),
    "many.obj": (b"v 0 0 0\n" + b"f 1 1 1\n" * 2_000_001, "2000001 triangles"),
    "many.ply": (b"ply\nformat ascii 1.0\nelement vertex 3\nelement face 10000000\nend_header\n", "10000000 triangles"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_meshes_get_one_sentence(name, tmp_path):
    data, says = BAD[name]
    path = tmp_path / name
    path.write_bytes(data)
    begin = time.process_time()

    with pytest.raises(ReadError, match=says) as caught:
        foreign.read(path)
    assert "\n" not in caught.value.sentence
    assert time.process_time() - begin < 10


def test_ten_million_triangles_are_refused_before_they_are_read(tmp_path):
    """A sparse file: 500 MB that would take minutes to read."""
    path = tmp_path / "ten-million.stl"
    with path.open("wb") as stream:
        stream.write(huge_header(10_000_000)[:84])
        stream.truncate(84 + 50 * 10_000_000)
    begin = time.process_time()

    with pytest.raises(ReadError, match="simplify it first"):
        foreign.read(path)
    assert time.process_time() - begin < 2


def test_units_and_names_and_a_stop(tmp_path):
    path = tmp_path / "pin.stl"
    path.write_bytes(stl(CUBE.copy().apply_scale(0.1)))
    small = foreign.read(path)
    assert "drawn in inches" in small.notes[0]
    inch = foreign.read(path, "inch")
    assert next(iter(inch.bodies.values())).volume() == pytest.approx(25.4**3, rel=1e-4)
    both = foreign.read_all([path, path], "cm")
    assert list(both.bodies) == ["pin", "pin~"]
    with pytest.raises(Cancelled):
        foreign.read_all([path], progress=lambda _: False)
    with pytest.raises(ReadError, match="no unit 'yard'"):
        foreign.read(path, "yard")


@pytest.mark.parametrize("suffix", [".stl", ".obj", ".ply", ".3mf"])
def test_damaged_bytes_are_refused_or_read_and_nothing_else(suffix, tmp_path):
    """A sound file with bytes cut off, flipped, put in or taken out, 40 times."""
    ball = trimesh.creation.icosphere(2, radius=8)
    path = tmp_path / f"part{suffix}"
    if suffix == ".3mf":
        (tmp_path / "ball.stl").write_bytes(stl(ball))
        sound = meshes.to_3mf(foreign.read(tmp_path / "ball.stl").bodies, "ball")
    else:
        made = ball.export(file_type=suffix[1:])
        sound = made if isinstance(made, bytes) else made.encode()
    rng = np.random.default_rng(len(suffix))
    for _ in range(40):
        data, at = bytearray(sound), int(rng.integers(len(sound)))
        match rng.integers(4):
            case 0:
                del data[at:]
            case 1:
                for i in rng.integers(len(data), size=12):
                    data[i] = rng.integers(256)
            case 2:
                data[at:at] = rng.bytes(60)
            case _:
                del data[at:at + 120]
        path.write_bytes(bytes(data))
        try:
            found = foreign.read(path)
        except ReadError:
            continue
        assert all(body.volume() > 0 for body in found.bodies.values())


PLACES = {
    # 3MF core specification, "3D matrices": a point is a row in front of the matrix, whose last row moves it.
    "scaled by 2": ('<item objectid="1" transform="2 0 0 0 2 0 0 0 2 0 0 0"/>', "", [8.0], [(0, 0, 0)]),
    "placed twice": ('<item objectid="1"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 30 0 5"/>', "", [1.0, 1.0],
                     [(0, 0, 0), (30, 0, 5)]),
    "mirrored": ('<item objectid="1" transform="-1 0 0 0 1 0 0 0 1 40 0 0"/>', "", [1.0], [(31, 0, 0)]),
    "turned a quarter about z": ('<item objectid="1" transform="0 1 0 -1 0 0 0 0 1 0 0 0"/>', "", [1.0], [(-9, 0, 0)]),
    "a component moved, its whole doubled": (
        '<item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 0 0"/>',
        '<object id="2"><components><component objectid="1" transform="1 0 0 0 1 0 0 0 1 10 20 30"/></components></object>',
        [8.0], [(20, 40, 60)]),
    "not built": ("", "", [1.0], [(0, 0, 0)]),
}


@pytest.mark.parametrize("name", PLACES)
@pytest.mark.parametrize("unit", ["millimeter", "inch"])
def test_what_a_3mf_builds_stands_where_it_is_built(name, unit, tmp_path):
    build, more, volumes, corners = PLACES[name]
    path = tmp_path / "part.3mf"
    resources = f'<resources><object id="1">{hostile.TETRAHEDRON}</object>{more}</resources>'
    path.write_bytes(hostile.threemf(f"{resources}<build>{build}</build>", unit))
    found = foreign.read(path)
    scale = 25.4 if unit == "inch" else 1.0
    wanted = [pytest.approx(v * (9 * scale) ** 3 / 6, rel=1e-5) for v in volumes]
    assert [body.volume() for body in found.bodies.values()] == wanted
    assert [body.bounding_box()[:3] for body in found.bodies.values()] == [
        pytest.approx([scale * c for c in corner], abs=1e-3) for corner in corners]
    assert ("builds nothing" in " ".join(found.notes)) == (name == "not built")


@pytest.mark.parametrize(("name", "says"), [
    ("use.svg", "takes longer|more memory|corners|loose"), ("points.svg", "300000 corners"), ("arcs.svg", "arcs.svg"),
    ("segments.dxf", "30000 loose lines"), ("spline.dxf", "spline.dxf"), ("far.dxf", "far.dxf"),
    ("lie.stl", "its header says 12 triangles, there is room for 400000"), ("half.stl", "says 2000 triangles"),
    ("itself.3mf", "contain themselves|damaged"), ("many.3mf", "repeats its components"), ("deep.3mf", "contain themselves"),
    ("cubit.3mf", "unknown unit 'cubit'; 3MF knows millimeter"), ("number.latch", "a number of 301 digits"),
    ("list.latch", "gap must be a number"), ("file.latch", "names a file; a project carries its outlines itself"),
    ("many.latch", "300 items"), ("kind.latch", "mechanisms.0.kind"), ("half.latch", "damaged or no JSON")])
def test_files_made_to_harm_are_named_for_what_they_are(name, says, tmp_path):
    path = tmp_path / name
    path.write_bytes(hostile.made_to_harm()[name])
    with pytest.raises(ReadError, match=says) as caught:
        hostile.READERS[path.suffix](path)
    assert "\n" not in caught.value.sentence


def test_the_reader_process_stops_and_dies_alone(tmp_path):
    path = tmp_path / "part.stl"
    path.write_bytes(stl(CUBE))
    with pytest.raises(Cancelled):
        foreign.read(path, progress=lambda _: False)
    with pytest.raises(ReadError, match="the reader broke on it"):
        reader_process.run(os._exit, 3, name="x")
    with pytest.raises(ReadError, match="more memory than a file may take"):
        reader_process.run(np.zeros, 10**9, name="x")
    assert len(foreign.read(path).bodies) == 1, "and the next file is read by a fresh one"
