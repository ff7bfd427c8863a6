"""The command line: the same core from a shell. JSON on stdout; errors are one sentence on stderr with exit code 2."""

from __future__ import annotations

import io
import logging
import os
import sys
import warnings
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from bouncy_latch.cli import listed
from bouncy_latch.cli.shared import (
    DEFAULT_PROCESS,
    PolicyOption,
    ProcessOption,
    SetOption,
    designs_of,
    example_note,
    figure,
    known_of,
    ladder_of,
    policy_named,
    process_named,
    request_of,
    say,
    solved,
    values_of,
)
from bouncy_latch.core import files
from bouncy_latch.core.errors import ParamError, UserError, reason_of, shortly
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population

if TYPE_CHECKING:
    from bouncy_latch.core.design import Design

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False,
                  help="Bouncy Latch from a shell: JSON out, errors as one sentence with exit code 2.")

GROUPS = ("evidence", "printers", "hardware", "gcode", "project", "part")
"""Commands of their own: the module ``cli_NAME`` holds ``NAME_app``."""
MOST_SENTENCE = 1200
"""Longest sentence on standard error, characters."""


@app.command()
def kinds() -> None:
    """List the mechanism kinds and their parameters."""
    found = {
        kind.id: {
            "title": kind.title, "summary": kind.summary,
            "params": {f.name: {"label": f.label, "unit": f.unit, "role": f.role, "default": f.default, "help": f.help,
                                **({"choices": f.choices} if f.choices else {"low": f.low, "high": f.high})}
                       for f in kind.params.facts().values()},
        }
        for kind in registry.kinds().values()
    }
    listed.keep(say(found))


@app.command()
def solve(what: Annotated[str, typer.Argument(metavar="KIND|PROJECT")], set_: SetOption = None,
          process: ProcessOption = DEFAULT_PROCESS,
          policy: PolicyOption = "mine",
          quick: Annotated[bool, typer.Option("--quick", help="Leave out the sweep and the layers.")] = False,
          brief: Annotated[bool, typer.Option("--brief", help="Ten lines of text instead of JSON: verdict, chance, the worst "
                                                              "three checks, the best change.")] = False,
          json_: Annotated[bool, typer.Option("--json", help="JSON output (always on).", hidden=True)] = True) -> None:
    """Work a mechanism (or all of a project) out: sizes, checks with remedies, prediction, print window, recommended gap."""
    from bouncy_latch.cli.report import report
    from bouncy_latch.core.judge.verdicts import full_analysis, quick_analysis

    named = frozenset(values_of(set_))

    def worked_out(request: Design) -> dict[str, Any]:
        solution = solved(request, named)
        return report(solution, quick_analysis(request, solution), None if quick else full_analysis(request, solution,
                                                                                                    traced=False))

    if brief:
        from bouncy_latch.cli.brief import in_brief

        if Path(what).suffix == ".latch":
            designs = [(item.name, design) for item, design in designs_of(Path(what), set_)]
        else:
            designs = [(what, request_of(what, set_, process, policy))]
        texts = []
        for name, request in designs:
            solution = solved(request, named)
            proof = None if quick else full_analysis(request, solution, traced=False)
            texts.append(in_brief(name, request, solution, quick_analysis(request, solution), proof))
        sys.stdout.write("\n".join(texts))
        return
    if Path(what).suffix == ".latch":
        say({"mechanisms": [{"name": item.name, **({"sits": [each.model_dump() for each in item.sits]} if item.sits else {}),
                             **worked_out(design)} for item, design in designs_of(Path(what), set_)]})
    else:
        request = request_of(what, set_, process, policy)
        say({**worked_out(request), **example_note(request.process)})


@app.command()
def target(kind: str, set_: SetOption = None, process: ProcessOption = DEFAULT_PROCESS, policy: PolicyOption = "mine",
           others: Annotated[bool, typer.Option("--others", help="Offer other forms and materials even where it is reached.")]
           = False,
           possible: Annotated[bool, typer.Option("--possible", help="Add designs spread over what can be made.")]
           = False) -> None:
    """Design to a target: what is --set stays, the other sizes are found; names the bounds and what binds."""
    from bouncy_latch.core.judge.search import target as targets

    request = request_of(kind, set_, process, policy)
    fixed = frozenset(values_of(set_))
    best = targets.reach(request, fixed)
    more = targets.others(best, fixed) if others or not best.reached else ()
    say({"best": _proposal(best, request), "others": [_proposal(item, request) for item in more],
         **({"possible": _possible(request, fixed)} if possible else {})})


