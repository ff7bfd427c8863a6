"""The printers commands, as scripts use them."""

from __future__ import annotations

import json

import pytest

from bouncy_latch.core.process import population
from tests.end.test_cli import bouncy  # noqa: F401 - a fixture


def told(answer):
    code, out, err = answer
    assert (code, err) == (0, "")
    return json.loads(out)


def test_own_printers_are_kept_and_named_wherever_a_process_is_asked_for(bouncy, tmp_path):  # noqa: F811
    assert told(bouncy("printers", "list")) == {"printers": []}
    made = told(bouncy("printers", "add", "Skua", "--nozzle", "0.6", "--bed", "220x220x250", "--layer", "0.3"))
    assert (made["nozzle"], made["bed"], made["settings"]["layer_height"]) == (0.6, [220, 220, 250], 0.3)
    told(bouncy("printers", "spool", "Skua", "--material", "PLA", "--colour", "slate"))
    told(bouncy("printers", "spool", "skua", "--material", "PETG", "--note", "dry it"))
    solved = told(bouncy("solve", "hook", "--process", "Skua/PLA slate", "--quick"))
    assert solved["process"] == "skua-pla-slate-0.6-0.3-0.2-0.45-3-15-4"
    told(bouncy("evidence", "measure", "outside", "--nominal", "10", "--readings", "10.4 10.4 10.42", "--process",
                "Skua/PLA slate"))
    # Another spool of the same printer begins where the first one is, less sure of it.
    first, other = (told(bouncy("evidence", "learn", "--process", f"Skua/{spool}"))["belief"]["growth"] for spool in (
        "PLA slate", "PETG natural"))
    assert other["mean"] == pytest.approx(first["mean"], abs=0.03)
    assert other["sd"] > first["sd"]
    # So do other settings; a new name changes nothing, and a copy is another printer.
    told(bouncy("printers", "change", "Skua", "--rename", "Arctic skua"))
    told(bouncy("printers", "duplicate", "Arctic skua"))
    told(bouncy("printers", "add", "Skua", "--nozzle", "0.6", "--bed", "220x220x250", "--layer", "0.3"))
    told(bouncy("printers", "spool", "Skua", "--material", "PLA", "--colour", "slate"))

    def growth(spool):
        return told(bouncy("evidence", "learn", "--process", spool))["belief"]["growth"]

    assert growth("Arctic skua/PLA slate") == first
    for stranger in ("Skua", "Arctic skua 2/PLA slate"):
        assert growth(stranger) == {"mean": population.GROWTH.mean, "sd": population.GROWTH.sd}
    for option, value in (("--first-layer", "0.25"), ("--wall-lines", "2"), ("--infill", "40"), ("--line", "0.65")):
        told(bouncy("printers", "change", "Arctic skua", option, value))
        assert growth("Arctic skua/PLA slate") == pytest.approx(other, abs=0.005)
    for name in ("Skua", "Arctic skua 2"):
        told(bouncy("printers", "remove", name))
    told(bouncy("printers", "change", "Arctic skua", "--rename", "Skua"))
    file = tmp_path / "printers.json"
    told(bouncy("printers", "export", file))
    assert told(bouncy("printers", "remove", "Skua")) == {"removed": "Skua"}
    assert told(bouncy("printers", "import", file)) == {"imported": ["Skua"]}
    told(bouncy("printers", "change", "Skua", "--rename", "Great skua", "--wall-lines", "4"))
    told(bouncy("printers", "spool", "Great skua", "--material", "PETG", "--remove"))
    listed = told(bouncy("printers", "list"))["printers"]
    assert [(each["name"], each["settings"]["loops"], each["processes"]) for each in listed] == [
        ("Great skua", 4, ["Great skua/PLA slate"])]


@pytest.mark.parametrize(("words", "sentence"), [
    (("add", "Skua"), "needs the size of its bed"),
    (("add", "Tern", "--bed", "200x200x200"), "there is a printer 'Tern' already"),
    (("add", "Skua", "--bed", "2x2"), "such as 220x220x250"),
    (("add", "Skua", "--bed", "220x220x250", "--stop", "halt"), "stop must be one of M0"),
    (("spool", "Nobody", "--material", "PLA"), "there is no printer 'Nobody'; known: Tern"),
    (("spool", "Tern", "--material", "wood"), "is not in the table"),
    (("remove", "Nobody"), "there is no printer 'Nobody'"),
    (("import", "nowhere.json"), "nowhere.json"),
])
def test_what_is_wrong_changes_nothing(bouncy, words, sentence):  # noqa: F811
    before = told(bouncy("printers", "add", "Tern", "--bed", "200x200x200"))
    assert before.pop("next")
    code, out, err = bouncy("printers", *words)
    assert (code, out) == (2, "")
    assert sentence in err
    assert told(bouncy("printers", "list"))["printers"] == [before]
