"""The command line: the same core from a shell. JSON on stdout; errors are one sentence on stderr with exit code 2."""

from __future__ import annotations

import io
import json
import logging
import math
import os
import sys
import warnings
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer
from pydantic import ValidationError

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.advise.printing import Printed
from bouncy_latch.core.advise.verdicts import Outlook, Proof, Request, outlook, prove
from bouncy_latch.core.checks import Check, ordered
from bouncy_latch.core.errors import ParamError, ReadError, UserError, reason_of, shortly
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.mechanisms import fields, registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.process import population
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Policy, Process

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False,
                  help="Bouncy Latch from a shell: JSON out, errors as one sentence with exit code 2.")

SetOption = Annotated[list[str] | None, typer.Option("--set", help="A parameter, name=value; may be repeated.")]
ProcessOption = Annotated[str, typer.Option("--process", help="A built-in process id or a JSON file of one.")]
PolicyOption = Annotated[str, typer.Option("--policy", help="mine (this printer) or anyone (the population).")]
_DEFAULT_PROCESS = population.built_in()[0].id


MOST_TEXT = 20 * 2**20
MOST_SENTENCE = 1200


def _say(value: object) -> None:
    sys.stdout.write(json.dumps(value, indent=1, ensure_ascii=False) + "\n")


def _process(name: str) -> Process:
    for process in population.built_in():
        if name == process.id:
            return process
    path = Path(name)
    if path.suffix == ".json":
        try:
            return Process.model_validate(plainjson.loads(files.read(path, MOST_TEXT), path.name))
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise ReadError(f"{path.name} is not a readable process file ({where}: {shortly(first['msg'])}); "
                            "`process` prints one to start from") from None
        except (TypeError, ValueError, ArithmeticError):
            raise ReadError(f"{path.name} is not a readable process file; `process` prints one to start from") from None
    known = ", ".join(p.id for p in population.built_in())
    raise ParamError(f"there is no process '{shortly(name)}'; known are {known}, or a .json file", field="process", value=name)


def _own_process(name: str) -> Process:
    """Return the process evidence belongs to; it must be named, or it would go to the printer of the demo."""
    if not name:
        known = ", ".join(p.id for p in population.built_in())
        raise ParamError(f"say which printer this is evidence of: --process FILE.json, or an example printer ({known})",
                         field="process")
    return _process(name)


def _policy(name: str) -> Policy:
    try:
        return Policy(name)
    except ValueError:
        raise ParamError(f"policy must be mine or anyone, not '{name}'", field="policy", value=name) from None


def _values(pairs: list[str] | None) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for pair in pairs or []:
        name, equals, value = pair.partition("=")
        if not equals:
            raise ParamError(f"'{pair}' is not name=value", field=name)
        values[name.strip()] = value.strip()
    return values


def _request(kind_id: str, pairs: list[str] | None, process: str, policy: str) -> Request:
    kind = registry.kind(kind_id)
    return Request(kind, fields.parse(kind.params, _values(pairs)), _known(_process(process)).believed, _policy(policy))


def _check(check: Check, remedies: dict[str, list[Any]]) -> dict[str, Any]:
    found = {
        "id": check.id, "label": check.label, "value": _figure(check.value), "limit": _figure(check.limit),
        "unit": check.unit, "margin": _figure(check.margin), "verdict": check.verdict, "why": check.why,
        "topic": check.topic, "basis": check.basis,
        "remedies": [{"param": r.param, "value": r.value, "unit": r.unit, "margin": _figure(r.margin), "text": r.text}
                     for r in remedies.get(check.id, [])],
    }
    if check.place is not None:
        found["place"] = [_figure(v) for v in check.place]
    return found


def _figure(value: float) -> float:
    return round(value, 4)