@app.command()
def choose(need: Annotated[Path | None, typer.Option("--need", help="A JSON file of the need: names and values.")] = None,
           set_: SetOption = None,
           weight: Annotated[list[str] | None, typer.Option("--weight", help="What counts, criterion=0 to 1; may be repeated.")]
           = None,
           process: ProcessOption = DEFAULT_PROCESS,
           brief: Annotated[bool, typer.Option("--brief", help="A table of text instead of JSON.")] = False) -> None:
    """Compare every kind that could meet a need, worked out for a printer, best first, with reasons for the others."""
    from bouncy_latch.cli import choosing

    choice, weights = choosing.chosen(need, values_of(set_), values_of(weight), process)
    if brief:
        sys.stdout.write(choosing.table(choice))
    else:
        say(choosing.plain(choice, weights))


def _possible(request: Design, fixed: frozenset[str]) -> dict[str, Any]:
    from bouncy_latch.core.judge.search import feasible

    found = feasible.possible(request, fixed)
    return {"figure": found.figure.name, "unit": found.figure.unit, "share_of": found.limited,
            "asked": None if found.asked is None else figure(found.asked),
            "designs": [{"set": item.changes, "figure": figure(item.figure), "share": figure(item.share),
                         "chance": figure(item.chance), "holds": item.holds, "short_of": item.short}
                        for item in (found.own, *found.tried)]}


def _proposal(found: Any, request: Design) -> dict[str, Any]:
    params = found.design.params
    return {"words": found.words, "reached": found.reached, "chance": figure(found.chance),
            "set": found.changes(request.params),
            "material": found.design.process.material, "bounds": list(found.bounds), "solved": found.solved,
            "figures": {check.id: {"value": figure(check.value), "limit": figure(check.limit), "unit": check.unit,
                                   "verdict": check.verdict} for check in found.figures},
            "asked": {name: getattr(params, name) for name, facts in params.facts().items() if facts.role == "given"},
            "short_of": found.words_of_binding,
            "binding": {"id": found.binding.id, "label": found.binding.label, "value": figure(found.binding.value),
                        "limit": figure(found.binding.limit), "unit": found.binding.unit, "verdict": found.binding.verdict}}


@app.command()
def split(project: Annotated[Path, typer.Argument(metavar="PROJECT")],
          part: Annotated[str, typer.Argument(metavar="PART", help="Its id or name.")],
          plane: Annotated[str, typer.Option("--plane", help="Across an axis of the part, as z=7.")],
          with_: Annotated[str, typer.Option("--with", help="A kind that joins the halves, such as locking-tab or hook.")] = "",
          row: Annotated[str, typer.Option("--row", help="Several of it, as 3x20 for three 20 mm apart.")] = "",
          set_: SetOption = None) -> None:
    """Split a part at a plane into two parts, joined by a mechanism if one is named."""
    from bouncy_latch.cli.part import split_at

    say(split_at(project, part, plane, with_, f"row {row}" if row else "", set_))


@app.command()
def export(what: Annotated[str, typer.Argument(metavar="KIND|PROJECT")],
           out: Annotated[Path, typer.Option("--out", help="Folder for the files.")],
           set_: SetOption = None, process: ProcessOption = DEFAULT_PROCESS, policy: PolicyOption = "mine",
           format_: Annotated[str, typer.Option("--format", help="Any of 3mf,stl,step,csv (sizes),plot (force along the way)."
                                                )] = "3mf,stl,step",
           test_piece: Annotated[bool, typer.Option("--test-piece", help="On minimal hosts.")] = False,
           tools: Annotated[bool, typer.Option("--tools", help="Instead what is added to and cut from each part, as solids for "
                                                               "a part of your own: STL and STEP.")] = False) -> None:
    """Write the parts, one file or named object a body, in print pose; of a project with csv a table of its seats too."""
    from bouncy_latch.cli.written import exported

    say(exported(what, out, tuple(f.strip().lower() for f in format_.split(",") if f.strip()), set_, process, policy,
                 test_piece=test_piece, tools=tools))



