"""What a mechanism kind owes and what it gets in return.

A kind is a parameter model and one function, ``solve(params, process) -> Solution``. Everything else (shelf card,
sheet, rulers, verdicts, motions, test piece, exports, command line, docs page, common tests) reads these records.
"""

from bouncy_latch.core.mechanisms.contract.answer import CLOSE, HOLD, JOIN, SPRING, TASKS, TURN, Answer, Answers
from bouncy_latch.core.mechanisms.contract.kind import (
    Kind,
    LadderPiece,
    OnPart,
    Question,
    SeatRule,
    StudyTrial,
    Tried,
    Tuning,
)
from bouncy_latch.core.mechanisms.contract.motion import ALONE, CLEAR, MESHES, RIDES, TRIALS, Motion, Root, moved_by
from bouncy_latch.core.mechanisms.contract.shape import Callout, SectionView, Shape, Vector
from bouncy_latch.core.mechanisms.contract.solution import Aim, Bought, Derived, Pause, Ruler, Solution

__all__ = [
    "ALONE", "CLEAR", "CLOSE", "HOLD", "JOIN", "MESHES", "RIDES", "SPRING",
    "TASKS", "TRIALS", "TURN", "Aim", "Answer", "Answers", "Bought", "Callout",
    "Derived", "Kind", "LadderPiece", "Motion", "OnPart", "Pause", "Question", "Root", "Ruler",
    "SeatRule", "SectionView", "Shape",
    "Solution", "StudyTrial", "Tried", "Tuning", "Vector", "moved_by",
]
