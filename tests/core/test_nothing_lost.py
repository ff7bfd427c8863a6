"""Saved work is never refused and never overwritten unseen, whatever the file system and other programs do."""

from __future__ import annotations

import errno
import io
import json
import os
import resource
import subprocess
import sys
import threading
from dataclasses import replace
from pathlib import Path

import pytest
from PIL import Image

from bouncy_latch.core import files, process_token
from bouncy_latch.core.errors import ReadError, SaveError
from bouncy_latch.core.files import ChangedError
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project import photos, store, troublelog
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.document import empty_project
from bouncy_latch.core.project.folders import trouble_of
from bouncy_latch.core.project.store import Latch
from tests.core.test_project import with_photo


def named(name):
    return Latch(empty_project(name))


def name_in(path):
    return store.from_bytes(path.read_bytes(), path.name).project.name


def test_a_file_system_without_hard_links_keeps_the_last_copy_too(tmp_path, monkeypatch):
    def refuse(*_args, **_more):
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(files.os, "link", refuse)
    path = tmp_path / "kit.latch"
    for name in ("one", "two", "three"):
        store.save(path, named(name))
    assert (name_in(path), name_in(tmp_path / "kit.latch.last")) == ("three", "two")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["kit.latch", "kit.latch.last"]


def test_a_link_stays_a_link_and_leads_to_no_device(tmp_path):
    (tmp_path / "far").mkdir()
    target, link = tmp_path / "far" / "kit.latch", tmp_path / "kit.latch"
    store.save(target, named("old"))
    link.symlink_to(target)
    store.save(link, named("new"))
    assert link.is_symlink()
    assert (name_in(target), name_in(tmp_path / "far" / "kit.latch.last")) == ("new", "old")
    (tmp_path / "null.latch").symlink_to("/dev/null")
    with pytest.raises(SaveError, match="is a device; nothing was changed"):
        store.save(tmp_path / "null.latch", named("x"))
    os.mkfifo(tmp_path / "pipe.latch")
    for path, says in ((tmp_path / "null.latch", "a device"), (tmp_path / "pipe.latch", "a pipe"), (tmp_path, "a folder"),
                       (tmp_path / "gone.latch", "no such file")):
        with pytest.raises(ReadError, match=says):
            store.load(path)


def test_a_file_changed_by_somebody_else_is_noticed(tmp_path):
    path = tmp_path / "kit.latch"
    stamp = store.save(path, named("mine"))
    stamp = store.save(path, named("mine again"), stamp)
    os.utime(path, (1, 1))
    stamp = store.save(path, named("touched is not changed"), stamp)
    store.save(path, named("theirs"))
    with pytest.raises(ChangedError, match=r"kit\.latch was changed by \w+ in another window or session at 20\d\d-"):
        store.save(path, named("mine"), stamp)
    assert name_in(path) == "theirs"
    path.write_bytes(store.to_bytes(named("by a script")))
    with pytest.raises(ChangedError, match=r"by another program \(\w+\) at 20"):
        store.save(path, named("mine"), stamp)
    assert store.save(path, named("over"), store.load(path).stamp)
    path.unlink()
    assert store.save(path, named("anew"), stamp), "what is gone cannot be overwritten"


def test_savers_at_once_never_fail(tmp_path):
    path, failed = tmp_path / "kit.latch", []

    def saver(who):
        try:
            for i in range(25):
                store.save(path, named(f"{who} {i}"))
        except Exception as error:  # any at all is what must not happen
            failed.append(error)

    threads = [threading.Thread(target=saver, args=(who,)) for who in "abcd"]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []
    assert name_in(path).endswith("24")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["kit.latch", "kit.latch.last"]


@pytest.mark.parametrize(("typed", "saved"), [("kit", "kit.latch"), ("kit.v2", "kit.v2.latch"), ("kit.latch", "kit.latch"),
                                              ("a.b.LATCH", "a.b.LATCH")])
def test_only_a_missing_suffix_is_added(typed, saved):
    assert store.with_suffix(Path("/x") / typed) == Path("/x") / saved


def picture(size, kind="PNG", orientation=None):
    image = Image.effect_noise(size, 90).convert("RGB")
    exif = Image.Exif()
    if orientation:
        exif[0x0112] = orientation
        exif[0x010E] = "taken at home"
    out = io.BytesIO()
    image.save(out, kind, exif=exif)
    return out.getvalue()


def test_photos_are_scaled_down_and_eleven_large_ones_open_again(tmp_path):
    photo = tmp_path / "box.jpg"
    photo.write_bytes(picture((3000, 2000), "JPEG", orientation=6))
    taken = photos.taken(photo)
    small = Image.open(io.BytesIO(taken.data))
    assert small.size == (1067, 1600), "turned upright, its longer edge 1600"
    assert not small.getexif(), "where and when it was taken is nobody's business"
    assert "scaled from 3000 × 2000" in taken.told
    assert len(taken.data) < len(photo.read_bytes())
    (tmp_path / "tiny.png").write_bytes(picture((40, 30)))
    assert photos.taken(tmp_path / "tiny.png").data == (tmp_path / "tiny.png").read_bytes()
    (tmp_path / "bad.png").write_bytes(picture((300, 200))[:900])
    with pytest.raises(ReadError, match="no sound PNG"):
        photos.taken(tmp_path / "bad.png")

    project, blobs = with_photo().project, {}
    mechanism = project.mechanisms[0]
    prints = []
    for i in range(11):
        blobs[f"photos/{i}.jpg"] = os.urandom(1 << 20) * 19 + os.urandom(1 << 19)
        prints.append(mechanism.prints[0].model_copy(update={"id": f"p{i}", "photo": f"photos/{i}.jpg"}))
    project = project.with_mechanism(mechanism.model_copy(update={"prints": tuple(prints)}))
    store.save(tmp_path / "old.latch", Latch(project, blobs))
    assert len(store.load(tmp_path / "old.latch").files) == 11
    with pytest.raises(SaveError, match="larger than any project file"):
        store.save(tmp_path / "more.latch", Latch(project, dict.fromkeys(blobs, b"x" * (40 << 20))))