@app.command()
def place(project: Annotated[Path, typer.Argument(metavar="PROJECT")],
          mechanism: Annotated[str, typer.Argument(metavar="MECHANISM", help="Its id or name.")],
          side: Annotated[str, typer.Argument(metavar="[SIDE]", help="Which of its sides, such as boss or pocket; not with "
                                                                     "--seat.")] = "",
          on: Annotated[list[str] | None, typer.Option("--on", help="MECHANISM/BODY it is built into, such as "
                                                       "knuckle-hinge-1/A; with --seat PART or SIDE=PART.")] = None,
          seat: Annotated[list[str] | None, typer.Option("--seat", help="face:NAME, edge:NAME or hole:NAME of the part "
                                                         "(part show); once a side.")] = None,
          at: Annotated[list[str] | None, typer.Option("--at", help="x,y,z of the seat in that one's print pose, mm; with "
                                                       "--seat u,v from the face's left and lower edge.")] = None,
          turn: Annotated[float | None, typer.Option("--turn", help="About the vertical, degrees.")] = None,
          row: Annotated[str, typer.Option("--row", help="With --seat: several places, as 3x20 for three 20 mm apart.")] = "",
          ring: Annotated[int, typer.Option("--ring", help="With --seat: so many round the middle of the face.")] = 0,
          mirror: Annotated[bool, typer.Option("--mirror", help="With --seat: the mirrored place too.")] = False,
          name: Annotated[str, typer.Option("--name", help="With --seat and a kind: what the new one is called.")] = "",
          set_: SetOption = None,
          off: Annotated[bool, typer.Option("--off", help="Let it stand on its own again.")] = False) -> None:
    """Place a mechanism on a part's face, edge or hole, or a side of one into a body of another; or let it stand alone again.

    With --seat, MECHANISM may be a kind: one is added and placed in one step.
    """
    if seat:
        from bouncy_latch.cli.part import placed_on

        patterns = [words for words, asked in ((f"row {row}", row), (f"ring {ring}", ring), ("mirror", mirror)) if asked]
        if len(patterns) > 1:
            raise ParamError("say one of --row, --ring and --mirror", field="pattern")
        if not on or off:
            raise ParamError("say which part it sits on with --on PART", field="on")
        say(placed_on(project, mechanism, on, seat, at or [], turn or 0.0, patterns[0] if patterns else "", name, set_))
        return
    from bouncy_latch.cli.shared import placed_in

    if bool(on) == off or not side:
        raise ParamError("say what it sits on with SIDE --on MECHANISM/BODY, or with --on PART --seat face:top; or --off",
                         field="on", value=(on or [""])[0])
    say(placed_in(project, mechanism, side, (on or [""])[0], (at or [""])[0], turn))


@app.command()
def predict(meshes: Annotated[list[Path], typer.Argument(metavar="MESH...")],
            process: ProcessOption = DEFAULT_PROCESS, policy: PolicyOption = "mine",
            axis: Annotated[str, typer.Option("--axis", help="Turns about: z, 0,0,1 or 5,0,3:0,0,1 (point:direction).")] = "",
            slide: Annotated[str, typer.Option("--slide", help="Slides along: written like --axis.")] = "",
            unit: Annotated[str, typer.Option("--unit", help="Of the files: mm, cm, m or inch.")] = "mm",
            seen: Annotated[list[str] | None, typer.Option("--seen", help="A side that shows; may be repeated.")] = None,
            bends: Annotated[str, typer.Option("--bends", help="With --poses: what flexes is stretched along this.")] = "",
            poses: Annotated[bool, typer.Option("--poses", help="Also compare the ways up.")] = False,
            shelves: Annotated[bool, typer.Option("--shelves", help="Put a sacrificial shelf, to be broken away, under what "
                                                                    "hangs; with --out.")] = False,
            out: Annotated[Path | None, typer.Option("--out", help="Folder for the bodies with their shelves, as 3MF.")] = None,
            ) -> None:
    """Predict the print of any bodies, as they stand: what welds, what droops, floats or vanishes, which way up is best."""
    from bouncy_latch.cli.report import print_report
    from bouncy_latch.core.formats import foreign
    from bouncy_latch.core.judge.prints import loose, printing
    from bouncy_latch.core.layers.setup import DIRECTIONS, PrintSetup

    if axis and slide:
        raise ParamError("bodies turn about an axis or slide along one, not both", field="axis")
    unknown = [side for side in seen or [] if side not in DIRECTIONS]
    if unknown:
        raise ParamError(f"there is no side '{unknown[0]}'; known are {', '.join(DIRECTIONS)}", field="seen", value=unknown[0])
    judged = population.effective(known_of(process_named(process)).believed, policy_named(policy))
    found = foreign.read_all(meshes, unit)
    freedom = loose.freedom_from("turn" if axis else "slide", axis or slide, found.bodies) if axis or slide else None
    along = (loose.freedom_from("bends", bends, found.bodies).direction,) if bends else ()
    job = loose.job_of(found.bodies, judged, freedom, PrintSetup(seen=tuple(seen or ())), along)
    if shelves != (out is not None):
        raise ParamError("--shelves goes with --out, the folder the bodies and their shelves are written to", field="out")
    printed, notes = printing.judge(job), list(found.notes)
    written: list[str] = []
    if out is not None:
        job = printing.shelved(job, printed)
        if job.setup.shelves:
            printed = printing.judge(job)
            written = [str(_with_shelves(out, printed))]
        notes.append(f"sacrificial shelves put in: {len(job.setup.shelves)}; break each away once it is printed")
    said = print_report(printed)
    said["notes"] = notes
    if out is not None:
        said["files"] = written
    if poses:
        said["poses"] = [{"name": s.pose.name, "points": round(s.points, 1), "by_hand": figure(s.by_hand),
                          "unsupported": round(s.unsupported, 1), "height": figure(s.height), "minutes": round(s.minutes),
                          "reasons": list(s.reasons), "turn": [round(v, 6) for v in s.pose.turn]}
                         for s in printing.poses(job)]
    say(said)


