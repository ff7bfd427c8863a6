"""Exported files as other libraries see them: trimesh, lib3mf and the STEP reader of the B-rep kernel."""

from __future__ import annotations

import csv
import io

import lib3mf
import numpy as np
import pytest
import trimesh

from bouncy_latch.core.errors import ParamError, SaveError
from bouncy_latch.core.formats import foreign, meshes
from bouncy_latch.core.project import delivery
from bouncy_latch.core.solids import brep, mesh


@pytest.fixture(scope="module")
def written(tmp_path_factory, solved):
    folder = tmp_path_factory.mktemp("parts") / "new"
    solution = solved(host="box", knuckles=5)
    return solution, {p.name: p for p in delivery.export(solution, "tin", folder, delivery.FORMATS)}


def test_files_are_named_after_their_bodies(written):
    assert set(written[1]) == {"tin-A.stl", "tin-B.stl", "tin.3mf", "tin.step", "tin.csv"}


@pytest.mark.parametrize("body", ["A", "B"])
def test_trimesh_reads_closed_solids_in_print_pose(written, body):
    solution, paths = written
    read = trimesh.load(paths[f"tin-{body}.stl"])
    made = mesh.evaluate(solution.bodies[body])

    assert read.is_watertight
    assert read.is_winding_consistent
    assert read.volume == pytest.approx(made.volume(), rel=1e-5)
    assert np.allclose(read.bounds.ravel(), made.bounding_box(), atol=1e-4)
    assert read.bounds[0, 2] == pytest.approx(0, abs=1e-6)


def test_lib3mf_reads_units_names_and_counts(written):
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(written[1]["tin.3mf"]))
    items, found = model.GetBuildItems(), 0
    while items.MoveNext():
        found += 1
    objects = model.GetMeshObjects()
    names = []
    while objects.MoveNext():
        item = objects.GetCurrentMeshObject()
        names.append(item.GetName())
        assert item.IsManifoldAndOriented()
        assert item.GetTriangleCount() > 500

    assert model.GetUnit() == lib3mf.ModelUnit.MilliMeter
    assert names == ["tin-A", "tin-B"]
    assert found == 2
    assert [name for name, _ in meshes.names_in_3mf(written[1]["tin.3mf"].read_bytes())] == names


def test_the_step_reader_finds_the_same_volumes_and_names(written):
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.STEPControl import STEPControl_Reader

    solution, paths = written
    reader = STEPControl_Reader()
    assert reader.ReadFile(str(paths["tin.step"])) == IFSelect_RetDone
    reader.TransferRoots()
    volume, _ = brep.volume_and_centroid(reader.OneShape())
    text = paths["tin.step"].read_text()

    assert volume == pytest.approx(sum(mesh.evaluate(s).volume() for s in solution.bodies.values()), rel=5e-3)
    assert "PRODUCT('tin-A'" in text
    assert "PRODUCT('tin-B'" in text
    assert "SI_UNIT(.MILLI.,.METRE.)" in text


def test_the_dimension_table_names_unit_and_source(written):
    rows = list(csv.DictReader(io.StringIO(written[1]["tin.csv"].read_text())))
    found = {row["name"]: row for row in rows}

    assert found["barrel"]["value"] == "5.3"
    assert found["barrel"]["unit"] == "mm"
    assert "wall" in found["barrel"]["source"]
    assert all(row["unit"] or row["role"] in {"given", "chosen"} for row in rows)


def test_what_is_written_is_read_back(written):
    for name in ("tin-A.stl", "tin.3mf"):
        bodies = foreign.read(written[1][name]).bodies
        assert len(bodies) == (2 if name.endswith("3mf") else 1)
        first = next(iter(bodies.values()))
        assert first.volume() == pytest.approx(mesh.evaluate(written[0].bodies["A"]).volume(), rel=1e-4)


def test_an_export_is_whole_or_not_at_all(tmp_path, solved, monkeypatch):
    solution = solved()
    with pytest.raises(ParamError, match="no export format 'obj'"):
        delivery.export(solution, "x", tmp_path / "out", ("stl", "obj"))
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    with pytest.raises(SaveError, match="cannot be made"):
        delivery.export(solution, "x", blocked / "out")

    def full(_descriptor):
        raise OSError(28, "full")

    monkeypatch.setattr("bouncy_latch.core.files.os.fsync", full)
    with pytest.raises(SaveError, match="disk is full"):
        delivery.export(solution, "x", tmp_path / "out", ("stl",))
    assert list((tmp_path / "out").iterdir()) == []
