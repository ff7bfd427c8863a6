"""A process: printer × material × nozzle × layer height, each printed deviation with a mean and a spread.

*Growth* is how far the edges of printed layers lie outside the drawn outline on average, mm per side: at the widest place of
each bead, so crests, not the mean of a scalloped wall, which lies 0.107 of a layer further in. Its *ridges* (wavering beads,
seams) stand further out, and they are what jaws and mating parts meet. All numbers may be overridden by evidence.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from enum import StrEnum
from itertools import combinations
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process import materials
from bouncy_latch.core.process.materials import Material


class Policy(StrEnum):
    """Whose printer the design must work on."""

    MINE = "mine"
    ANYONE = "anyone"


class Spread(BaseModel):
    """A quantity known with uncertainty: mean and standard deviation in the same unit."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    mean: float
    sd: Annotated[float, Field(ge=0)]


Correlation = Annotated[float, Field(ge=-1, le=1)]


def _modulus_of(given: dict[str, Any]) -> Spread:
    mean, sd = materials.printed_modulus(str(given.get("material", "")))
    return Spread(mean=mean, sd=sd)


NozzleSize = Annotated[float, Field(ge=0.1, le=5)]
LayerHeight = Annotated[float, Field(ge=0.02, le=3)]
LineWidth = Annotated[float, Field(ge=0.08, le=6)]
"""Sizes that filament printers have, with room to spare, mm: thinner layers would ask for more memory than there is."""
Side = Annotated[float, Field(ge=20, le=5000)]
"""A side of what a printer has room for, mm."""
_BELIEVABLE = {"growth": 1.0, "hole_term": 1.0, "elephant_foot": 2.0, "shrinkage": 20.0, "sag": 20.0, "ridge": 1.0,
               "flank": 1.0, "peg_term": 1.0, "fit": 1.0, "pocket": 1.0, "boss": 1.0, "snap_force": 2.0, "spring_force": 2.0,
               "modulus": 1e6}
"""How large, as they are measured, a mean and a spread may be: beyond, somebody mistook a unit."""
TOGETHER = ("growth", "hole_term", "ridge", "peg_term", "fit", "flank", "pocket", "boss", "modulus", "snap_force",
            "spring_force")
"""Numbers of a process whose correlations it holds, pair by pair in this order."""
_PAIRS = tuple(combinations(TOGETHER, 2))
_PLACES = {pair: place for place, (one, other) in enumerate(_PAIRS) for pair in ((one, other), (other, one))}
_FIRST = ("growth", "hole_term", "ridge", "peg_term")
"""Those of older records, which held no others."""
PRESSING_ALIKE = 0.5
"""Correlation of how far the law of pressed crests is off for printed fits and for bought nuts: it is one law (common practice,
no source)."""
UNRELATED = tuple(PRESSING_ALIKE if pair == ("fit", "pocket") else 0.0 for pair in _PAIRS)
"""Correlations before anything was printed."""
SETTINGS = ("nozzle", "layer_height", "first_layer_height", "line_width", "loops", "infill", "solid_layers")
"""What a print is set up with: evidence of one setting of these says less of another."""