def _with_shelves(folder: Path, printed: Any) -> Path:
    from bouncy_latch.core.formats import meshes

    path = folder / "with-shelves.3mf"
    files.folder(folder)
    files.write(path, meshes.to_3mf(dict(printed.laid), "with sacrificial shelves"))
    return path


@app.command()
def ladder(what: Annotated[str, typer.Argument(metavar="KIND|first|pegs-and-holes|fits|flat-gaps|bridges|bend-bar|screws")],
           out: Annotated[Path, typer.Option("--out", help="Folder for the files.")],
           steps: Annotated[str, typer.Option("--steps", help="Sizes, comma-separated; left alone they lie where they tell "
                                                              "most.")] = "",
           set_: SetOption = None, process: ProcessOption = DEFAULT_PROCESS,
           with_screws: Annotated[bool, typer.Option("--with-screws", help="Beside it a short M8 bolt with its nut, and two "
                                                                           "pockets for an M5 nut.")] = False,
           format_: Annotated[str, typer.Option("--format", help="3mf or stl.")] = "3mf") -> None:
    """Write a ladder: one small print of engraved steps that teaches what this printer does."""
    from bouncy_latch.core.formats import meshes as mesh_files
    from bouncy_latch.core.learn.calibration import coupons, written
    from bouncy_latch.core.project.folders import data_folder
    from bouncy_latch.core.solids import mesh

    plain = coupons.plain_coupons()
    chosen = process_named(process)
    coupon = plain[what](chosen) if what in plain else ladder_of(what, chosen, steps, values_of(set_))
    if with_screws and what != "screws":
        coupon = coupons.joined(coupon, coupons.screws(known_of(chosen).believed))
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
    say({"param": coupon.param, "steps": [s.value for s in coupon.stepped], "square": [s.value for s in coupon.square],
          "measure": [{"feature": s.feature, "nominal": s.value} for s in coupon.measured],
          "fits": [s.value for s in coupon.felt],
          **({"others": [[s.kind, s.value] for s in coupon.others]} if coupon.others else {}),
          "estimate": {"minutes": round(cost.minutes, 1), "grams": round(cost.grams, 1), "formula": cost.formula},
          "files": [str(path) for path in contents], **({"notes": notes} if notes else {})})


@app.command()
def study(what: Annotated[str, typer.Argument(metavar="first-print|design")] = "first-print",
          of: Annotated[str, typer.Argument(metavar="KIND|PROJECT", help="The design to print, or those of a project.")] = "",
          printers: Annotated[int, typer.Option("--printers", min=1, max=1_000_000, help="Virtual printers.")] = 200,
          seed: Annotated[int, typer.Option("--seed", min=0, help="The same seed gives the same printers.")] = 1,
          set_: SetOption = None, process: ProcessOption = DEFAULT_PROCESS,
          policy: Annotated[str, typer.Option("--policy", help="anyone: printed as drawn; mine: every owner prints the first "
                                                               "ladder and takes the advised size.")] = "anyone",
          workers: Annotated[int, typer.Option("--workers", min=0, help="Processes; 0: one a core.")] = 0,
          scheduler: Annotated[str, typer.Option("--scheduler", help="Address of a dask scheduler to use instead.")] = "",
          keep: Annotated[Path | None, typer.Option("--keep", help="File to keep trials in, and to go on from.")] = None,
          ) -> None:
    """Let virtual printers nobody has seen judge the advice, or one design; some seconds of one core a printer."""
    from bouncy_latch.core.learn.study import study as studies
    from bouncy_latch.core.learn.study.workforce import on_stderr

    how: dict[str, Any] = {"progress": on_stderr, "workers": workers or None, "scheduler": scheduler, "keep": keep}
    if what == "first-print":
        say({"printers": printers, "seed": seed, **_told(studies.study(printers, seed, **how))})
        return
    if what != "design" or not of:
        raise ParamError(f"there is no study '{what}'; known are first-print, and design with a kind or project", field="what",
                         value=what)
    advised = policy_named(policy) is policy_named("mine")
    if Path(of).suffix == ".latch":
        designs = [(item.name, design) for item, design in designs_of(Path(of), set_) if design.solve().joints]
        if not designs:
            raise ParamError(f"{Path(of).name} has nothing that is printed in place", field="of", value=of)
    else:
        designs = [(of, request_of(of, set_, process, policy))]
    rows = []
    for number, (name, design) in enumerate(designs):
        if keep is not None and len(designs) > 1:
            how["keep"] = keep.with_name(f"{keep.stem}-{number + 1}{keep.suffix}")
        counts = studies.design_study(design, printers, seed, advised, **how)
        rows.append({"name": name, "comes_by_hand": figure(sum(list(counts.values())[2:]) / printers),
                     "said": figure(design.solve().aim.chance), "outcomes": counts})
    say({"printers": printers, "seed": seed, "policy": policy, "designs": rows})


