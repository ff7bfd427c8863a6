"""Write docs/kinds/KIND.md for every mechanism kind from its field table."""

from pathlib import Path

from bouncy_latch.core.design import Design
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process import population

OUT = Path(__file__).parent.parent / "docs" / "kinds"


def page(kind: Kind) -> str:
    lines = [f"# {kind.title} (`{kind.id}`)", "", kind.summary, "", "## Parameters", "",
             "| name | label | unit | role | range | default | what it is |", "|---|---|---|---|---|---|---|"]
    for f in kind.params.facts().values():
        span = ", ".join(f.choices) + (", or a file" if f.open_choice else "") if f.choices else f"{f.low:g} to {f.high:g}"
        default = f.default if f.default is not None else "empty" if f.source == "you" else f.source
        where = "".join(f" With {name} {' or '.join(map(str, values))}." for name, values in f.when)
        lines.append(f"| `{f.name}` | {f.label} | {f.unit} | {f.role} | {span} | {default} | {f.help}{where} |")
    design = Design(kind, kind.params(), population.built_in()[0])
    solution = design.solve()
    lines += ["", "## Worked out", "", "| name | unit | formula |", "|---|---|---|"]
    lines += [f"| {d.name} | {d.unit} | {d.formula} |" for d in solution.derived]
    lines += ["", "## Checks", "", "| check | unit | mended by |", "|---|---|---|"]
    lines += [f"| {c.label} | {c.unit} | {', '.join(c.mend)} |" for c in solution.checks]
    proof = verdicts.full_analysis(design, solution)
    lines += [f"| {c.label} | {c.unit} | {', '.join(c.mend)} |" for c in proof.checks]
    lines += ["", "## Cautions", "", *(f"- {caution}" for caution in kind.cautions), ""]
    return "\n".join(lines)


if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    for kind in registry.kinds().values():
        (OUT / f"{kind.id}.md").write_text(page(kind))
