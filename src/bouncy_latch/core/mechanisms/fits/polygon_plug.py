"""Polygon plug: a plug of three to eight sides that is pressed, snug or slides in its hole and does not turn in it."""

from __future__ import annotations

from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    JOIN,
    Answer,
    Kind,
    LadderPiece,
    Question,
    SeatRule,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.fits import solved
from bouncy_latch.core.mechanisms.fits.sizes import ANSWERS, CAUTIONS, PolygonPlugParams
from bouncy_latch.core.outcomes import FELT
from bouncy_latch.core.process.profile import Process


def solve(params: PolygonPlugParams, process: Process) -> Solution:
    """Work out a plug and its hole for the effective ``process``.

    Raises:
        SolveError: when the parameters describe none.
        ParamError: when the material lacks values.
    """
    return solved.solution(KIND.id, params, process, "plug", f"{params.sides} × {params.across:g}")


KIND = Kind(
    id="polygon-plug",
    title="Polygon plug",
    summary="A plug of three to eight sides that is pressed, snug or slides in its hole and does not turn in it.",
    tasks=(JOIN, HOLD),
    answers={**ANSWERS, "size": Answer("across")},
    params=PolygonPlugParams,
    solve=solve,
    questions=(
        Question("How should the plug sit?", ("fit", "push", "hold")),
        Question("How large is it?", ("sides", "across", "length", "wall")),
        Question("What helps it in?", ("clearance", "surface", "rib", "lead")),
    ),
    recommend="clearance",
    test_piece=solved.piece,
    sides={"plug": "the part the plug stands on", "hole": "the part with the hole"},
    seats={"plug": SeatRule("+z"), "hole": SeatRule("+z", "length")},
    cautions=CAUTIONS,
    ladder=LadderPiece({"backing": 2, "wall": 2.4}, solved.label),
    outcomes=FELT,
    variant="fit",
    tuning=Tuning(sizes=("clearance", "length", "wall", "rib"), alternatives=(("surface", "crush ribs"),)),
)
