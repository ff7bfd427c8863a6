"""What can become of a print, as scales: the words that predictions, rulers, records and evidence share."""

from __future__ import annotations

from bouncy_latch.core.checks import LOOK, OK, STOP
from bouncy_latch.core.frozen import frozen


@frozen
class Scale:
    """Outcomes in order, each in words, as a colour and as a verdict.

    Attributes:
        names: in order, as predictions and records write them.
        tones: which of the five zone colours each has, from welded red (0) to rattling grey (4).
        verdicts: what each means for the design; told: what a user says of a print that came out so.
    """

    names: tuple[str, ...]
    tones: tuple[int, ...] = (0, 1, 2, 3, 4)
    verdicts: tuple[str, ...] = ()
    told: tuple[str, ...] = ()


IN_PLACE = Scale(("welded", "needs a tool", "frees by hand", "free", "rattles"), verdicts=(STOP, LOOK, OK, OK, LOOK),
                 told=("welded", "needed a tool", "freed by hand", "free", "rattles"))
"""Of a joint printed in place, in order of freedom."""
OUTCOMES = IN_PLACE.names
SNAPPED = Scale(("will not go in", "goes in hard", "snaps in", "falls out", "breaks"), verdicts=(STOP, LOOK, OK, STOP, STOP),
                told=("would not go in", "went in hard", "snaps in", "falls out", "broke"))
"""Of a snap fit."""
FITS = Scale(("will not go in", "press", "snug", "slides", "loose"))
"""Of two parts printed apart and put together."""
FELT = Scale(("hammer", "pushed by hand", "snug", "slides", "falls"), verdicts=(STOP, LOOK, OK, OK, LOOK),
             told=("hammered in", "pushed by hand", "snug", "slid", "fell"))
"""What a hand says of a peg in its hole, in the order of :data:`FITS`."""
BENT = Scale(("low strain", "springy", "whitens", "breaks"), (4, 3, 1, 0))
"""Of something that bends, by its strain."""
MOVES = Scale(("a weight", "a full cup", "fingers", "a hand", "a tool"), (4, 3, 3, 1, 0))
"""What moves a spring, by its force: 100 g, a filled cup, fingers without effort, a hand that means it, more."""
TURNS = Scale(("a fingertip", "two fingers", "a hand", "a key"), (4, 3, 1, 0))
"""What turns a spring, by its torque."""
ASKED = Scale(("too soft", "as asked", "too stiff"), (1, 3, 1))
"""Of a load that is asked for."""
PUSHED = Scale(("falls in", "by hand", "hard push", "will not go in"), (4, 3, 1, 0))
"""Of something a hand pushes, by the force."""
CLAMPED = Scale(("slips", "holds", "overloaded", "cracks"), (4, 3, 1, 0))
"""Of a clamp, by how tight it is."""
SCREWED = Scale(("will not start", "wants a wrench", "runs snug", "runs free", "wobbles"), verdicts=(STOP, LOOK, OK, OK, LOOK),
                told=("would not start", "wanted a wrench", "ran snug", "ran free", "wobbled"))
"""Of a printed screw in a printed thread."""
NESTED = Scale(("nut too wide", "nut hammered in", "nut pressed in", "nut drops in", "nut spins"),
               verdicts=(STOP, LOOK, OK, OK, STOP),
               told=("nut would not go in", "wanted a mallet", "pressed in, stays", "dropped in", "nut spins"))
"""Of a bought nut in a printed pocket."""
SPRUNG = Scale(("bars welded", "too stiff", "springs", "too soft", "spring broke"), verdicts=(STOP, LOOK, OK, LOOK, STOP),
               told=("bars are one piece", "is too stiff", "springs as it should", "is too soft", "broke"))
"""Of a spring that prints flat."""

RECORDED = (IN_PLACE, SNAPPED, SCREWED, NESTED, SPRUNG, FELT)
"""The scales that prints are recorded on, and evidence is."""
VERDICTS = {name: verdict for scale in RECORDED for name, verdict in zip(scale.names, scale.verdicts, strict=True)}
"""The verdict of every outcome that can be recorded."""
TOLD = {name: words for scale in RECORDED for name, words in zip(scale.names, scale.told, strict=True)}
"""What a user says of a print that came out so."""
EVERY = tuple(name for scale in RECORDED for name in scale.names)
