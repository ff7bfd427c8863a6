"""Documents, undo, the project file against hostile input and failing disks, and recovery after a kill."""

from __future__ import annotations

import errno
import io
import json
import os
import signal
import subprocess
import sys
import textwrap
import zipfile
from importlib import resources
from pathlib import Path

import pytest

from bouncy_latch.core import files
from bouncy_latch.core.errors import ParamError, ReadError, SaveError
from bouncy_latch.core.project import demo, store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.bench import designed
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.document import empty_project, new_mechanism
from bouncy_latch.core.project.history import History
from bouncy_latch.core.project.store import Latch

PHOTO = "photos/knuckle-hinge-1-4.png"


def with_photo():
    project = demo_project()
    mechanism = project.mechanisms[0]
    record = mechanism.prints[0].model_copy(update={"id": "print-9", "photo": PHOTO})
    changed = mechanism.model_copy(update={"prints": (*mechanism.prints, record)})
    return Latch(project.with_mechanism(changed), {PHOTO: b"\x89PNG picture", "photos/unused.png": b"x"})


def test_what_is_saved_is_what_is_loaded(tmp_path):
    path = tmp_path / "kit.latch"
    store.save(path, with_photo())
    again = store.load(path)

    assert again.project == with_photo().project
    assert dict(again.files) == {PHOTO: b"\x89PNG picture"}
    assert store.to_bytes(again) == store.to_bytes(with_photo()), "the same project gives the same bytes"


def test_the_last_good_copy_stays(tmp_path):
    path = tmp_path / "kit.latch"
    store.save(path, Latch(empty_project("old")))
    store.save(path, Latch(empty_project("new")))

    assert store.load(path).project.name == "new"
    assert store.from_bytes((tmp_path / "kit.latch.last").read_bytes(), "x").project.name == "old"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["kit.latch", "kit.latch.last"]


def zipped(**entries):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in entries.items():
            archive.writestr(name.replace("__", "/"), content)
    return buffer.getvalue()


def edited(**changes):
    raw = json.loads(demo_project().model_dump_json())
    raw.update(changes)
    return zipped(**{"project.json": json.dumps(raw)})


def bad_gap():
    raw = json.loads(demo_project().model_dump_json())
    raw["mechanisms"][0]["params"]["gap"] = 7
    return zipped(**{"project.json": json.dumps(raw)})


