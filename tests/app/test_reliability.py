"""The window when things go wrong: work that will not stop, work that breaks, disks that refuse, files that others changed."""

from __future__ import annotations

import os
import random
import threading

import pytest
from PySide6.QtWidgets import QPushButton
from soak import window as soak

from bouncy_latch.app import __main__ as start
from bouncy_latch.app.session import workers, working
from bouncy_latch.core.errors import SaveError
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.document import empty_project
from bouncy_latch.core.project.store import Latch
from tests.app.conftest import PATIENCE, discard, picture_file

SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60">{}</svg>'


def answer(window, words):
    """Press an answer on the notice line."""
    buttons = [window._notice_actions.itemAt(i).widget() for i in range(window._notice_actions.count())]
    next(b for b in buttons if isinstance(b, QPushButton) and b.text() == words).click()


def test_closing_does_not_wait_for_work_that_will_not_stop(bench, tmp_path):
    stuck = threading.Event()
    bench.session.set_params("gap", gap=0.37)
    bench.session.proof_lane.start(lambda _report: stuck.wait())
    bench.qtbot.waitUntil(lambda: bench.session.proof_lane.busy, timeout=PATIENCE)
    bench.window.close()

    assert not bench.window.isVisible(), "the window is gone while the work still runs"
    assert not workers.close_all(0)
    assert not stuck.is_set()
    (found,) = (tmp_path / "data" / "unsaved").glob("*.latch")
    assert store.load(found).project.mechanism.params["gap"] == 0.37
    stuck.set()
    assert workers.close_all(PATIENCE)


def test_closing_while_the_outlook_runs_stops_it(bench):
    bench.session.select(next(m.id for m in bench.session.project.mechanisms if m.kind == "hook"))
    bench.session.release()
    bench.qtbot.waitUntil(lambda: bench.session.look_lane.busy, timeout=PATIENCE)
    bench.window.close()
    assert workers.close_all(PATIENCE)
    assert bench.session.view is None


@pytest.mark.parametrize("action", dict.fromkeys(soak.ACTIONS), ids=lambda action: action.__name__)
def test_every_action_of_the_long_trials_can_be_taken(bench, action, tmp_path):
    for seed in range(6):
        action(bench.window, random.Random(seed), tmp_path)


def test_an_exception_beside_the_interface_ends_in_a_sentence(bench, monkeypatch, tmp_path, capfd):
    def broken(*_args):
        raise ZeroDivisionError("no such luck")

    monkeypatch.setattr(working, "view_of", broken)
    monkeypatch.setattr(working, "full_analysis", broken)
    bench.window.show()
    bench.session.release()
    bench.qtbot.waitUntil(lambda: bool(bench.session.look_trouble) and not bench.session.proof_lane.busy, timeout=PATIENCE)

    bench.session.file_lane.start(broken)
    bench.qtbot.waitUntil(lambda: not bench.session.file_lane.busy, timeout=PATIENCE)
    assert "(ZeroDivisionError)" in bench.window.notice.text(), "reading an outline is a lane like any other"
    assert "something went wrong inside (ZeroDivisionError)" in bench.window.ruler._window.text()
    assert "working out" not in bench.window.ruler._window.text()
    assert bench.window.verdicts._again.isVisible(), "and it can be tried again"
    assert "no such luck" in (tmp_path / "data" / "trouble.log").read_text()
    assert "Traceback" not in capfd.readouterr().err
    monkeypatch.undo()
    bench.session.work_again()
    bench.settle()
    assert "all verdicts hold" in bench.window.ruler._window.text()


def test_work_that_cannot_be_kept_is_not_closed_away(bench, tmp_path, monkeypatch):
    def full(*_args):
        raise SaveError("could not write x: the disk is full; nothing was changed")

    bench.session.set_params("gap", gap=0.4)
    monkeypatch.setattr(Autosave, "keep", full)
    bench.window.close()
    assert bench.window.isVisible()
    assert "the disk is full" in bench.window.notice.text()
    assert "would be lost" in bench.window.notice.text()
    answer(bench.window, "stay")
    monkeypatch.setattr(type(bench.window), "save_as", lambda window: window.save_to(tmp_path / "elsewhere"))
    bench.window.close()
    answer(bench.window, "save elsewhere")
    assert not bench.window.isVisible()
    assert store.load(tmp_path / "elsewhere.latch").project == bench.session.project