def report(solution: Solution, view: Outlook, proof: Proof | None) -> dict[str, Any]:
    """Return the stable JSON contract of ``solve``."""
    params = {}
    for name, facts in type(solution.params).facts().items():
        params[name] = {"value": getattr(solution.params, name), "unit": facts.unit, "role": facts.role}
    checks = [*solution.checks, *(proof.checks if proof else ())]
    remedies = {**view.remedies, **(proof.remedies if proof else {})}
    return {
        "kind": solution.kind,
        "process": solution.process.id,
        "params": params,
        "derived": {d.name: {"value": _figure(d.value), "unit": d.unit, "formula": d.formula, "source": d.source}
                    for d in solution.derived},
        "checks": [_check(c, remedies) for c in ordered(checks)],
        "print_window": None if view.window is None else
        {"lo": _figure(view.window.low), "hi": _figure(view.window.high), "unit": "mm/side"},
        "prediction": _prediction(solution),
        "recommended": {} if view.recommended is None else
        {registry.kind(solution.kind).recommend: _figure(view.recommended)},
    }


def _prediction(solution: Solution) -> dict[str, Any]:
    """What is expected: of a joint printed in place how it frees, of parts put together the chance and the forces."""
    found: dict[str, Any] = {"aim": {"words": solution.aim.words, "chance": _figure(solution.aim.chance)}}
    freeing, play = solution.freeing, solution.play
    if freeing is not None:
        found |= {"class": freeing.outcome,
                  "p": {name: _figure(chance) for name, chance in zip(OUTCOMES, freeing.chances, strict=True)},
                  "breakaway": {"value": _figure(freeing.breakaway), "unit": "N·mm"}}
    if play is not None:
        found["play"] = {"axial": _figure(play.axial), "radial": _figure(play.radial), "edge": _figure(play.edge),
                         "tilt_deg": _figure(play.tilt * 57.29577951), "unit": "mm"}
    if solution.course is not None:
        course = solution.course
        # What locks has no force; JSON has no infinity either.
        curves = {name: [_figure(f) if math.isfinite(f) else None for f in curve] for name, curve in course.curves.items()}
        found["course"] = {"unit": course.unit, "travel": [_figure(v) for v in course.values], **curves}
    if solution.notes:
        found["print_notes"] = dict(solution.notes)
    return found


@app.command()
def kinds() -> None:
    """List the mechanism kinds and their parameters."""
    _say({
        kind.id: {
            "title": kind.title, "summary": kind.summary,
            "params": {f.name: {"label": f.label, "unit": f.unit, "role": f.role, "default": f.default, "help": f.help,
                                **({"choices": f.choices} if f.choices else {"low": f.low, "high": f.high})}
                       for f in kind.params.facts().values()},
        }
        for kind in registry.kinds().values()
    })


@app.command()
def solve(kind: str, set_: SetOption = None, process: ProcessOption = _DEFAULT_PROCESS,
          policy: PolicyOption = "mine",
          quick: Annotated[bool, typer.Option("--quick", help="Leave out the sweep and the layers.")] = False,
          json_: Annotated[bool, typer.Option("--json", help="JSON output (always on).", hidden=True)] = True) -> None:
    """Work a mechanism out: dimensions, checks with remedies, prediction, print window, recommended gap."""
    request = _request(kind, set_, process, policy)
    solution = request.solve()
    _say(report(solution, outlook(request, solution), None if quick else prove(request, solution)))


@app.command()
def target(kind: str, set_: SetOption = None, process: ProcessOption = _DEFAULT_PROCESS, policy: PolicyOption = "mine",
           others: Annotated[bool, typer.Option("--others", help="Offer other forms and materials even where it is reached.")]
           = False) -> None:
    """Design to a target: what is --set stays, the other sizes are found; names the bounds and what binds."""
    from bouncy_latch.core.advise import target as targets

    request = _request(kind, set_, process, policy)
    fixed = frozenset(_values(set_))
    best = targets.design(request.kind, request.params, request.judged, fixed)
    more = targets.others(request.kind, best, fixed) if others or not best.reached else ()
    _say({"best": _proposal(best, request), "others": [_proposal(item, request) for item in more]})


def _proposal(found: Any, request: Request) -> dict[str, Any]:
    return {"words": found.words, "reached": found.reached, "chance": _figure(found.chance),
            "set": found.changes(request.params),
            "material": found.process.material, "bounds": list(found.bounds), "solved": found.solved,
            "binding": {"id": found.binding.id, "label": found.binding.label, "value": _figure(found.binding.value),
                        "limit": _figure(found.binding.limit), "unit": found.binding.unit, "verdict": found.binding.verdict}}


