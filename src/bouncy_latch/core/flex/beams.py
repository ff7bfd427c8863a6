"""Closed forms of snap-fit design: strain of three tapers, mating force, self-lock, root flexibility, fillet stress.

They are what a handbook gives; the frame and the contact path compute the same with real geometry, and tests hold one
against the other. Angles rad, lengths mm, forces N, moduli MPa.
"""

from __future__ import annotations

import math

STRAIGHT, THINNING, NARROWING = "none", "thickness", "width"
TAPERS = (STRAIGHT, THINNING, NARROWING)
"""No taper; thickness down to half at the tip; width down to a quarter at the tip."""
TIP_THICKNESS, TIP_WIDTH = 0.5, 0.25


def taper_factor(taper: str) -> float:
    """Return C of y = C ε L²/h for a cantilever with its greatest strain ε at the root.

    2/3 constant; 16 ln 2 − 10 for thickness h → h/2; 4/9 + 16/27 ln 2 for width b → b/4 (integrals of M/EI).
    """
    return {STRAIGHT: 2 / 3, THINNING: 16 * math.log(2) - 10, NARROWING: 4 / 9 + 16 / 27 * math.log(2)}[taper]


def handbook_strain(deflection: float, thickness: float, length: float, taper: str = STRAIGHT) -> float:
    """Return the root surface strain, ε = y h / (C L²)."""
    return deflection * thickness / (taper_factor(taper) * length**2)


def handbook_force(strain: float, width: float, thickness: float, length: float, modulus: float) -> float:
    """Return the deflection force at the tip, P = b h² E ε / (6 L), N."""
    return width * thickness**2 * modulus * strain / (6 * length)


def mating_factor(angle: float, friction: float) -> float:
    """Return W/P = tan(α + atan µ) of a face at ``angle`` rad to the travel; infinite where it locks itself."""
    whole = angle + math.atan(friction)
    return math.tan(whole) if whole < math.pi / 2 - 1e-9 else math.inf


def locking_angle(friction: float) -> float:
    """Return the face angle from which a catch cannot be pulled out, 90° − atan µ, rad."""
    return math.pi / 2 - math.atan(friction)


def root_rotation(thickness: float, width: float, modulus: float) -> float:
    """Return the rotation of a wide elastic wall per moment of an arm built into it, rad/(N·mm): 16.67 M/(π E b h²).

    O'Donnell, *The additional deflection of a cantilever due to the elasticity of the support*, J. Appl. Mech. 27 (1960),
    from memory; held against plane-stress finite elements in the tests.
    """
    return 16.67 / (math.pi * modulus * width * thickness**2)


def fillet_factor(radius: float, thickness: float) -> float:
    """Return the strain concentration of a fillet where an arm of ``thickness`` bends out of a wide wall.

    K = 1.045 (r/h)^−0.28, fitted to plane-stress finite elements for r/h 0.05 to 0.6 within 3 % (fits to Peterson's chart of a
    shoulder in bending, from memory, lie within 8 %), at least 1; radii under h/20 are taken as h/20, below which a nozzle
    rounds them anyway.
    """
    return max(1.0, 1.045 * float(max(radius / thickness, 0.05) ** -0.28))


def curved_factor(inner: float, thickness: float) -> float:
    """Return the stress factor at the inside of a curved bar of inner radius ``inner``, K_i = t (r_n − r_i)/(6 e r_i)
    (Winkler–Bach); inner radii under t/20 are taken as t/20."""
    r_i = max(inner, 0.05 * thickness)
    r_o = r_i + thickness
    neutral = thickness / math.log(r_o / r_i)
    return thickness * (neutral - r_i) / (6 * ((r_i + r_o) / 2 - neutral) * r_i)