def _bin(part: Any) -> dict[str, Any]:
    return {"from": part.low, "to": part.high, "prints": part.count, "said": figure(part.said), "seen": figure(part.seen)}


def _told(trials: Any) -> dict[str, Any]:
    from bouncy_latch.core.learn.study import tally

    own, base = tally.brier(trials)
    agreed = tally.agreement(trials)
    growth = [one.growth for one in trials]
    count = len(growth)
    return {
        "rows": [{"advice": row.name, "hinge": figure(row.hinge / row.printers),
                  "slide": figure(row.worked["peg slides"] / row.printers),
                  "press": figure(row.worked["peg press"] / row.printers),
                  "shapes": {what: figure(worked / row.printers) for what, worked in row.worked.items()},
                  "first_print_success": figure(row.share), "play_left": {"value": figure(row.play), "unit": "mm/side"}}
                 for row in tally.rows(trials)],
        "calibration": [_bin(part) for part in tally.calibration(trials)],
        "calibration_strangers": [_bin(part) for part in tally.calibration(trials, stranger=True)],
        "calibration_by_shape": [{"what": part.what, **_bin(part)} for part in tally.calibration(trials, by_shape=True)],
        "brier": {"value": figure(own), "always_the_mean": figure(base)},
        "agreement": {"within_one_class": figure(agreed.close), "right_side": figure(agreed.side),
                      "right_side_advised": figure(agreed.advised), "right_side_strangers": figure(agreed.stranger)},
        "growth": {"inside_90": figure(sum(one.low <= one.truth <= one.high for one in growth) / count),
                   "off_by": {"value": figure(sum(one.mean - one.truth for one in growth) / count), "unit": "mm/side"}},
    }


@app.command(name="process")
def show_process(name: Annotated[str, typer.Argument()] = DEFAULT_PROCESS, policy: PolicyOption = "mine") -> None:
    """Print a process as JSON, to edit and pass back with --process FILE.json."""
    say(population.effective(process_named(name), policy_named(policy)).model_dump())


@app.command()
def schema() -> None:
    """Print the JSON schema of the project file."""
    from bouncy_latch.core.project import store

    sys.stdout.write(store.json_schema())


def with_groups() -> typer.Typer:
    """Return the command line with all its groups of commands; only those who ask for one, or for help, need them."""
    if not app.registered_groups:
        for name in GROUPS:
            app.add_typer(getattr(import_module(f"bouncy_latch.cli.{name}"), f"{name}_app"), name=name)
    return app


def _asked() -> typer.Typer:
    asked = sys.argv[1] if len(sys.argv) > 1 else ""
    alone = [each for each in app.registered_commands if asked == (each.name or getattr(each.callback, "__name__", ""))]
    if not alone:
        return with_groups()
    # Reading what all the others take would cost more than running some.
    one = typer.Typer(add_completion=False, pretty_exceptions_enable=False)
    one.callback()(lambda: None)
    one.registered_commands = alone
    return one


def main() -> None:
    """Run the command line; every user error is one sentence and exit code 2, whatever else goes wrong one and exit code 1."""
    # What libraries warn about or log is not for the user's terminal.
    warnings.simplefilter("ignore")
    logging.lastResort = None
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    try:
        _asked()(standalone_mode=False)
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
