"""The evidence commands: results and readings in and out, and what they teach."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import typer

from bouncy_latch.cli.shared import (
    DEFAULT_PROCESS,
    MOST_TEXT,
    PolicyOption,
    ProcessOption,
    SetOption,
    figure,
    known_of,
    ladder_of,
    own_process,
    policy_named,
    process_named,
    say,
    store,
    values_of,
)
from bouncy_latch.core import fields, files
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.profile import Process

evidence_app = typer.Typer(no_args_is_help=True, help="Results of prints, kept across projects.")


OwnOption = Annotated[str, typer.Option("--process", help="Whose printer: a JSON file, or an example printer's id.")]


LADDERS = "KIND|first|fits|flat-gaps|pegs-and-holes|bridges|bend-bar|screws"
SureOption = Annotated[bool, typer.Option("--sure", help="Count results, too, that contradict all that is known.")]


def _added(items: Sequence[Result | Reading], chosen: Process, sure: bool) -> dict[str, Any]:
    """Add results and readings and return what to say of it; those that contradict all that is known do not count yet."""
    from bouncy_latch.core.learn.posterior.contradiction import questions

    asked = [] if sure else questions(known_of(chosen), items)
    added = store().add(items, [chosen], fresh=True, left_out=[each.item for each in asked])
    why = [{"chance": figure(each.chance), "why": f"{each.sentence} With --sure the command counts it."} for each in asked]
    return {"added": added, "process": chosen.id, **({"left_out": why} if why else {})}


@evidence_app.command("add")
def evidence_add(kind: str, outcome: Annotated[str, typer.Option("--outcome", help="What became of it.")],
                 value: Annotated[str, typer.Option("--value", help="The kind's main size as printed, mm.")],
                 process: OwnOption = "", set_: SetOption = None,
                 note: Annotated[str, typer.Option("--note")] = "", sure: SureOption = False) -> None:
    """Record what became of one print: a step of the newest ladder with that size, else the test piece, or sizes as --set."""
    from bouncy_latch.core.learn.calibration import written
    from bouncy_latch.core.process.evidence import result
    from bouncy_latch.core.project.folders import data_folder

    chosen, known = own_process(process), registry.kind(kind)
    size = getattr(fields.parse(known.params, {known.recommend: value}), known.recommend)
    step = None if set_ else written.sizes_of(data_folder(), kind, chosen.id, size)
    sizes, of = step if step is not None else ("", "")
    if set_:
        made = known.piece_of(known.params()).changed(**values_of(set_))
        sizes, of = made.model_dump_json(exclude={known.recommend}, exclude_defaults=True), "as set"
    found = result(process=chosen.id, kind=kind, param=known.recommend, value=size,
                   outcome=written.outcome_named(outcome, known.outcomes.names), note=note, params=sizes)
    say(_added([found], chosen, sure) | {"sizes": of or "test piece"})


@evidence_app.command("ladder")
def evidence_ladder(what: Annotated[str, typer.Argument(metavar=LADDERS)],
                    process: OwnOption = "",
                    outcomes: Annotated[str, typer.Option("--outcomes", help="One a step in order, comma-separated; - for "
                                                                             "none: welded,tool,by hand,free")] = "",
                    fits: Annotated[str, typer.Option("--fits", help="Of the first print's peg in its holes, one each: hammer, "
                                                                     "pushed, snug, slides, falls.")] = "",
                    others: Annotated[str, typer.Option("--others", help="Of the bolt and the pockets beside it, one each: "
                                                                         "snug,pressed,drops.")] = "",
                    readings: Annotated[list[str] | None, typer.Option(
                        "--readings", help="Of its places in order, places apart by semicolons, or each as "
                                           "'outside 10: 10.04 10.05'; may be repeated.")] = None,
                    steps: Annotated[str, typer.Option("--steps", help="Its sizes, where it was not written here.")] = "",
                    sure: SureOption = False) -> None:
    """Record what became of a whole ladder: outcomes of its steps and readings of its places, all or none."""
    from bouncy_latch.core.learn.calibration import coupons, written
    from bouncy_latch.core.learn.posterior.belief import scale_of
    from bouncy_latch.core.project.folders import data_folder

    chosen = own_process(process)
    found = next((w for w in written.recalled(data_folder()) if (w.what, w.process) == (what, chosen.id)), None)
    if steps or found is None:
        plain = coupons.plain_coupons()
        if what in plain:
            coupon = plain[what](chosen)
        elif not steps:
            raise ParamError(f"no {what} ladder was written here for {chosen.id}; name its --steps", field="steps")
        else:
            coupon = ladder_of(what, chosen, steps)
        found = written.of(coupon, what, chosen.id)
    known = scale_of(found.kind).names if found.kind else ()
    items: list[Result | Reading] = [*written.outcomes_of(found, outcomes, known), *written.fits_of(found, fits, chosen),
             *written.others_of(found, others), *written.readings_of(found, readings or [])]
    if not items:
        raise ParamError("a ladder teaches by --outcomes, --fits, --others or --readings; none were given", field="outcomes")
    say(_added(items, chosen, sure) | {
        "steps": [value for value, _ in found.steps],
        "measure": [{"feature": feature, "nominal": nominal} for feature, nominal in found.places],
        "fits": list(found.fits), **({"others": [[kind, value] for kind, value, _ in found.others]} if found.others else {})})


@evidence_app.command("measure")
def evidence_measure(feature: Annotated[str, typer.Argument(help="Such as outside, hole, sag, bend, slides at, tears at.")],
                     readings: Annotated[str, typer.Option("--readings", help="Such as '9.98 10.01 9.97'.")],
                     nominal: Annotated[str, typer.Option("--nominal", help="The drawn size, mm (sag: the span).")] = "",
                     process: OwnOption = "", note: Annotated[str, typer.Option("--note")] = "") -> None:
    """Record caliper readings of one size of a coupon."""
    from bouncy_latch.core.process.evidence import reading

    chosen = own_process(process)
    made = reading(process=chosen.id, feature=feature, nominal=nominal, values=readings, note=note)
    say({"added": store().add([made], [chosen], fresh=True), "process": chosen.id})


@evidence_app.command("weigh")
def evidence_weigh(kind: str, grams: Annotated[float, typer.Option("--grams", help="The weight that hangs on it.")],
                   travel: Annotated[float, typer.Option("--travel", help="How far it moved, mm.")],
                   process: OwnOption = "", set_: SetOption = None) -> None:
    """Record how far a weight moved a printed spring; how stiff the plastic prints is learnt from it."""
    from bouncy_latch.core.learn.posterior.weighed import weighed

    chosen, known = own_process(process), registry.kind(kind)
    made = weighed(known, known.params().changed(**values_of(set_ or [])), chosen, grams, travel)
    say({"added": store().add([made], [chosen], fresh=True), "process": chosen.id,
         "as_drawn": {"value": figure(made.values[0]), "unit": "GPa"}})


@evidence_app.command("learn")
def evidence_learn(process: ProcessOption = DEFAULT_PROCESS, policy: PolicyOption = "mine",
                   span: Annotated[str, typer.Option("--span", help="What a lid over a flat spans, mm.")] = "10"
                   ) -> None:
    """Show what the evidence teaches about a process, what contradicts itself, and the gaps that follow."""
    from bouncy_latch.core.learn.calibration import situations
    from bouncy_latch.core.learn.posterior.names import NAMES

    asked = [situations.spanning(s, situations.span_of(span)) for s in situations.SITUATIONS]
    known = known_of(process_named(process))
    judged = population.effective(known.believed, policy_named(policy))
    advice = [situations.recommendation(s, aim, judged) for s in asked for aim in s.aims]
    say({
        "process": known.process.id, "source": judged.source,
        "belief": {name: {"mean": figure(getattr(judged, name).mean), "sd": figure(getattr(judged, name).sd)}
                   for name in NAMES},
        "weld_factor": {"mean": figure(known.learnt.belief.factor.mean), "sd": figure(known.learnt.belief.factor.sd),
                        "unit": "logarithm"},
        "evidence": len(known.items), "left_out": len(known.excluded), "unused": list(known.learnt.unused),
        "doubts": [{"chance": figure(d.chance), "slip": figure(d.slip), "why": d.sentence} for d in known.learnt.doubts],
        "recommended": [{"situation": r.situation.label, "aim": r.aim, "for": situations.PURPOSES[r.aim], "gap": r.gap,
                         "unit": "mm per side", "chance": figure(r.chance)}
                        | ({"span": r.situation.span} if r.situation.span else {}) for r in advice],
        "cautions": [{"situation": s.label, "why": told} for s in asked if (told := situations.caution(s, judged))],
        "bed_chamfers": [{"situation": s.label, "chamfer": situations.chamfer_for(s, judged)}
                         for s in situations.SITUATIONS if s.chamfer == 0],
    })


@evidence_app.command("import")
def evidence_import(path: Path) -> None:
    """Import results or readings from a CSV or JSON, all of them or none; the same twice are kept once."""
    from bouncy_latch.core.process.evidence_files import from_text

    found = from_text(files.read_text(path, MOST_TEXT), path.name)
    say({"read": len(found), "added": store().add(found)})


@evidence_app.command("show")
def evidence_show(process: Annotated[str, typer.Option("--process", help="Only of this one: PRINTER/MATERIAL COLOUR, an id, or "
                                                                          "a JSON file of a process.")] = "",
                  as_csv: Annotated[bool, typer.Option("--csv", help="Results as CSV instead of JSON.")] = False,
                  readings: Annotated[bool, typer.Option("--readings", help="With --csv: the readings.")] = False) -> None:
    """Show all results and readings."""
    from bouncy_latch.core.process.evidence_files import to_csv, to_json

    kept = store()
    wanted = _process_id(process, kept) if process else None
    if as_csv:
        sys.stdout.write(to_csv(kept.readings(wanted)) if readings else to_csv(kept.results(wanted)))
    else:
        sys.stdout.write(to_json([*kept.results(wanted), *kept.readings(wanted)]))


def _process_id(name: str, kept: Any) -> str:
    """Return the id evidence of a process is kept under, by any name it has; raises UserError for one nobody knows."""
    if any(name == each.id for each in kept.processes()) or kept.results(name) or kept.readings(name):
        return name
    return process_named(name).id