@app.command()
def export(what: Annotated[str, typer.Argument(metavar="KIND|PROJECT")],
           out: Annotated[Path, typer.Option("--out", help="Folder for the files.")],
           set_: SetOption = None, process: ProcessOption = _DEFAULT_PROCESS, policy: PolicyOption = "mine",
           format_: Annotated[str, typer.Option("--format", help="Any of 3mf,stl,step,csv.")] = "3mf,stl,step",
           test_piece: Annotated[bool, typer.Option("--test-piece", help="On minimal hosts.")] = False) -> None:
    """Write the parts, one file or named object a body, in print pose."""
    from bouncy_latch.core.exchange import parts
    from bouncy_latch.core.project import store

    formats = tuple(f.strip().lower() for f in format_.split(",") if f.strip())
    jobs: list[tuple[Request, str]] = []
    if Path(what).suffix == ".latch":
        if set_:
            raise ParamError("--set goes with a kind, not with a project", field="set")
        project = store.load(Path(what)).project
        for item in project.mechanisms:
            request = Request(registry.kind(item.kind), item.parsed(), project.process, project.policy, item.setup)
            jobs.append((request, parts.file_stem(item.name)))
    else:
        jobs.append((_request(what, set_, process, policy), what))
    written: list[str] = []
    solved = []
    for request, name in jobs:
        if test_piece:
            piece = parts.test_piece(request.kind, request.params)
            request = Request(request.kind, piece, request.process, request.policy)
            name += "-test"
        solved.append((request, request.solve(), name))
    for request, solution, name in solved:
        written += [str(path) for path in parts.export(solution, name, out, formats, request.setup)]
    _say({"files": written})


@app.command()
def predict(meshes: Annotated[list[Path], typer.Argument(metavar="MESH...")],
            process: ProcessOption = _DEFAULT_PROCESS, policy: PolicyOption = "mine",
            axis: Annotated[str, typer.Option("--axis", help="Turns about: z, 0,0,1 or 5,0,3:0,0,1 (point:direction).")] = "",
            slide: Annotated[str, typer.Option("--slide", help="Slides along: written like --axis.")] = "",
            unit: Annotated[str, typer.Option("--unit", help="Of the files: mm, cm, m or inch.")] = "mm",
            seen: Annotated[list[str] | None, typer.Option("--seen", help="A side that shows; may be repeated.")] = None,
            bends: Annotated[str, typer.Option("--bends", help="With --poses: what flexes is stretched along this.")] = "",
            poses: Annotated[bool, typer.Option("--poses", help="Also compare the ways up.")] = False) -> None:
    """Predict the print of any bodies, as they stand: what welds, what droops, floats or vanishes, which way up is best."""
    from bouncy_latch.core.advise import loose, printing
    from bouncy_latch.core.exchange import foreign
    from bouncy_latch.core.layers.setup import DIRECTIONS, PrintSetup

    if axis and slide:
        raise ParamError("bodies turn about an axis or slide along one, not both", field="axis")
    unknown = [side for side in seen or [] if side not in DIRECTIONS]
    if unknown:
        raise ParamError(f"there is no side '{unknown[0]}'; known are {', '.join(DIRECTIONS)}", field="seen", value=unknown[0])
    judged = population.effective(_known(_process(process)).believed, _policy(policy))
    found = foreign.read_all(meshes, unit)
    freedom = loose.freedom_from("turn" if axis else "slide", axis or slide, found.bodies) if axis or slide else None
    along = (loose.freedom_from("bends", bends, found.bodies).direction,) if bends else ()
    job = loose.job_of(found.bodies, judged, freedom, PrintSetup(seen=tuple(seen or ())), along)
    said = print_report(printing.judge(job))
    said["notes"] = list(found.notes)
    if poses:
        said["poses"] = [{"name": s.pose.name, "points": round(s.points, 1), "by_hand": _figure(s.by_hand),
                          "unsupported": round(s.unsupported, 1), "height": _figure(s.height), "minutes": round(s.minutes),
                          "reasons": list(s.reasons), "turn": [round(v, 6) for v in s.pose.turn]}
                         for s in printing.poses(job)]
    _say(said)


