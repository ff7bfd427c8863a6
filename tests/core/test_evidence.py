"""The evidence store and what a caliper says: nothing doubled, nothing half done, nothing lost."""

from __future__ import annotations

import json
import sqlite3

import pytest

from bouncy_latch.core.errors import ParamError, ReadError, SaveError
from bouncy_latch.core.learn.experience import experience, result_of
from bouncy_latch.core.process import readings
from bouncy_latch.core.process.evidence import Reading, reading, result
from bouncy_latch.core.process.evidence_files import from_text, to_csv, to_json
from bouncy_latch.core.process.evidence_store import STORE_VERSION, Evidence


def made(value=0.25, outcome="free", **more):
    return result(process="p", kind="knuckle-hinge", param="gap", value=value, outcome=outcome, when="2026-09-01", **more)


def measured(**more):
    return reading(**{"process": "p", "feature": "hole", "nominal": 8, "values": "7.8 7,79 7.81", "when": "2026-09-01", **more})


@pytest.fixture
def store(tmp_path):
    return Evidence(tmp_path / "evidence.sqlite")


@pytest.mark.parametrize(("text", "nominal", "values"), [
    ("9.98 10.01 9.97", 10, (9.98, 10.01, 9.97)), ("9,98; 10,01", 10, (9.98, 10.01)), ("9.98mm 10 mm", 10, (9.98, 10.0)),
    ("0.393in 0.394in", 10, (9.9822, 10.0076)), ("0.393 in", 10, (9.9822,)), ("7.2", None, (7.2,))])
def test_readings_as_people_type_them(text, nominal, values):
    assert readings.read(text, nominal).values == pytest.approx(values)


@pytest.mark.parametrize(("text", "nominal", "says"), [
    ("101", 10, "cannot be a reading of 10 mm; meant 10.10, a decimal point"), ("0.393", 10, "meant 9.98, inches"),
    ("10 wide", 10, "'wide' is no reading"), ("", 10, "1 to 40 readings"), ("nan", 10, "no size"), ("-3", None, "no size"),
    ("5000", None, "no size")])
def test_impossible_readings_are_refused_with_a_guess(text, nominal, says):
    with pytest.raises(ParamError, match=says):
        readings.read(text, nominal)


def test_mean_spread_and_the_odd_one_out():
    read = readings.read("9.98 10.00 10.02")
    assert (read.mean, read.sd) == (pytest.approx(10.0), pytest.approx(0.02))
    assert read.error == pytest.approx(0.02 / 3**0.5)
    assert read.outlier is None
    assert readings.read("9.98 10.00 10.02 10.01 10.31").outlier == 10.31
    assert readings.read("10.0").sd == pytest.approx(readings.HAND_SD)
    assert "from 3 readings" in read.text


def test_the_store_keeps_each_thing_once_and_both_kinds(store):
    assert store.results() == []
    assert store.add([made(), measured()]) == 2
    assert store.add([made(), measured(), made(0.3)]) == 1
    assert [r.value for r in store.results("p")] == [0.25, 0.3]
    assert store.readings("p") == [measured()]
    assert store.results("other") == []
    store.exclude(made().key)
    assert store.excluded() == {made().key}
    store.exclude(made().key, excluded=False)
    assert store.excluded() == frozenset()
    for text in (to_json([made(), measured()]), to_csv([made()]), to_csv([measured()])):
        assert set(from_text(text, "x")) <= {made(), measured()}
    assert from_text(to_json([made(params='{"knuckles": 2}'), measured()]), "x")[0].params == '{"knuckles": 2}'


@pytest.mark.parametrize(("text", "says"), [
    ("a,b\n1,2\n", "must have the columns"), ("{", "damaged or no JSON"), ('{"results": 3}', "lists of results"),
    ("when,process,kind,param,value,outcome,play,note\n2026-09-01,p,k,gap,0.2,stuck,,\n2026-09-01,p,k,gap,99,free,,\n",
     "line 2: .*line 3: .*nothing was imported"),
    ("when,process,feature,nominal,values,note\n2026-09-01,p,hole,8,101,\n", "line 2: .*cannot be a reading"),
    (json.dumps({"readings": [{"process": "p"}]}), "readings 1: .*no feature"),
])
def test_bad_files_are_refused_whole(text, says):
    with pytest.raises(ReadError, match=says):
        from_text(text, "file")


