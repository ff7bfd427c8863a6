"""A part of the user's in the window: read, pointed at, carrying a mechanism, split, and its file replaced."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF

from bouncy_latch.core.checks import LOOK, OK
from bouncy_latch.core.formats import meshes
from bouncy_latch.core.project import document, store
from bouncy_latch.core.project.document import Seated
from bouncy_latch.core.solids import mesh, tree
from tests.app.conftest import PATIENCE

EXAMPLES = Path(__file__).parents[2] / "examples"
SLAB = tree.Box(0, 0, 0, 60, 40, 10)


def written(folder, name, solid):
    path = folder / name
    path.write_bytes(meshes.to_stl(mesh.evaluate(solid), path.stem))
    return path


def taken(bench, path, run):
    """Do something with a file and wait until it was read."""
    run(path)
    bench.qtbot.waitUntil(lambda: not bench.session.file_lane.busy, timeout=PATIENCE)
    bench.settle()


def test_from_a_file_to_a_nut_in_it_to_two_halves(bench, tmp_path):
    session, window = bench.session, bench.window
    session.adopt(store.Latch(document.empty_project()), None, unsaved=False)
    taken(bench, written(tmp_path, "slab.stl", SLAB), window.reading.part)
    assert session.mechanism.name == "slab"
    assert not window.ruler.isVisible()
    assert not window.shape.trace.isVisible()
    faces = window.sheet.faces
    assert [faces.seat.itemText(i) for i in range(3)] == ["top, 60 × 40", "bottom, 60 × 40", "left, 40 × 10"]
    # What is pointed at is taken to half a millimetre; in the air there is nothing.
    session.point_at((15.1, 20.2, 10.0))
    assert faces.chosen == (session.project.selected, Seated(seat="face:top", at=(15.0, 20.0)))
    assert faces.trouble.text() == "10.0 mm of plastic behind it"
    session.point_at((15.0, 20.0, 5.0))
    assert faces.trouble.text().startswith("No flat face is there")
    # An upright face takes what reaches out of it, a face that looks down nothing.
    faces.show_seat(Seated(seat="face:front"))
    kinds = [faces.kind.itemData(i) for i in range(faces.kind.count())]
    assert "hook" in kinds
    assert "nut-pocket" not in kinds
    faces.show_seat(Seated(seat="face:bottom"))
    assert not faces.add_button.isEnabled()
    faces.show_seat(Seated(seat="face:top", at=(15.0, 20.0)))
    faces.kind.setCurrentIndex(faces.kind.findData("nut-pocket"))
    faces.add_button.click()
    bench.settle()
    nut = next(each for each in session.project.mechanisms if each.kind == "nut-pocket")
    assert session.mechanism.name == "slab", "the part stays in view"
    assert nut.params["floor"] == 5.2
    assert bench.verdict("Everything on it works")
    assert bench.verdict("Nut pocket: nut pressed in")
    # Its own page says where it sits, and moves it.
    session.select(nut.id)
    bench.settle()
    seats = window.sheet.seats
    assert seats.hosts["pocket"].currentText() == "slab"
    assert seats.editors["pocket", "u"].text() == "15.0"
    seats._enter_on_face("pocket", "u", "300", None)
    assert "lies beside the face top" in seats.troubles["pocket"].text()
    seats._enter_on_face("pocket", "u", "30", None)
    assert session.mechanism.sits[0].where.x == 30
    session.select("part-1")
    bench.settle()
    taken(bench, written(tmp_path, "taller.stl", tree.Box(0, 0, 0, 60, 40, 12)), session.replace_part_file)
    assert window.notice.text().startswith("taller.stl put in its place. Nut pocket moved by 2.00 mm with face:top")
    faces = window.sheet.faces
    faces.plane.setText("x=90")
    faces._on_plane()
    assert "misses the part" in faces.section.text()
    faces.plane.setText("y=10")
    faces._on_plane()
    assert faces.section.text() == "section 720 mm²"
    faces.split_button.click()
    bench.settle()
    assert [each.name for each in session.project.mechanisms] == ["slab", "Nut pocket", "slab back"]
    assert {check.verdict for check in session.checks} == {OK}
    session.undo()
    assert [each.name for each in session.project.mechanisms] == ["slab", "Nut pocket"]


def test_a_part_drawn_in_metres_is_asked_about(bench, tmp_path):
    small = written(tmp_path, "slab.stl", tree.Box(0, 0, 0, 0.06, 0.04, 0.01))
    before = len(bench.session.project.mechanisms)
    taken(bench, small, bench.window.reading.part)
    assert "is it in another unit?" in bench.window.notice.text()
    assert len(bench.session.project.mechanisms) == before
    answers = bench.window._notice.answers
    offered = {answers.itemAt(i).widget().text(): answers.itemAt(i).widget() for i in range(answers.count())}
    assert list(offered) == ["cm", "m", "inch", "leave it"]
    taken(bench, small, lambda _: offered["m"].click())
    assert bench.session.mechanism.name == "slab"
    assert bench.session.solution.value("across") == pytest.approx(60.0)


def test_a_click_in_the_view_meets_the_face_under_it(bench):
    from bouncy_latch.app.stage.view import Stage3D

    session = bench.session
    session.add("part", shape="block")
    bench.settle()
    stage = Stage3D(bench.window)
    stage.resize(600, 400)
    stage.show_solution(session.solution, session.solution.motion, 0.0)
    met = []
    stage.pointed.connect(lambda body, point: met.append((body, point)))
    (there,) = stage.on_screen(np.array([[15.0, 20.0, 10.0]]))
    stage.clicked_at(there)
    assert met[0][0] == "A"
    assert max(abs(a - b) for a, b in zip(met[0][1], (15.0, 20.0, 10.0), strict=True)) < 0.3
    stage.clicked_at(QPointF(2, 2))
    assert len(met) == 1, "beside the part there is nothing"
    stage.release_window()
    stage.deleteLater()


def test_a_tray_opens_moves_and_is_exported_by_its_hinge(bench, tmp_path):
    """The example's two halves with a hinge, a nut, a hook and clips: the base says what makes it, the hinge writes both."""
    shutil.copy(EXAMPLES / "tray.latch", tmp_path / "tray.latch")
    session, window = bench.session, bench.window
    assert session.open(tmp_path / "tray.latch")
    session.select("part-1")
    bench.settle()
    window.exporting.parts(tmp_path / "none")
    assert window.notice.text().startswith("base is printed joined by hinge")
    session.select("knuckle-hinge-1")
    bench.settle()
    assert {check.verdict for check in session.proof.checks} <= {OK, LOOK}, "closed, nothing on the base meets the cover"
    bench.export(tmp_path / "out")
    assert {path.name for path in (tmp_path / "out").glob("*.stl")} == {"base.stl", "cover.stl"}