def print_report(printed: Printed) -> dict[str, Any]:
    """Return the stable JSON contract of ``predict``."""
    made, freeing = printed.prediction, printed.freeing
    return {
        "bodies": list(made.names), "layers": len(made.layers), "growth": made.growth,
        "weld_area": {**{kind: _figure(made.area(kind)) for kind in ("stacked", "side", "sag")}, "unit": "mm²"},
        "joint": None if freeing is None else {
            "class": freeing.outcome, "p": dict(zip(OUTCOMES, map(_figure, freeing.chances), strict=True)),
            "breaks_first": freeing.breaks_first, "gap": {"printed": _figure(freeing.printed_gap), "unit": "mm"},
            "breakaway": {"value": _figure(freeing.breakaway), "hand": _figure(freeing.strength.hand),
                          "tool": _figure(freeing.strength.tool), "weakest": freeing.strength.weakest,
                          "part": None if math.isinf(freeing.strength.part) else _figure(freeing.strength.part),
                          "unit": freeing.strength.unit}},
        "spots": [{"x": _figure(s.x), "y": _figure(s.y), "z": _figure(s.z), "area": _figure(s.area), "kind": s.kind,
                   "layers": [s.first_layer + 1, s.last_layer + 1], "pair": list(s.pair)} for s in printed.spots[:50]],
        "checks": [_check(c, {}) for c in ordered(printed.checks)],
        "findings": [{"id": f.id, "body": f.body, "verdict": f.verdict, "value": _figure(f.value), "limit": _figure(f.limit),
                      "unit": f.unit, "layers": [f.first_layer + 1, f.last_layer + 1], "extent": _figure(f.extent),
                      "place": None if f.place is None else [_figure(v) for v in f.place], "why": f.why}
                     for f in ordered(made.findings) if isinstance(f, Finding)],
        "unsupported": {"value": _figure(made.unsupported), "unit": "mm²"},
        "sizes": {s.body: {"drawn": [_figure(v) for v in s.drawn], "printed": [_figure(v) for v in s.printed], "unit": "mm"}
                  for s in made.sizes},
        "estimate": {"minutes": round(printed.estimate.minutes), "grams": round(printed.estimate.grams, 1),
                     "formula": printed.estimate.formula},
    }


@app.command()
def ladder(what: Annotated[str, typer.Argument(metavar="KIND|first|pegs-and-holes|flat-gaps|bridges|bend-bar")],
           out: Annotated[Path, typer.Option("--out", help="Folder for the files.")],
           steps: Annotated[str, typer.Option("--steps", help="Sizes, comma-separated; left alone they lie where they tell "
                                                              "most.")] = "",
           set_: SetOption = None, process: ProcessOption = _DEFAULT_PROCESS,
           format_: Annotated[str, typer.Option("--format", help="3mf or stl.")] = "3mf") -> None:
    """Write a ladder: one small print of engraved steps that teaches what this printer does."""
    from bouncy_latch.core.advise import ladders, written
    from bouncy_latch.core.exchange import meshes as mesh_files
    from bouncy_latch.core.project.folders import data_folder
    from bouncy_latch.core.solids import mesh

    plain = ladders.plain_coupons()
    chosen = _process(process)
    coupon = plain[what](chosen) if what in plain else _coupon(what, chosen, steps, _values(set_))
    bodies = {f"{coupon.id}-{name}": mesh.evaluate(solid) for name, solid in coupon.bodies.items()}
    if format_ == "3mf":
        contents = {out / f"{coupon.id}.3mf": mesh_files.to_3mf(bodies, coupon.title)}
    elif format_ == "stl":
        contents = {out / f"{name}.stl": mesh_files.to_stl(body, name) for name, body in bodies.items()}
    else:
        raise ParamError(f"a ladder is written as 3mf or stl, not '{format_}'", field="format", value=format_)
    files.folder(out)
    files.write_all(contents)
    try:
        written.remember(data_folder(), written.of(coupon, what, chosen.id))
        notes = []
    except UserError as error:
        notes = [f"its sizes could not be remembered: {error.sentence}"]
    cost = coupon.estimate(chosen)
    _say({"param": coupon.param, "steps": [s.value for s in coupon.steps if not s.feature],
          "measure": [{"feature": s.feature, "nominal": s.value} for s in coupon.steps if s.feature],
          "estimate": {"minutes": round(cost.minutes, 1), "grams": round(cost.grams, 1), "formula": cost.formula},
          "files": [str(path) for path in contents], **({"notes": notes} if notes else {})})


