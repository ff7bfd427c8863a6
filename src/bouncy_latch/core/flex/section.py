"""The printed section of an arm: solid walls and skins round a soft infill core, as a sandwich whose core shears.

Bending depth t, width b, wall of ``loops`` lines, skin of solid layers, core of infill with modulus ratio E_r = ρ^1.5 (between
Gibson & Ashby's open cell, n = 2, and stretching, n = 1; common practice, no source). The shear of a soft core follows
H. G. Allen, *Analysis and Design of Structural Sandwich Panels* (1969), thick faces, cantilever with an end load:

    w/F = L³/3D + (L/S)(1 − D_f/D)² [1 − tanh(κL)/(κL)],  S = b_c d² G_c/c + S_webs,  κ² = S / [D_f (1 − D_f/D)]

with D_f the bending stiffness of everything that does not need the core: the faces and the skins, each about its own axis. The
skins are the webs of a closed box beside the core; their shear flow enters the walls at the edges and lags in the middle,
by q a/(3 G f) over a wall of thickness f and half width a (a shear that falls evenly to nothing in the middle), so S_webs =
G d²/(d/b_s + a/(3 f)) with b_s both skins (thin-walled boxes: S. P. Timoshenko & J. M. Gere, *Mechanics of Materials*).
"""

from __future__ import annotations

import math

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen

INFILL_EXPONENT = 1.5
ALONG, UPRIGHT = "along", "upright"
"""An arm lying in the layers (walls are the faces it bends between, skins its sides), or standing across them (walls all
round)."""
SHEAR = 5.0 / 6.0


@frozen
class Fill:
    """How a slicer fills a part.

    Attributes:
        loops: wall lines. line: line width, mm. infill: part of the volume, 0 to 1. skin: solid layers on either side, mm.
        lay: :data:`ALONG` or :data:`UPRIGHT`. exponent: of the infill's modulus.
    """

    loops: int
    line: float
    infill: float
    skin: float
    lay: str = ALONG
    exponent: float = INFILL_EXPONENT

    @property
    def core_ratio(self) -> float:
        """Modulus of the infill over that of the solid."""
        return float(max(self.infill, 1e-4) ** self.exponent)

    @property
    def words(self) -> str:
        """What it is, for notes."""
        return f"{self.loops} wall line{'s' if self.loops != 1 else ''}, {100 * self.infill:.0f} % infill"


@frozen
class Section:
    """Stiffness of a section per unit modulus.

    Attributes:
        depth, width: mm. area: Σ E_i A_i / E, mm². bending: D/E, mm⁴. own: D_f/E, mm⁴. shear: solid shear area, mm².
        core_shear: S/E of core and skins, mm²; 0 without a core. solid: part of the area that is solid.
    """

    depth: float
    width: float
    area: float
    bending: float
    own: float
    shear: float
    core_shear: float
    solid: float

    @property
    def fullness(self) -> float:
        """Bending stiffness over that of the same section printed solid."""
        return self.bending / (self.width * self.depth**3 / 12)

    def softness(self, length: float, poisson: float) -> float:
        """Return the shear compliance per mm of an arm of ``length`` mm, times E, 1/mm²: solid shear and Allen's core."""
        part = max(0.0, 1 - self.own / self.bending)
        # The parabolic shear of a solid bar, as far as the arm still bends as solid bars.
        solid = (1 - part) * 2 * (1 + poisson) / self.shear
        if self.core_shear <= 0 or part < 1e-9:
            return solid
        kappa = math.sqrt(self.core_shear / (self.own * part))
        lag = 1 - math.tanh(kappa * length) / (kappa * length)
        return solid + part**2 * lag / self.core_shear


def section(depth: float, width: float, fill: Fill, poisson: float = 0.35) -> Section:
    """Return the printed section of an arm ``depth`` mm thick in the plane it bends in and ``width`` mm wide.

    Raises:
        SolveError: when nothing of it can be printed.
    """
    if depth < fill.line or width < fill.line:
        thin, name = (depth, "thickness") if depth <= width else (width, "width")
        raise SolveError(f"an arm {thin:.2f} mm thin is thinner than one printed line ({fill.line:g} mm)", field=name,
                         value=thin, limit=fill.line)
    wall = fill.loops * fill.line
    side = wall if fill.lay == UPRIGHT else fill.skin
    core_depth, core_width = max(0.0, depth - 2 * wall), max(0.0, width - 2 * side)
    if core_depth < 1e-9 or core_width < 1e-9:
        core_depth = core_width = 0.0
    ratio = fill.core_ratio
    whole = depth * width
    core = core_depth * core_width
    bending = (width * depth**3 - core_width * core_depth**3 * (1 - ratio)) / 12
    area = whole - core * (1 - ratio)
    core_shear, own = 0.0, bending
    if core > 0:
        face, apart = wall, depth - wall
        # The skins are the webs of a closed box; what they carry must spread into the walls from their edges.
        webs = 1 / (apart / (width - core_width) + width / 2 / (3 * face)) if core_width < width else 0.0
        core_shear = (core_width * ratio / core_depth + webs) * apart**2 / (2 * (1 + poisson))
        own = ((width - core_width) * depth**3 + core_width * 2 * face**3) / 12
    return Section(depth, width, area, bending, min(own, bending), SHEAR * (whole - core), core_shear, 1 - core / whole)


def cantilever_compliance(made: Section, length: float, modulus: float, poisson: float = 0.35) -> float:
    """Return tip deflection over end load of a straight arm of ``length`` mm built in at one end, mm/N."""
    return (length**3 / (3 * made.bending) + length * made.softness(length, poisson)) / modulus
