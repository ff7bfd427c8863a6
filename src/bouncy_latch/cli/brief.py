"""``solve --brief``: what a design is worth in ten lines of text."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bouncy_latch.cli.shared import example_note
from bouncy_latch.core.checks import LOOK, OK, STOP, ordered

if TYPE_CHECKING:
    from bouncy_latch.core.checks import Check
    from bouncy_latch.core.design import Design
    from bouncy_latch.core.judge.verdicts import FullAnalysis, QuickAnalysis
    from bouncy_latch.core.mechanisms.contract import Solution

WORDS = {OK: "fine", LOOK: "look", STOP: "stop"}
WORST = 3


def in_brief(name: str, request: Design, solution: Solution, view: QuickAnalysis, proof: FullAnalysis | None) -> str:
    """Return at most ten lines: verdict and chance, the worst three checks, the change that does most, the recommended size."""
    from bouncy_latch.core.judge.verdicts import offered

    checks = ordered([*solution.checks, *(proof.checks if proof else ())])
    failing = [check for check in checks if check.verdict != OK]
    verdict = WORDS[failing[0].verdict if failing else OK]
    lines = [f"{name}: {verdict}; {100 * solution.aim.chance:.0f} % of prints: {solution.aim.words}"]
    lines += [_line(check) for check in (failing or checks)[:WORST]]
    if len(failing) > WORST:
        lines.append(f"  and {len(failing) - WORST} more; solve without --brief lists them")
    changes = [remedy for check in failing for remedy in offered(view, proof, check.id)]
    advised = request.kind.recommend
    if changes:
        best = max(changes, key=lambda remedy: (-len(remedy.left), advised not in remedy.values, remedy.chance or 0.0))
        lines.append(f"best change: {best.text}")
        if set(best.values) == {advised} and view.recommended is not None:
            lines[-1] = f"least change: {best.text}"
    if view.recommended is not None:
        facts = type(solution.params).facts()[advised]
        lines.append(f"recommended {facts.label}, where it serves best: {view.recommended:g} {facts.unit}".rstrip())
    if note := example_note(request.process):
        lines.append(note["note"])
    return "\n".join(lines[:10]) + "\n"


def _line(check: Check) -> str:
    advice = f". {check.advice}" if check.advice and check.verdict != OK else ""
    return f"  {WORDS[check.verdict]}: {check.label}: {check.words}; {check.why}{advice}"