@pytest.mark.parametrize("choice", ["keep both", "take theirs", "overwrite", "later"])
def test_a_file_changed_by_another_window_is_asked_about(bench, tmp_path, choice):
    path, session = tmp_path / "kit.latch", bench.session
    assert session.save(path)
    store.save(path, Latch(empty_project("theirs")))
    session.set_params("gap", gap=0.4)
    bench.command("Save")
    assert "kit.latch was changed by" in bench.window.notice.text()
    mine, theirs = session.project, store.load(path).project
    answer(bench.window, choice)

    beside = tmp_path / "kit-2.latch"
    assert beside.exists() == (choice == "keep both")
    assert store.load(path).project == (mine if choice == "overwrite" else theirs)
    assert session.project == (theirs if choice == "take theirs" else mine)
    assert session.dirty == (choice == "later")
    if choice == "keep both":
        assert session.path == beside
        assert session.save(), "and goes on with that"


def test_a_name_with_a_dot_replaces_no_other_file(bench, tmp_path):
    assert bench.session.save(tmp_path / "kit.latch")
    before = (tmp_path / "kit.latch").read_bytes()
    bench.window.save_to(tmp_path / "kit.v2")
    assert (tmp_path / "kit.latch").read_bytes() == before
    store.save(tmp_path / "kit.v3.latch", Latch(empty_project("other")))
    bench.window.save_to(tmp_path / "kit.v3")
    assert "kit.v3.latch is there already" in bench.window.notice.text()
    assert store.load(tmp_path / "kit.v3.latch").project.name == "other"
    answer(bench.window, "replace it")
    assert store.load(tmp_path / "kit.v3.latch").project == bench.session.project


def test_recovered_work_goes_only_when_it_is_kept_again(qtbot, tmp_path, monkeypatch):
    start.application(["test"])
    data = tmp_path / "data"
    Autosave(data / "unsaved").keep(Latch(empty_project("lost work")), None)
    (kept,) = (data / "unsaved").glob("*.latch")
    left = kept.rename(kept.with_name(kept.name.replace("-", "-ffffff-", 1)))
    window = start.open_window(None, False, data)
    monkeypatch.setattr(Autosave, "keep", lambda *_: (_ for _ in ()).throw(SaveError("the disk is full")))
    answer(window, "take it back")
    assert window.session.project.name == "lost work"
    assert left.exists(), "its successor is not on disk"
    monkeypatch.undo()
    start.offer_back(window, window.session.keeping._autosave, Autosave(data / "unsaved").find()[0])
    answer(window, "take it back")
    assert not left.exists()
    assert len(list((data / "unsaved").glob("*.latch"))) == 1
    window.new()
    assert "unsaved changes" in window.notice.text(), "recovered work is not thrown away unasked"
    discard(window)


def test_an_outline_is_read_beside_the_interface(bench, tmp_path):
    drawn, harm = tmp_path / "my own plan.svg", tmp_path / "harm.svg"
    drawn.write_text(SVG.format('<path d="M5 5 H75 V45 C60 55 20 55 5 45 Z"/>'))
    harm.write_text(SVG.format(f'<polygon points="{" ".join(f"{i % 70},{i * 7 % 50}" for i in range(5000))}"/>'))
    refused = []
    bench.session.refused.connect(lambda field, sentence: refused.append((field, sentence)))
    before = bench.session.project
    for path in (harm, drawn):
        assert bench.session.set_params("outline", outline=str(path))
        assert bench.session.project == before, "nothing waits for a file"
        bench.qtbot.waitUntil(lambda: not bench.session.file_lane.busy, timeout=PATIENCE)
    assert [s for f, s in refused if f == "outline" and s] == [
        "harm.svg: its outline has 5000 corners; at most 1500 are worked with"]
    assert bench.params.outline.startswith("outline:my-own-plan ")


def test_a_large_photo_is_scaled_and_said(bench, tmp_path):
    photo = picture_file(tmp_path / "box.jpg", (2400, 1800))
    bench.window.jobline.go(4)
    assert bench.session.record_print("free", "", photo)
    assert "scaled from 2400 × 1800" in bench.window.notice.text()
    assert len(bench.session.files[bench.session.mechanism.prints[-1].photo]) < os.path.getsize(photo)


def test_an_export_stops_and_says_so(bench, tmp_path):
    bench.window.exporting.parts(tmp_path / "out")
    answer(bench.window, "stop")
    bench.qtbot.waitUntil(lambda: not bench.window.exporting.lane.busy, timeout=PATIENCE)
    assert bench.window.notice.text() == "Stopped; nothing was written."
    assert not (tmp_path / "out").exists()