class Process(BaseModel):
    """One printer with one material and its settings.

    Attributes:
        growth: outline growth, of the layers' edges on average, mm per side.
        ridge: how far beyond that lie the high points that jaws and mating parts meet, mm per side.
        edge_noise: standard deviation of a printed edge along its path, mm.
        hole_term: extra shrink of holes, mm per side, halved at 3 mm radius (``hole_shrink``).
        elephant_foot: extra growth of the first layer, mm per side; it halves with every layer.
        shrinkage: linear shrinkage, per cent.
        sag: droop of an unsupported 10 mm bridge, mm.
        flank: the same of threads: how far each flank stands out beyond what growth and stairs make of it, normal to it, mm a
            side.
        peg_term: how much smaller round pegs print, mm per side, halved at 3 mm radius: a nozzle that lags in turns cuts them
            as it closes holes, if less surely (common practice, no source).
        fit, pocket, boss: how much tighter than worked out printed fits, bought nuts in their pockets and screws in their
            holes are, mm a side: what the model of each family does not know. Prints of that family narrow it; before, its
            spread is common practice, no source.
        snap_force, spring_force: the same of what bends: the logarithm of how much stiffer than worked out snap fits and
            springs are.
        correlated: correlations of what is believed of :data:`TOGETHER`, pair by pair: calipers tell sums of them better than
            each.
        bond_stacked, bond_side: strength of an unwanted weld laid one on the other or side by side, MPa.
        bond_spread: standard deviation of the logarithm of that strength.
        modulus: stiffness in bending along the layers, MPa; the material's where nothing else is said.
        solid_layers: solid layers at the bottom and at the top.
        material_values: values of the material that replace the table's, as pairs of a name of
            ``materials.VALUES`` and a number; a mapping may be given.
        overhang_limit: steepest underside that prints accurately, degrees from vertical.
        bed: what the printer has room for, width, depth and height, mm; None where nobody said.
        machine: what evidence of the printer is kept under, whatever it is called now; its name where empty.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    id: str
    printer: str
    material: str
    colour: str
    nozzle: NozzleSize = 0.4
    layer_height: LayerHeight = 0.2
    first_layer_height: LayerHeight = 0.2
    line_width: LineWidth = 0.45
    loops: Annotated[int, Field(ge=1, le=20)] = 2
    infill: Annotated[float, Field(ge=0, le=100)] = 15
    growth: Spread = Spread(mean=0.05, sd=0.02)
    edge_noise: Annotated[float, Field(ge=0, le=0.5)] = 0.03
    hole_term: Spread = Spread(mean=0.06, sd=0.02)
    elephant_foot: Spread = Spread(mean=0.15, sd=0.05)
    shrinkage: Spread = Spread(mean=0.2, sd=0.1)
    sag: Spread = Spread(mean=0.3, sd=0.1)
    ridge: Spread = Spread(mean=0.05, sd=0.015)
    flank: Spread = Spread(mean=0.0, sd=0.025)
    peg_term: Spread = Spread(mean=0.0, sd=0.015)
    fit: Spread = Spread(mean=0.0, sd=0.03)
    pocket: Spread = Spread(mean=0.0, sd=0.045)
    boss: Spread = Spread(mean=0.0, sd=0.04)
    snap_force: Spread = Spread(mean=0.0, sd=0.15)
    spring_force: Spread = Spread(mean=0.0, sd=0.15)
    correlated: Annotated[tuple[Correlation, ...], Field(min_length=len(_PAIRS), max_length=len(_PAIRS))] = UNRELATED
    bond_stacked: Annotated[float, Field(gt=0, le=100)] = 22.0
    bond_side: Annotated[float, Field(gt=0, le=100)] = 12.0
    bond_spread: Annotated[float, Field(ge=0, le=2)] = 0.35
    modulus: Spread = Field(default_factory=_modulus_of)
    solid_layers: Annotated[int, Field(ge=0, le=50)] = 4
    material_values: tuple[tuple[str, float], ...] = ()
    overhang_limit: Annotated[float, Field(ge=20, le=80)] = 45.0
    bed: tuple[Side, Side, Side] | None = None
    machine: str = ""
    source: str = "common practice"

    @field_validator(*_BELIEVABLE)
    @classmethod
    def _believable(cls, spread: Spread, info: ValidationInfo) -> Spread:
        most = _BELIEVABLE[str(info.field_name)]
        if abs(spread.mean) > most or spread.sd > most:
            raise ValueError(f"a mean of {spread.mean:g} ± {spread.sd:g} is beyond {most:g}")
        return spread

    @field_validator("correlated", mode="before")
    @classmethod
    def _of_older_records(cls, values: Any) -> Any:
        if isinstance(values, list | tuple) and len(values) == len(tuple(combinations(_FIRST, 2))):
            known = dict(zip(combinations(_FIRST, 2), values, strict=True))
            return tuple(known.get(pair, usual) for pair, usual in zip(_PAIRS, UNRELATED, strict=True))
        return values

    @field_validator("material_values", mode="before")
    @classmethod
    def _as_pairs(cls, values: Any) -> Any:
        return tuple(sorted(values.items())) if isinstance(values, dict) else values

    @field_validator("material_values")
    @classmethod
    def _known_values(cls, values: tuple[tuple[str, float], ...]) -> tuple[tuple[str, float], ...]:
        try:
            materials.material("PLA", dict(values))
        except ParamError as error:
            raise ValueError(error.sentence) from None
        return values

    @property
    def plastic(self) -> Material:
        """What the printed material bears, the modulus as this process has it.

        Raises:
            ParamError: for a material that is not in the table and lacks values.
        """
        values = dict(self.material_values)
        if materials.is_known(self.material):
            values = {"modulus": self.modulus.mean, "modulus_sd": self.modulus.sd, **values}
        return materials.material(self.material, values)

    @property
    def cured(self) -> bool:
        """Whether it is cured resin, which has no wall lines and no infill: it is solid."""
        return "resin" in self.material.lower()

    @property
    def filled(self) -> float:
        """Part of a part's inside that is plastic, 0 to 1."""
        return 1.0 if self.cured else self.infill / 100

    @property
    def title(self) -> str:
        """Short name for chips and reports."""
        return f"{self.printer} {self.nozzle:g} · {self.material} {self.colour} · {self.layer_height:.2f}"

    @property
    def kept_under(self) -> str:
        """What evidence of the printer, of all its spools and settings, is found by."""
        return (self.machine or self.printer).lower()

    @property
    def identity(self) -> tuple[str | float, ...]:
        """What evidence belongs to: printer, spool and settings."""
        return (self.kept_under, self.material.lower(), self.colour.lower(), *(getattr(self, name) for name in SETTINGS))

    def identified(self, known: Iterable[Process] = ()) -> Process:
        """Return it under the id of a known one with the same printer, spool and settings, else under one of its own."""
        same = next((each.id for each in known if each.identity == self.identity), None)
        words = " ".join(part if isinstance(part, str) else f"{part:g}" for part in self.identity)
        return self.model_copy(update={"id": same or re.sub(r"[^\w.]+", "-", words).strip("-")})

    def of_material(self, material: str) -> Process:
        """Return this process in another material: its own values are gone, and what bends has the material's stiffness."""
        return self.model_copy(update={"material": material, "material_values": (),
                                       "modulus": _modulus_of({"material": material})})

    def beside(self, material: str) -> Process:
        """Return a process of its own on the same printer in another material, of any colour."""
        made = self.of_material(material)
        return made.model_copy(update={"id": f"{self.id}-{material.lower().replace(' ', '-')}", "colour": "any",
                                       "source": f"{self.title}, in {material}"})

    def covariance(self, names: Sequence[str]) -> Array:
        """Return the covariance (n, n) of what is believed of some of its numbers."""
        sd = np.array([getattr(self, name).sd for name in names])
        return np.asarray(np.outer(sd, sd) * [[self.correlation(one, other) for other in names] for one in names])

    def correlation(self, one: str, other: str) -> float:
        """Return the correlation of what is believed of two of its numbers."""
        place = _PLACES.get((one, other))
        return float(one == other) if place is None else self.correlated[place]

    def stiffened(self, family: str) -> Process:
        """Return this process with the modulus that a family's forces have on it: what its model does not know (``snap_force``,
        ``spring_force``) is added to what is not known of the modulus itself."""
        more, modulus = getattr(self, family), self.modulus
        own = modulus.sd / modulus.mean
        sd = math.sqrt(max(own**2 + more.sd**2 + 2 * self.correlation("modulus", family) * own * more.sd, 0.0))
        times = math.exp(more.mean)
        values = tuple((name, value * times if name == "modulus" else value) for name, value in self.material_values
                       if name != "modulus_sd")
        mean = dict(self.material_values).get("modulus", modulus.mean) * times
        return self.model_copy(update={"modulus": Spread(mean=mean, sd=mean * sd), "material_values": values})

    def with_growth(self, growth: float) -> Process:
        """Return this process with a known growth (mm per side, no spread)."""
        return self.model_copy(update={"growth": Spread(mean=growth, sd=0.0)})

    def foot(self, layer: int) -> float:
        """Return the extra growth of layer ``layer`` (0 = first), mm per side: e_i = e_0 / 2^i."""
        return self.elephant_foot.mean * 0.5**layer

    def middle_of(self, layer: int) -> float:
        """Return the height of the middle of layer ``layer`` (0 = first) above the bed, mm."""
        return self.first_layer_height / 2 if layer == 0 else self.first_layer_height + (layer - 0.5) * self.layer_height

    def hole_shrink(self, radius: float) -> float:
        """Return the extra shrink of a hole of ``radius`` mm, mm per side, beyond the growth."""
        return hole_shrink(self.hole_term.mean, radius)


def hole_shrink(term: float, radius: float) -> float:
    """Return the extra shrink of a hole of ``radius`` mm, mm per side: the term, halved at 3 mm radius."""
    return term / (1.0 + max(radius, 0.0) / 3.0)
