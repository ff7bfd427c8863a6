"""Peg and hole: a round peg that is pressed, snug or slides in the hole of another part; plain, or with crush ribs."""

from __future__ import annotations

from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    JOIN,
    TURN,
    Answer,
    Kind,
    LadderPiece,
    Question,
    SeatRule,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.fits import solved
from bouncy_latch.core.mechanisms.fits.sizes import ANSWERS, CAUTIONS, PegAndHoleParams
from bouncy_latch.core.outcomes import FELT
from bouncy_latch.core.process.profile import Process


def solve(params: PegAndHoleParams, process: Process) -> Solution:
    """Work out a peg and its hole for the effective ``process``.

    Raises:
        SolveError: when the parameters describe none.
        ParamError: when the material lacks values.
    """
    return solved.solution(KIND.id, params, process, "peg", f"⌀ {params.diameter:g}")


KIND = Kind(
    id="peg-and-hole",
    title="Peg and hole",
    summary="A round peg that is pressed, snug or slides in the hole of another part; crush ribs swallow printer error.",
    tasks=(JOIN, TURN, HOLD),
    answers={**ANSWERS, "size": Answer("diameter")},
    params=PegAndHoleParams,
    solve=solve,
    questions=(
        Question("How should the peg sit?", ("fit", "push", "hold")),
        Question("How large is it?", ("diameter", "length", "wall")),
        Question("What helps it in?", ("clearance", "surface", "ribs", "rib", "lead")),
    ),
    recommend="clearance",
    test_piece=solved.piece,
    sides={"peg": "the part the peg stands on", "hole": "the part with the hole"},
    seats={"peg": SeatRule("+z"), "hole": SeatRule("+z", "length")},
    cautions=CAUTIONS,
    ladder=LadderPiece({"backing": 2, "wall": 2.4}, solved.label),
    outcomes=FELT,
    variant="fit",
    tuning=Tuning(sizes=("clearance", "length", "wall", "rib"), alternatives=(("surface", "crush ribs"),)),
)