def _coupon(what: str, process: Process, steps: str, params: dict[str, Any] | None = None) -> Any:
    """Return the ladder of a kind, or the first one, with given steps or those that tell most."""
    from bouncy_latch.core.advise import ladders

    kind = registry.first() if what == "first" else registry.kind(what)
    name = kind.recommend
    if steps:
        values = tuple(float(getattr(fields.parse(kind.params, {name: v}), name)) for v in steps.split(","))
    else:
        known = _known(process)
        values = ladders.telling_steps(kind, known.believed, known.learnt.belief)
    return ladders.first(kind, process, values) if what == "first" else ladders.of_kind(kind, process, values, params)


def _known(process: Process) -> Any:
    from bouncy_latch.core.advise.experience import experience

    return experience(process, _store())


@app.command()
def study(what: Annotated[str, typer.Argument(metavar="first-print")] = "first-print",
          printers: Annotated[int, typer.Option("--printers", min=1, max=2000, help="Virtual printers.")] = 200,
          seed: Annotated[int, typer.Option("--seed", min=0, help="The same seed gives the same printers.")] = 1) -> None:
    """Let virtual printers nobody has seen judge the advice against fixed rules; some tenths of a second a printer."""
    from bouncy_latch.core.advise.study import study as run

    if what != "first-print":
        raise ParamError(f"there is no study '{what}'; known is first-print", field="what", value=what)
    _say({"printers": printers, "seed": seed, "rows": [
        {"advice": row.name, "hinge": row.hinge / printers, "slide": row.slide / printers, "press": row.press / printers,
         "first_print_success": _figure(row.share), "play_left": {"value": _figure(row.play), "unit": "mm/side"}}
        for row in run(printers, seed)]})


evidence_app = typer.Typer(no_args_is_help=True, help="Results of prints, kept across projects.")
app.add_typer(evidence_app, name="evidence")


def _store() -> Any:
    from bouncy_latch.core.process.evidence import Evidence
    from bouncy_latch.core.project.folders import data_folder

    return Evidence(data_folder() / "evidence.sqlite")


OwnOption = Annotated[str, typer.Option("--process", help="Whose printer: a JSON file, or an example printer's id.")]


@evidence_app.command("add")
def evidence_add(kind: str, outcome: Annotated[str, typer.Option("--outcome", help="What became of it.")],
                 value: Annotated[str, typer.Option("--value", help="The kind's main size as printed, mm.")],
                 process: OwnOption = "", set_: SetOption = None,
                 note: Annotated[str, typer.Option("--note")] = "") -> None:
    """Record what became of one print: a step of the newest ladder with that size, else the test piece, or sizes as --set."""
    from bouncy_latch.core.advise import written
    from bouncy_latch.core.process.evidence import result
    from bouncy_latch.core.project.folders import data_folder

    chosen, known = _own_process(process), registry.kind(kind)
    size = getattr(fields.parse(known.params, {known.recommend: value}), known.recommend)
    step = None if set_ else written.sizes_of(data_folder(), kind, chosen.id, size)
    sizes, of = step if step is not None else ("", "")
    if set_:
        made = known.piece_of(known.params()).changed(**_values(set_))
        sizes, of = made.model_dump_json(exclude={known.recommend}, exclude_defaults=True), "as set"
    found = result(process=chosen.id, kind=kind, param=known.recommend, value=size,
                   outcome=written.outcome_named(outcome, known.outcomes), note=note, params=sizes)
    _say({"added": _store().add([found], [chosen], fresh=True), "process": chosen.id, "sizes": of or "test piece"})