def test_an_export_that_fails_in_the_middle_says_what_is_written(tmp_path, monkeypatch):
    wanted = {tmp_path / f"{name}.stl": name.encode() for name in "abc"}
    replace_file, done = os.replace, []

    def second_fails(source, target):
        if len(done) == 1:
            raise OSError(errno.EIO, "I/O error")
        done.append(target)
        replace_file(source, target)

    monkeypatch.setattr(files.os, "replace", second_fails)
    with pytest.raises(SaveError, match=r"could not write b\.stl .*; written were a\.stl, not written b\.stl, c\.stl"):
        files.write_all(wanted)
    assert [p.name for p in tmp_path.iterdir()] == ["a.stl"]


def test_part_files_of_the_dead_are_cleaned_and_of_the_living_left(tmp_path):
    dead = process_token.token().rsplit("-", 1)[0] + "-1"  # this process number, but another start: the number was given away
    assert not process_token.runs(dead)
    assert process_token.runs(process_token.token())
    for token in (dead, process_token.token(), "ffffff-1-1"):
        (tmp_path / f".kit.latch.{token}.0a1b2c3d.part").write_bytes(b"x")
    (tmp_path / ".mine.part").write_bytes(b"somebody's own")
    assert [p.name for p in files.clean(tmp_path)] == [f".kit.latch.{dead}.0a1b2c3d.part"]
    assert len(list(tmp_path.iterdir())) == 3


def test_unsaved_work_is_offered_though_its_process_number_is_taken(tmp_path):
    keeper = Autosave(tmp_path)
    latch = store.load(path) if store.save(path := tmp_path / "kit.latch", named("saved")) else None
    keeper.keep(replace(latch, project=empty_project("unsaved")), path)
    (kept,) = tmp_path.glob(f"*-{process_token.token()}.latch")
    reused = kept.with_name(kept.name.replace(process_token.token(), process_token.token().rsplit("-", 1)[0] + "-7"))
    kept.rename(reused)
    (found,) = [r for r in Autosave(tmp_path).find() if r.kept == reused]
    assert (found.path, found.latch.project.name) == (path, "unsaved")
    store.save(path, named("theirs"))
    with pytest.raises(ChangedError):
        store.save(path, found.latch, found.latch.stamp)
    # A session of old kept where it belongs in a file of its own, and the process number only.
    old = tmp_path / "0123456789ab-1.latch"
    old.write_bytes(store.to_bytes(named("of old")))
    old.with_suffix(".json").write_text(json.dumps({"path": "/x/kit.latch"}))
    assert Path("/x/kit.latch") in [r.path for r in Autosave(tmp_path).find()]


@pytest.mark.parametrize(("code", "write", "says"), [
    ("SQLITE_FULL", True, "the disk is full"), ("SQLITE_READONLY", True, "may only be read"),
    ("SQLITE_CANTOPEN", False, "cannot be opened there"), ("SQLITE_IOERR", True, "does not answer"),
    ("SQLITE_BUSY", True, "in use by another program"), ("SQLITE_CORRUPT", False, "damaged")])
def test_what_the_disk_does_is_not_called_damage(tmp_path, code, write, says):
    import sqlite3

    error = sqlite3.OperationalError("x")
    error.sqlite_errorcode = getattr(sqlite3, code)
    found = Evidence(tmp_path / "evidence.sqlite")._refused(error, write)
    assert says in found.sentence
    assert ("damaged" in found.sentence) == (says == "damaged")


def test_a_missing_or_full_data_folder_is_one_sentence(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("no folder")
    assert "a file stands where a folder belongs" in trouble_of(tmp_path / "file" / "data")
    assert trouble_of(tmp_path / "fine") == ""
    with pytest.raises(SaveError, match="a file stands where a folder belongs"):
        Autosave(tmp_path / "file" / "data").keep(named("x"), None)
    for argv in (["evidence", "add", "hook", "--process", "heron-pla-slate-020", "--value", "9", "--outcome", "snaps in"],
                 ["evidence", "show"], ["solve", "knuckle-hinge", "--quick"]):
        # A file system that is full: nothing may grow beyond a page.
        run = subprocess.run([sys.executable, "-m", "bouncy_latch.shell", *argv], capture_output=True, text=True, check=False,
                             env={**os.environ, "BOUNCY_DATA": str(tmp_path / "full")},
                             preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (1024, 1024)))
        assert run.stderr.count("\n") == (run.returncode != 0)
        assert "Traceback" not in run.stderr
        assert (run.returncode, "evidence.sqlite" in run.stderr) == ((2, True) if argv[1] == "add" else (0, False))
    monkeypatch.setenv("BOUNCY_DATA", str(tmp_path / "file" / "data"))
    monkeypatch.setattr(troublelog.tempfile, "gettempdir", lambda: str(tmp_path))
    assert "ZeroDivisionError" in troublelog.noted(ZeroDivisionError("x")), "even this goes somewhere"
