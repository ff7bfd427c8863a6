"""Sizes of what goes into a hole, of the hole and of what both stand in."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.mechanisms.contract import Answer, Answers
from bouncy_latch.core.mechanisms.contract.answer import DAILY, SIDEWAYS
from bouncy_latch.core.mechanisms.fits.forms import Form, Polygon, Round
from bouncy_latch.core.parts import blocks

PRESS, SNUG, SLIDES = FITS = ("press", "snug", "slides")
PLAIN, RIBBED = SURFACES = ("plain", "crush ribs")


class FitParams(Params):
    """What every fit of two parts is asked and made with."""

    @property
    def form(self) -> Form:
        """The section of what goes in, as drawn."""
        raise NotImplementedError

    @property
    def ridges(self) -> int:
        """How many crush ribs it has, where it has any."""
        raise NotImplementedError

    fit: str = choice(PRESS, FITS, label="fit", role="given", source="you",
                      help="Press: pushed in by hand and stays. Snug: pushed in with no play to feel. Slides: goes in by its "
                           "own weight or a light push, and turns.")
    length: float = number(6, label="length", unit="mm", role="given", low=2, high=100, step=0.5, source="you",
                           help="How far the peg goes in; the part with the hole is as thick.")
    hold: float = number(10, label="must hold", unit="N", role="given", low=0.1, high=2000, step=1, source="you",
                         when={"fit": (PRESS,)}, help="Pull that a pressed peg must bear after a year.")
    push: float = number(150, label="push at most", unit="N", role="given", low=1, high=2000, step=5, source="you",
                         help="Greatest push that may put it in; a thumb gives about 40 N, both hands on a bench 200 N (common "
                              "practice, no source).")
    clearance: float = number(0.36, label="clearance", unit="mm", role="chosen", low=-0.3, high=1.0, step=0.01,
                              help="Drawn distance between peg and hole, per side; outline growth and hole shrink take some.")
    surface: str = choice(RIBBED, SURFACES, label="peg surface", role="chosen",
                          help="Crush ribs are ridges along the peg that are pressed flat as it goes in: they take up printer "
                               "error with little more push.")
    rib: float = number(0.4, label="rib height", unit="mm", role="chosen", low=0.15, high=2.0, step=0.05,
                        when={"surface": (RIBBED,)}, help="How far a rib stands out of the peg; its flanks slope at 45°.")
    lead: float = number(0.6, label="lead-in", unit="mm", role="chosen", low=0.0, high=5.0, step=0.1,
                         help="Bevel of 45° at the peg's tip and at both mouths of the hole.")
    wall: float = number(3, label="wall round the hole", unit="mm", role="chosen", low=0.8, high=40, step=0.1,
                         help="Plastic round the hole; a pressed peg stretches it.")
    backing: float = blocks.backing(4, label="under the peg", low=1.0, high=60, part="block",
                                    help="Thickness of the block that the peg stands on.")


class PegAndHoleParams(FitParams):
    """Sizes of a round peg and its hole."""

    diameter: float = number(10, label="peg diameter", unit="mm", role="given", low=2, high=80, step=0.1, source="you",
                             help="Drawn diameter of the peg.")
    ribs: int = number(3, label="ribs", unit="", role="chosen", low=3, high=24, step=1, whole=True, when={"surface": (RIBBED,)},
                       help="How many ribs there are, evenly round.")

    @property
    def form(self) -> Form:
        """The peg's section as drawn."""
        return Round(self.diameter / 2)

    @property
    def ridges(self) -> int:
        """How many crush ribs it has, where it has any."""
        return self.ribs


class PolygonPlugParams(FitParams):
    """Sizes of a plug of three to eight sides and its hole."""

    sides: int = number(4, label="sides", unit="", role="given", low=3, high=8, step=1, whole=True, source="you",
                        help="How many sides the plug has; it does not turn in its hole.")
    across: float = number(10, label="across", unit="mm", role="given", low=3, high=100, step=0.1, source="you",
                           help="Twice the distance from the middle to a side: across flats, of an even number of sides.")

    @property
    def form(self) -> Form:
        """The plug's section as drawn."""
        return Polygon(self.sides, self.across / 2)

    @property
    def ridges(self) -> int:
        """A crush rib in the middle of every side, where it has any."""
        return self.sides


ANSWERS: Answers = {
    "load": Answer("hold", figure="held"), "effort": Answer("push", figure="push"), "play": Answer(figure="play"),
    "opened": Answer(sets={DAILY: {"fit": SLIDES, "surface": PLAIN, "clearance": 0.27}}),
    "direction": Answer(refuses={SIDEWAYS: "its hold is worked out along the way it goes in; the figure “shears off at” is a "
                                           "bound, no verdict"}),
}
"""How fits answer a need: what is undone daily slides."""
CAUTIONS = (
    "A pressed fit lets go without warning as plastic creeps: nothing that people hang on or under.",
    "Tap a tight fit with a soft mallet, the part held in a vice and not in the hand; wear eye protection.",
)