@evidence_app.command("ladder")
def evidence_ladder(what: Annotated[str, typer.Argument(metavar="KIND|first|flat-gaps|pegs-and-holes|bridges|bend-bar")],
                    process: OwnOption = "",
                    outcomes: Annotated[str, typer.Option("--outcomes", help="One a step in order, comma-separated; - for "
                                                                             "none: welded,tool,by hand,free")] = "",
                    readings: Annotated[list[str] | None, typer.Option(
                        "--readings", help="Of its places in order, places apart by semicolons, or each as "
                                           "'outside 10: 10.04 10.05'; may be repeated.")] = None,
                    steps: Annotated[str, typer.Option("--steps", help="Its sizes, where it was not written here.")] = "",
                    ) -> None:
    """Record what became of a whole ladder: outcomes of its steps and readings of its places, all or none."""
    from bouncy_latch.core.advise import ladders, written
    from bouncy_latch.core.process.outcomes import OUTCOMES as PLAIN
    from bouncy_latch.core.project.folders import data_folder

    chosen = _own_process(process)
    found = next((w for w in written.recalled(data_folder()) if (w.what, w.process) == (what, chosen.id)), None)
    if steps or found is None:
        plain = ladders.plain_coupons()
        if what in plain:
            coupon = plain[what](chosen)
        elif not steps:
            raise ParamError(f"no {what} ladder was written here for {chosen.id}; name its --steps", field="steps")
        else:
            coupon = _coupon(what, chosen, steps)
        found = written.of(coupon, what, chosen.id)
    known = registry.kind(found.kind).outcomes if found.kind in registry.kinds() else PLAIN
    items = [*written.outcomes_of(found, outcomes, known), *written.readings_of(found, readings or [])]
    if not items:
        raise ParamError("a ladder teaches by --outcomes or --readings; none were given", field="outcomes")
    _say({"added": _store().add(items, [chosen], fresh=True), "process": chosen.id,
          "steps": [value for value, _ in found.steps],
          "measure": [{"feature": feature, "nominal": nominal} for feature, nominal in found.places]})


@evidence_app.command("measure")
def evidence_measure(feature: Annotated[str, typer.Argument(help="Such as outside, hole, sag, bend, slides at, tears at.")],
                     readings: Annotated[str, typer.Option("--readings", help="Such as '9.98 10.01 9.97'.")],
                     nominal: Annotated[str, typer.Option("--nominal", help="The drawn size, mm (sag: the span).")] = "",
                     process: OwnOption = "", note: Annotated[str, typer.Option("--note")] = "") -> None:
    """Record caliper readings of one size of a coupon."""
    from bouncy_latch.core.process.evidence import reading

    chosen = _own_process(process)
    made = reading(process=chosen.id, feature=feature, nominal=nominal, values=readings, note=note)
    _say({"added": _store().add([made], [chosen], fresh=True), "process": chosen.id})


@evidence_app.command("learn")
def evidence_learn(process: ProcessOption = _DEFAULT_PROCESS, policy: PolicyOption = "mine") -> None:
    """Show what the evidence teaches about a process, what contradicts itself, and the gaps that follow."""
    from bouncy_latch.core.advise import zones
    from bouncy_latch.core.advise.learn import NAMES

    known = _known(_process(process))
    judged = population.effective(known.believed, _policy(policy))
    advice = [zones.recommendation(s, aim, judged) for s in zones.SITUATIONS
              for aim in (("moves",) if s.moving else zones.AIMS)]
    _say({
        "process": known.process.id, "source": judged.source,
        "belief": {name: {"mean": _figure(getattr(judged, name).mean), "sd": _figure(getattr(judged, name).sd)}
                   for name in NAMES},
        "weld_factor": {"mean": _figure(known.learnt.belief.factor.mean), "sd": _figure(known.learnt.belief.factor.sd),
                        "unit": "logarithm"},
        "evidence": len(known.items), "left_out": len(known.excluded), "unused": list(known.learnt.unused),
        "doubts": [{"chance": _figure(d.chance), "slip": _figure(d.slip), "why": d.sentence} for d in known.learnt.doubts],
        "recommended": [{"situation": r.situation.label, "aim": r.aim, "gap": r.gap, "chance": _figure(r.chance)}
                        for r in advice],
    })


