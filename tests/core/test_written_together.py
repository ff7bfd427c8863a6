"""Programs that write the same files at the same time: each change arrives, and no sound file is called damaged."""

from __future__ import annotations

import json
import os
import struct
import subprocess
import sys

import numpy as np
import pytest

from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.formats import plaindata
from bouncy_latch.core.learn.calibration import coupons, written
from bouncy_latch.core.learn.study import workforce
from bouncy_latch.core.process import population, printers
from bouncy_latch.core.process.evidence import result
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project import own_hardware, own_printers, troublelog
from bouncy_latch.core.standards import drawer

HERON = population.built_in()[0]
ADDS = """
import sys
from pathlib import Path
from bouncy_latch.core.process import printers
from bouncy_latch.core.process.evidence import result
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project import own_printers
folder, number = Path(sys.argv[1]), sys.argv[2]
sys.stdin.readline()
for step in range(4):
    Evidence(folder / "evidence.sqlite").add(
        [result(process="p", kind="k", param="gap", value=0.25, outcome="free", when="2026-09-01")], fresh=True)
    own_printers.update(folder, lambda kept: kept.added(printers.made(name=f"Skua {number} {step}", bed=(200, 200, 200))))
"""


def test_what_several_add_at_once_all_arrives(tmp_path):
    folder = tmp_path / "data ? #1 %20"
    folder.mkdir()
    running = [subprocess.Popen([sys.executable, "-c", ADDS, str(folder), str(i)], stdin=subprocess.PIPE,
                                stderr=subprocess.PIPE, text=True) for i in range(5)]
    for each in running:
        each.stdin.write("go\n")
        each.stdin.flush()
    for each in running:
        assert each.communicate()[1] == ""
        assert each.returncode == 0
    store = Evidence(folder / "evidence.sqlite")
    assert len({made.key for made in store.results()}) == 20, "equal prints, each one"
    assert len(own_printers.known(folder).printers) == 20
    assert len(Evidence(store.backup).results()) == 20, "the copy is of the last store"
    assert sorted(path.name for path in tmp_path.iterdir()) == [folder.name], "nothing lies beside the folder"


def test_a_store_that_others_hold_open_is_put_back_in_place(tmp_path):
    path = tmp_path / "evidence.sqlite"
    store = Evidence(path)
    store.add([result(process="p", kind="k", param="gap", value=0.25, outcome="free")])
    before = path.stat().st_ino
    store.restore()
    assert path.stat().st_ino == before
    assert len(store.results()) == 1


def test_a_page_left_open_keeps_what_the_shell_added(tmp_path):
    own_printers.update(tmp_path, lambda kept: kept.added(printers.made(name="Tern", bed=(100, 100, 100))))
    with pytest.raises(ParamError, match="already"):
        own_printers.update(tmp_path, lambda kept: kept.added(printers.made(name=" TERN ", bed=(100, 100, 100))))
    changed = own_printers.update(tmp_path, lambda kept: kept.changed("tern", printers.made(name="Tern", bed=(90, 90, 90))))
    assert [each.bed[0] for each in changed.printers] == [90]


@pytest.mark.parametrize(("file", "key", "rest"), [
    (own_printers, "printers", {"bed": [200, 200, 200]}),
    (own_hardware, "pieces", {"diameter": 5, "flats": [8.0], "height": [4.7]})])
def test_names_differ_by_more_than_blanks_and_capitals(tmp_path, file, key, rest):
    """Files of old may hold names that nothing but these tells apart: all of them can be reached and removed."""
    of = {"printers": printers.FORMAT, "pieces": drawer.FORMAT}[key]
    kept = {"format": of, "version": 1, key: [{"name": name, **rest} for name in ("Skua ", "skua", " ", "Straße", "STRASSE")]}
    (tmp_path / file.FILE.name).write_text(json.dumps(kept))
    found = file.known(tmp_path)
    names = [each.name for each in getattr(found, key)]
    assert names == ["Skua", "skua 2", "without a name", "Straße", "STRASSE 2"]
    for name in names:
        found = found.removed(f" {name.upper()} ")
    assert not getattr(found, key)