GOOD = store.to_bytes(Latch(demo_project()))
HOSTILE = {
    "empty": (b"", "damaged"),
    "not a zip": (b"PK\x03\x04 nonsense", "damaged"),
    "truncated": (GOOD[: len(GOOD) // 2], "damaged"),
    "flipped bytes": (GOOD[:300] + bytes(b ^ 0x55 for b in GOOD[300:340]) + GOOD[340:], "damaged"),
    "no project": (zipped(other="1"), "does not belong"),
    "path trick": (zipped(**{"project.json": "{}", "photos/../../evil": "x"}), "does not belong"),
    "absolute path": (zipped(**{"project.json": "{}", "/etc/passwd": "x"}), "does not belong"),
    "bomb": (zipped(**{"project.json": b" " * (store.MOST_JSON + 10)}), "unpacks to more"),
    "many entries": (zipped(**{f"photos/{i}.png": "" for i in range(store.MOST_ENTRIES + 1)}), "unpacks to more"),
    "no json": (zipped(**{"project.json": "{ nope"}), "project.json is damaged"),
    "deep json": (zipped(**{"project.json": "[" * 100_000}), "project.json is damaged"),
    "not a number": (zipped(**{"project.json": '{"schema_version": NaN}'}), "NaN"),
    "a list": (zipped(**{"project.json": "[]"}), "which version"),
    "newer": (edited(schema_version=99), "newer Bouncy Latch"),
    "unknown old": (edited(schema_version=-3), "no version ever wrote"),
    "unknown field": (edited(colour="red"), "colour"),
    "missing process": (edited(process_id="gone"), "process is missing"),
    "impossible gap": (bad_gap(), "gap must be a number from 0.05 to 1 mm"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_get_one_sentence(name, tmp_path):
    data, says = HOSTILE[name]
    path = tmp_path / "bad.latch"
    path.write_bytes(data)

    with pytest.raises(ReadError, match=says) as caught:
        store.load(path)
    assert "\n" not in caught.value.sentence
    assert caught.value.sentence.startswith("bad.latch")
    assert path.read_bytes() == data


def test_old_files_are_migrated_step_by_step(monkeypatch):
    def rename(raw):
        return {**raw, "name": raw["name"].upper()}

    monkeypatch.setitem(store.MIGRATIONS, 0, rename)
    latch = store.from_bytes(edited(schema_version=0), "old.latch")

    assert latch.project.name == "TIDE-POOL SURVEY KIT"
    assert latch.project.schema_version == store.SCHEMA_VERSION


@pytest.mark.parametrize(("version", "count"), [(1, 4), (2, 4), (3, 10), (4, 3)])
def test_a_project_of_every_format_opens_with_nothing_lost(version, count):
    """Files as the programs of their day wrote them."""
    path = Path(__file__).parents[1] / "data" / f"schema-{version}.latch"
    with zipfile.ZipFile(path) as archive:
        raw = json.loads(archive.read("project.json"))
        photos = {name: archive.read(name) for name in archive.namelist() if name != "project.json"}
    assert raw["schema_version"] == version
    latch = store.load(path)
    assert latch.files == photos
    kept = json.loads(latch.project.model_dump_json())

    def lost(old, new, where):
        if isinstance(old, dict):
            return [found for name, value in old.items() for found in lost(value, new.get(name, "gone"), f"{where}.{name}")]
        if isinstance(old, list):
            pairs = zip(old, new, strict=True)
            return [found for number, (a, b) in enumerate(pairs) for found in lost(a, b, f"{where}.{number}")]
        return [] if old == new or where.endswith("schema_version") else [(where, old, new)]

    assert lost(raw, kept, "project") == []
    assert len(latch.project.mechanisms) == count
    for mechanism in latch.project.mechanisms:
        assert designed(latch.project, mechanism, latch.project.process).solve().checks


@pytest.mark.parametrize(("code", "says"), [
    (errno.ENOSPC, "disk is full"), (errno.EROFS, "read-only"), (errno.EACCES, "may not")])
@pytest.mark.parametrize("step", ["fsync", "replace"])
def test_a_failing_disk_leaves_the_old_file(tmp_path, monkeypatch, code, says, step):
    path = tmp_path / "kit.latch"
    store.save(path, Latch(empty_project("old")))

    def fail(*_args):
        raise OSError(code, "no")

    monkeypatch.setattr(files.os, step, fail)
    with pytest.raises(SaveError, match=says):
        store.save(path, Latch(empty_project("new")))
    monkeypatch.undo()
    assert store.load(path).project.name == "old"
    assert not list(tmp_path.glob("*.part"))
    assert not list(tmp_path.glob(".*.part"))


def test_several_files_are_written_together_or_not_at_all(tmp_path):
    wanted = {tmp_path / "a.stl": b"a", tmp_path / "no-such-folder" / "b.stl": b"b"}

    with pytest.raises(SaveError, match="no such folder"):
        files.write_all(wanted)
    assert not list(tmp_path.iterdir())


def test_undo_is_the_list_of_old_documents():
    start = demo_project()
    history = History(start)
    for i in range(1, 4):
        history = history.edit(start.model_copy(update={"name": f"n{i}"}), f"edit {i}")
    dragged = history.edit(start.model_copy(update={"name": "d1"}), "drag", "k").edit(
        start.model_copy(update={"name": "d2"}), "drag", "k")

    assert len(dragged.past) == 4, "a drag is one step"
    assert dragged.undo().present.name == "n3"
    assert dragged.undo().redo().present.name == "d2"
    assert dragged.undo().undo().undo().undo().undo().present == start
    assert dragged.sealed().edit(start, "drag", "k").undo().present.name == "d2"
    assert history.undo().edit(start, "other").future == ()


def test_mechanisms_are_added_replaced_and_removed():
    project = empty_project()
    first = new_mechanism("knuckle-hinge", "One", set())
    second = new_mechanism("knuckle-hinge", "Two", {first.id}, gap=0.4)
    project = project.with_mechanism(first).with_mechanism(second)

    assert [m.id for m in project.mechanisms] == ["knuckle-hinge-1", "knuckle-hinge-2"]
    assert project.mechanism == second
    assert project.without_mechanism(second.id).mechanism == first
    assert project.without_mechanism(second.id).without_mechanism(first.id).mechanism is None
    with pytest.raises(ParamError):
        new_mechanism("knuckle-hinge", "  ", set())


def test_unsaved_work_survives_kill_9(tmp_path):
    """A session is killed in the middle of endless autosaving; the next one finds whole work."""
    folder = tmp_path / "unsaved"
    script = textwrap.dedent(f"""
        from pathlib import Path
        from bouncy_latch.core.project.autosave import Autosave
        from bouncy_latch.core.project.demo import demo_project
        from bouncy_latch.core.project.store import Latch
        keeper = Autosave(Path({str(folder)!r}))
        for i in range(10**6):
            keeper.keep(Latch(demo_project().model_copy(update={{"name": f"work {{i}}"}})), Path("/x/kit.latch"))
            if i == 3:
                print("going", flush=True)
    """)
    running = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert running.stdout.readline() == "going\n"
    mine = Autosave(folder)
    assert mine.find() == [], "its owner still runs"
    os.kill(running.pid, signal.SIGKILL)
    running.wait()
    running.stdout.close()

    (found,) = mine.find()
    assert found.path == Path("/x/kit.latch")
    assert found.latch.project.name.startswith("work ")
    assert len(found.latch.project.mechanisms) == len(demo_project().mechanisms)
    mine.discard(found)
    assert mine.find() == []


def test_the_published_schema_is_current():
    assert Path("docs/project.schema.json").read_text() == store.json_schema()


def test_the_demo_has_one_thing_to_look_at_that_a_remedy_mends(hinge):
    from bouncy_latch.core.design import Design
    from bouncy_latch.core.judge.verdicts import full_analysis, quick_analysis

    project = demo_project()
    request = Design(hinge, project.mechanism.parsed(), project.process, project.policy)
    solution = request.solve()
    checks = [*solution.checks, *full_analysis(request, solution).checks]
    (bad,) = [c for c in checks if c.verdict != "ok"]
    remedy = quick_analysis(request, solution).remedies[bad.id][0]

    assert bad.verdict == "look"
    mended = hinge.solve(solution.params.changed(**remedy.values), project.process)
    assert all(c.verdict == "ok" for c in mended.checks)


def test_the_demo_is_its_kit_with_every_default():
    """Made by ``python -c "from bouncy_latch.core.project import demo; print(demo.whole(), end='')"`` into demo.json."""
    assert demo.whole() == resources.files("bouncy_latch.core.project").joinpath("demo.json").read_text("utf-8")
    assert all(item.parsed().model_dump() == item.params for item in demo.demo_project().mechanisms)