@evidence_app.command("import")
def evidence_import(path: Path) -> None:
    """Import results or readings from a CSV or JSON, all of them or none; the same twice are kept once."""
    from bouncy_latch.core.process.evidence_files import from_text

    found = from_text(files.read_text(path, MOST_TEXT), path.name)
    _say({"read": len(found), "added": _store().add(found)})


@evidence_app.command("show")
def evidence_show(process: Annotated[str | None, typer.Option("--process", help="Only this process id.")] = None,
                  as_csv: Annotated[bool, typer.Option("--csv", help="Results as CSV instead of JSON.")] = False,
                  readings: Annotated[bool, typer.Option("--readings", help="With --csv: the readings.")] = False) -> None:
    """Show all results and readings."""
    from bouncy_latch.core.process.evidence_files import to_csv, to_json

    store = _store()
    if as_csv:
        sys.stdout.write(to_csv(store.readings(process)) if readings else to_csv(store.results(process)))
    else:
        sys.stdout.write(to_json([*store.results(process), *store.readings(process)]))


gcode_app = typer.Typer(no_args_is_help=True, help="Changes to sliced files.")
app.add_typer(gcode_app, name="gcode")


@gcode_app.callback()
def _gcode() -> None:
    """Keeps `pause` a subcommand of its own."""


@gcode_app.command("pause")
def gcode_pause(source: Annotated[Path, typer.Argument(metavar="IN")], target: Annotated[Path, typer.Argument(metavar="OUT")],
                at: Annotated[list[float], typer.Option("--at", help="Height in mm; may be repeated.")]) -> None:
    """Put pauses into G-code, each before the layer that reaches its height."""
    from bouncy_latch.core.exchange import gcode

    pauses = gcode.pause_file(source, target, at)
    _say({"file": str(target), "pauses": [{"asked": p.asked, "layer": _figure(p.layer), "line": p.line} for p in pauses]})


@app.command(name="process")
def show_process(name: Annotated[str, typer.Argument()] = _DEFAULT_PROCESS, policy: PolicyOption = "mine") -> None:
    """Print a process as JSON, to edit and pass back with --process FILE.json."""
    _say(population.effective(_process(name), _policy(policy)).model_dump())


@app.command()
def schema() -> None:
    """Print the JSON schema of the project file."""
    from bouncy_latch.core.project import store

    sys.stdout.write(store.json_schema())


def main() -> None:
    """Run the command line; every user error is one sentence and exit code 2, whatever else goes wrong one and exit code 1."""
    # What libraries warn about or log is not for the user's terminal.
    warnings.simplefilter("ignore")
    logging.lastResort = None
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    try:
        app(standalone_mode=False)
        sys.stdout.flush()
    except UserError as error:
        _fail(error.sentence)
    except typer.Exit as leave:
        sys.exit(leave.exit_code)
    except (typer.Abort, KeyboardInterrupt):
        sys.exit(130)
    except BrokenPipeError:
        # Whoever read the output has gone; nothing more can be said, not even at exit.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
    except OSError as error:
        name = f"{error.filename}: " if isinstance(error.filename, str) else ""
        _fail(f"{name}{reason_of(error)}")
    except Exception as error:
        # The parser's own errors (unknown option, missing argument) know how to say themselves.
        if hasattr(error, "format_message"):
            _fail(error.format_message())
        from bouncy_latch.core.project import troublelog

        _fail(troublelog.noted(error), 1)


def _fail(sentence: str, code: int = 2) -> NoReturn:
    sys.stderr.write(f"bouncy-latch: {shortly(sentence, MOST_SENTENCE)}\n")
    sys.exit(code)


if __name__ == "__main__":
    main()