def test_a_damaged_store_says_so_and_goes_back(store, tmp_path):
    store.add([made()])
    store.add([made(0.3)])
    path = tmp_path / "evidence.sqlite"
    path.write_bytes(b"SQLite format 3\x00" + b"x" * 4000)
    with pytest.raises(ReadError, match=r"damaged; its last good copy is evidence\.sqlite\.last"):
        store.results()
    with pytest.raises(ReadError, match="damaged"):
        store.add([made(0.4)])
    known = experience(_heron(), store)
    assert "damaged" in known.trouble
    assert known.believed == _heron()
    store.restore()
    assert [r.value for r in store.results()] == [0.25, 0.3]
    assert (tmp_path / "evidence.sqlite.damaged").exists()


@pytest.mark.parametrize("change", ["UPDATE results SET value = 'wide'", "UPDATE results SET outcome = x'00ff'",
                                    "UPDATE readings SET \"values\" = '[[1]]'", "UPDATE readings SET \"values\" = '{'",
                                    "UPDATE processes SET process = '[]'", "UPDATE results SET value = 9e999"])
def test_rows_that_nobody_of_ours_wrote_are_damage(store, tmp_path, change):
    store.add([made(), measured()], [_heron()])
    with sqlite3.connect(tmp_path / "evidence.sqlite") as connection:
        connection.execute(change)
    connection.close()
    known = experience(_heron().model_copy(update={"id": "p"}), store)
    assert "evidence.sqlite is damaged; its last good copy is" in known.trouble
    store.restore()
    assert experience(_heron(), store).trouble == ""


def test_a_newer_or_locked_store_is_left_alone_and_an_older_one_grows(store, tmp_path):
    path = tmp_path / "evidence.sqlite"
    store.add([made()])
    with sqlite3.connect(path) as connection:
        connection.execute("BEGIN EXCLUSIVE")
        with pytest.raises(SaveError, match="in use"):
            store.add([made(0.4)])
    connection.close()
    with sqlite3.connect(path) as connection:
        connection.execute(f"PRAGMA user_version = {STORE_VERSION + 1}")
    connection.close()
    before = path.read_bytes()
    with pytest.raises(ReadError, match="newer Bouncy Latch"):
        store.add([made(0.5)])
    assert path.read_bytes() == before

    old = tmp_path / "old.sqlite"
    with sqlite3.connect(old) as connection:
        connection.execute('CREATE TABLE results ("key" VARCHAR PRIMARY KEY, "when" VARCHAR, process VARCHAR, kind VARCHAR, '
                           "param VARCHAR, value FLOAT, outcome VARCHAR, play FLOAT, note VARCHAR)")
        connection.execute("INSERT INTO results VALUES ('k', '2026-01-01', 'p', 'x', 'gap', 0.2, 'welded', NULL, '')")
    connection.close()
    older = Evidence(old)
    assert [(r.value, r.params) for r in older.results()] == [(0.2, "")]
    assert older.add([made()]) == 1
    assert len(older.results()) == 2


def test_what_is_left_out_is_not_learnt_and_a_sister_material_begins_wider(store):
    heron = _heron()
    items = [result(process=heron.id, kind="knuckle-hinge", param="gap", value=v, outcome=o, when="2026-09-01")
             for v, o in ((0.2, "welded"), (0.3, "needs a tool"), (0.4, "frees by hand"))]
    store.add(items, [heron])
    fat = experience(heron, store)
    assert fat.believed.growth.mean > heron.growth.mean + 0.01
    assert "3 results" in fat.believed.source
    for item in items:
        store.exclude(item.key)
    assert experience(heron, store).believed == heron
    store.exclude(items[0].key, excluded=False)
    other = heron.model_copy(update={"id": "heron-petg", "material": "PETG", "colour": "kelp"})
    sister = experience(other, store)
    assert "widened" in sister.believed.source
    logged = result_of("knuckle-hinge", "2026-09-02", heron.id, {"gap": 0.25, "knuckles": 5, "barrel": None}, "free", None, "")
    assert logged.params == '{"knuckles": 5}'
    assert len(experience(heron, store, [logged]).items) == 4
    assert isinstance(measured(), Reading)


def _heron():
    from bouncy_latch.core.process.population import built_in

    return built_in()[0]