def test_a_ladder_file_that_is_damaged_is_said_and_set_aside(tmp_path):
    first = written.of(coupons.plain_coupons()["pegs-and-holes"](HERON), "pegs-and-holes", HERON.id)
    assert written.recalled(tmp_path) == []
    for damage in (b"{", b"[3]", b'[{"what": 1}]', b'{"a": 1}'):
        (tmp_path / written.NAME).write_bytes(damage)
        with pytest.raises(ReadError, match=r"damaged.*write the ladder again"):
            written.recalled(tmp_path)
        written.remember(tmp_path, first)
        assert (tmp_path / f"{written.NAME}.damaged").read_bytes() == damage
        assert written.recalled(tmp_path) == [first]


def _trials(path, title="hinges"):
    return workforce.Kept(path, lambda made: made, lambda made: made, title)


@pytest.mark.parametrize("there", [b"", b'"hin', b'"hinges"', b'"hinges"\n[0, 5]\n[1,'])
def test_a_study_goes_on_from_whatever_a_kill_left(tmp_path, there):
    path = tmp_path / "kept.jsonl"
    path.write_bytes(there)
    numbers = [0, 1, 2]
    assert workforce.spread(_double, numbers, workers=1, kept=_trials(path)) == [5 if b"5" in there else 0, 2, 4]
    assert set(_trials(path).read()) == set(numbers)


def _double(number):
    return 2 * number


def test_two_studies_do_not_share_a_file(tmp_path):
    path = tmp_path / "kept.jsonl"
    with _trials(path).writing() as add:
        add(0, 1)
        with pytest.raises(ParamError, match="another study is writing"), _trials(path).writing():
            pass
    with pytest.raises(ParamError, match="holds another study"):
        _trials(path, "pegs").read()


def test_trouble_is_not_written_through_a_planted_link(tmp_path, monkeypatch):
    target = tmp_path / "precious"
    target.write_text("mine")
    (tmp_path / "data").mkdir()
    monkeypatch.setattr(troublelog, "data_folder", lambda: tmp_path / "data")
    monkeypatch.setattr(troublelog.tempfile, "gettempdir", lambda: str(tmp_path))
    for plant in (os.symlink, os.link):
        for folder in (tmp_path, tmp_path / "data"):
            plant(target, folder / troublelog.NAME)
        assert "written down" not in troublelog.noted(ValueError("x"))
        assert target.read_text() == "mine"
        for folder in (tmp_path, tmp_path / "data"):
            (folder / troublelog.NAME).unlink()
    assert "written down" in troublelog.noted(ValueError("x"))
    assert "ValueError: x" in (tmp_path / "data" / troublelog.NAME).read_text()


@pytest.mark.parametrize("name", ["json", "numpy", "typer", "pickle", "struct"])
def test_modules_that_lie_in_the_current_folder_are_not_run(tmp_path, name):
    """A kit from a stranger may hold a file with a library's name."""
    (tmp_path / f"{name}.py").write_text(f"open({str(tmp_path / 'ran')!r}, 'w').write('x')\nraise SystemExit(9)\n")
    (tmp_path / "part.stl").write_bytes(b"solid\nendsolid\n")
    code = ("from bouncy_latch.core.formats import foreign\nfrom bouncy_latch.core.errors import ReadError\n"
            "from pathlib import Path\n"
            "try:\n    foreign.read(Path('part.stl'))\nexcept ReadError as error:\n    print(error.sentence)\n")
    run = subprocess.run([sys.executable, "-P", "-c", code], cwd=tmp_path, capture_output=True, text=True, check=True)
    assert "part.stl" in run.stdout
    assert not (tmp_path / "ran").exists()


@pytest.mark.parametrize("value", [None, True, 3, 2.5, "ä", [1, (2.0, "x"), []], np.zeros((0, 3)),
                                   ("done", ([(np.eye(3), np.arange(4, dtype="<u8"))], ()))])
def test_what_the_reader_sends_comes_out_as_it_was(value):
    assert repr(plaindata.unpacked(memoryview(plaindata.packed(value)))) == repr(value)


@pytest.mark.parametrize("sent", [
    b"", b"\x80\x05cposix\nsystem\n", struct.pack("<Q", 2**40), plaindata.packed((1,)) + b"x", plaindata.packed(np.eye(3))[:-1],
    struct.pack("<Q", 19) + b'{"array":["O",[1]]}', struct.pack("<Q", 27) + b'{"array":["<f8",[4294967296]]}',
    struct.pack("<Q", 8) + b'{"x":[]}'])
def test_what_is_no_plain_data_is_refused(sent):
    with pytest.raises(ValueError, match=r"plain data|JSON|Expecting|Extra|Invalid|codec"):
        plaindata.unpacked(memoryview(sent))
