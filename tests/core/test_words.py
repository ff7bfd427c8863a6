"""The words of the program: retired ones stay away, every size says what it is, every verdict what to do."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

from bouncy_latch.core.design import Design
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.layers import findings
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population

ROOT = Path(__file__).parents[2]
GLOSSARY = (ROOT / "docs" / "glossary.md").read_text()
RETIRED = [row[0] for row in re.findall(r"^\| ([^|]+?) \| ([^|]+?) \|$", GLOSSARY.partition("## Retired words")[2],
                                        re.MULTILINE)
           if row[0] not in {"retired", "---"}]
HISTORY = {"decisions.md", "reliability.md", "glossary.md"}
"""Pages that may stay as they were written; the glossary names the retired words."""
each_kind = pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)


def literals(path: Path) -> list[tuple[int, str]]:
    """Return what a module says to people: its string literals but for docstrings and attribute docs."""
    tree = ast.parse(path.read_text())
    said = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)}
    return [(node.lineno, node.value) for node in ast.walk(tree)
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in said]


def test_retired_words_occur_nowhere_that_people_read():
    modules = {path: literals(path) for path in (ROOT / "src").rglob("*.py")}
    pages = [path for path in (*(ROOT / "docs").rglob("*.md"), ROOT / "README.md") if path.name not in HISTORY]
    assert len(RETIRED) > 15
    assert len(modules) > 250
    assert len(pages) > 30
    found = [f"{path.name}:{line} says {word!r}" for path, every in modules.items() for line, text in every for word in RETIRED
             if re.search(rf"\b{re.escape(word)}\b", text)]
    found += [f"{path.name} says {word!r}" for path in pages for word in RETIRED
              if re.search(rf"\b{re.escape(word)}\b", path.read_text())]
    assert found == []


@each_kind
def test_every_label_has_a_help_text_that_is_a_sentence(kind):
    for facts in kind.params.facts().values():
        assert facts.label, facts.name
        assert len(facts.help.split()) >= 2, facts.name
        assert facts.help.rstrip().endswith((".", "?")), (facts.name, facts.help)
        assert facts.source, facts.name


@each_kind
@pytest.mark.parametrize("printer", [0, 1], ids=["heron", "gannet"])
def test_every_verdict_has_all_four_parts(kind, printer):
    """What is judged, figure and limit with their unit, the cause, and what mends it: sizes, choices, or a sentence."""
    request = Design(kind, kind.params(), population.built_in()[printer])
    solution = request.solve()
    proof = verdicts.full_analysis(request, solution, traced=False)
    for check in (*solution.checks, *proof.checks):
        assert check.label[0].isupper(), check.id
        assert re.fullmatch(r"(∞|−?-?[\d.]+)(°| [^ ]+)? \((needs|at most) -?[\d.]+(°| [^ ]+)?\)", check.words), check.words
        assert len(check.why.split()) >= 3, (check.id, check.why)
        assert not re.match(r"(it|its|they)\b", check.why), (check.id, check.why)
        assert check.mend or check.instead or check.advice, f"{check.id} leads nowhere"
        assert check.basis, check.id


def test_every_flaw_of_a_print_says_what_to_do():
    kinds = {value for name, value in vars(findings).items() if name.isupper() and isinstance(value, str) and name != "PRINT"}
    assert set(findings.ADVICE) >= kinds & set(findings.BASES)
    assert all(text.endswith(".") for text in findings.ADVICE.values())


def test_refusals_are_sentences_without_names_of_the_code():
    """Every text a UserError is raised with: no Python type, no underscore name, no id in brackets."""
    texts = []
    for path in (ROOT / "src" / "bouncy_latch").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and ast.unparse(node.func).split(".")[-1] in {
                    "ParamError", "SolveError", "ReadError", "SaveError", "UserError"} and node.args:
                first = node.args[0]
                parts = [part.value for part in ast.walk(first) if isinstance(part, ast.Constant) and isinstance(part.value,
                                                                                                                 str)]
                texts.append((f"{path.name}:{node.lineno}", " ".join(parts)))
    assert len(texts) > 150
    wrong = re.compile(r"\b(NoneType|None|dict|tuple|ndarray|float|KeyError|ValueError|traceback)\b|\b[a-z]+_[a-z_]+\b")
    assert [(where, text) for where, text in texts if wrong.search(text)] == []
