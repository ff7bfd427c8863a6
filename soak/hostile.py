"""Hostile and damaged files of every kind the program reads: one sentence, within the limits, or read."""

from __future__ import annotations

import io
import json
import random
import tempfile
import time
import zipfile
from collections import Counter
from pathlib import Path

import ezdxf
import trimesh

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.formats import foreign, gcode, meshes, profiles, reader_process, step
from bouncy_latch.core.process import population
from bouncy_latch.core.process.evidence_files import from_text
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project import document, part_files, photos, store
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.store import Latch
from bouncy_latch.core.solids import contents, mesh, tree

MOST_SECONDS = 10.0
MOST_MEGABYTES = 600
SVG = ('<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" width="80mm" height="60mm" '
       'viewBox="0 0 80 60">{}</svg>')


def _process(path: Path) -> None:
    try:
        Process.model_validate(plainjson.loads(files.read(path, 2**20), path.name))
    except ValueError:
        return  # the command line turns it into a sentence
    except TypeError as error:
        raise AssertionError(f"{error!r}") from error


READERS = {
    ".latch": store.load, ".stl": foreign.read, ".3mf": foreign.read, ".obj": foreign.read, ".ply": foreign.read,
    ".svg": profiles.read_outline, ".dxf": profiles.read_outline,
    ".csv": lambda path: from_text(files.read_text(path, 2**24), path.name),
    ".step": part_files.read, ".json": _process, ".png": photos.taken,
    ".gcode": lambda path: gcode.pause_file(path, path.with_suffix(".out"), [0.5]),
}


def _with_part(path: Path, solid: tree.Solid) -> None:
    """Write a project that carries a part from a file."""
    name = contents.keep(tree.given_mesh(*mesh.arrays(mesh.evaluate(solid)), "block"))
    part = document.new_mechanism("part", "block", set(), shape="file", file=name)
    store.save(path, Latch(document.empty_project().with_mechanism(part)))


def sound_files(folder: Path) -> list[Path]:
    """Write one sound file of every kind and return them."""
    ball = trimesh.creation.icosphere(2, radius=8)
    made = {
        "kit.latch": store.to_bytes(Latch(demo_project())), "ball.stl": ball.export(file_type="stl"),
        "ball.obj": ball.export(file_type="obj").encode(), "ball.ply": ball.export(file_type="ply"),
        "plan.svg": SVG.format('<path d="M10 10 H70 V30 C70 45 50 55 40 55 C30 55 10 45 10 30 Z"/>').encode(),
        "results.csv": b"when,process,kind,param,value,outcome,play,note,params\n2026-09-01,p,hook,width,9,snaps in,,,\n",
        "mine.json": population.built_in()[0].model_dump_json().encode(),
        "box.gcode": b"G21\nG90\nM83\n" + b"".join(b"G1 Z%.1f F600\nG1 X%d Y2 E0.1\n" % (0.2 * i, i) for i in range(1, 9)),
    }
    for name, data in made.items():
        (folder / name).write_bytes(data)
    (folder / "ball.3mf").write_bytes(meshes.to_3mf(foreign.read(folder / "ball.stl").bodies, "ball"))
    block = tree.Box(0, 0, 0, 20, 12, 6) - tree.cylinder(2, 9).move(8, 6, -1)
    (folder / "block.step").write_bytes(step.to_step({"block": block}, "block"))
    _with_part(folder / "part.latch", block)
    drawing = ezdxf.new(units=4)
    drawing.modelspace().add_lwpolyline([(0, 0), (60, 0), (60, 40), (0, 40)], close=True)
    drawing.saveas(folder / "plan.dxf")
    from PIL import Image

    Image.new("RGB", (40, 30), "teal").save(folder / "box.png")
    return sorted(folder.iterdir())


_CORNERS = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in ((0, 0, 0), (9, 0, 0), (0, 9, 0), (0, 0, 9)))
_FACES = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)))
TETRAHEDRON = f"<mesh><vertices>{_CORNERS}</vertices><triangles>{_FACES}</triangles></mesh>"
"""A corner of a cube of 9, as 3MF writes it."""


def _components(depth: int, width: int) -> bytes:
    """Return a 3MF whose components hold ``width`` of the next, ``depth`` deep; depth 0 makes one that holds itself."""
    objects = f'<object id="1" type="model">{TETRAHEDRON}</object>'
    for i in range(2, depth + 2):
        parts = f'<component objectid="{i - 1}"/>' * width
        objects += f'<object id="{i}" type="model"><components>{parts}</components></object>'
    if depth == 0:
        objects += '<object id="2" type="model"><components><component objectid="2"/></components></object>'
    return threemf(f"<resources>{objects}</resources><build><item objectid=\"{max(depth + 1, 2)}\"/></build>")


_TYPES = "http://schemas.openxmlformats.org/package/2006/content-types"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_MODEL = "http://schemas.microsoft.com/3dmanufacturing"


def threemf(model: str, unit: str = "millimeter") -> bytes:
    """Return a 3MF of a model part as text."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("[Content_Types].xml", f'<?xml version="1.0"?><Types xmlns="{_TYPES}"><Default Extension="rels" '
                         'ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" '
                         'ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>')
        archive.writestr("_rels/.rels", f'<?xml version="1.0"?><Relationships xmlns="{_RELATIONS}"><Relationship '
                         f'Target="/3D/3dmodel.model" Id="r" Type="{_MODEL}/2013/01/3dmodel"/></Relationships>')
        archive.writestr("3D/3dmodel.model", f'<?xml version="1.0"?><model unit="{unit}" xmlns="{_MODEL}/core/2015/02">'
                         f"{model}</model>")
    return out.getvalue()


def made_to_harm() -> dict[str, bytes]:
    """Return files that are small or plausible and ask for far too much, by name."""
    use = '<g id="a0"><rect width="9" height="9"/></g>' + "".join(
        f'<g id="a{i}">' + f'<use x:href="#a{i - 1}"/>' * 10 + "</g>" for i in range(1, 9))
    raw = json.loads(demo_project().model_dump_json())

    def latch(**changes: object) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("project.json", json.dumps({**raw, **changes}))
        return out.getvalue()

    first = raw["mechanisms"][0]

    def dxf(*entities: str) -> bytes:
        return ("0\nSECTION\n2\nENTITIES\n" + "".join(entities) + "0\nENDSEC\n0\nEOF\n").encode()

    lines = [f"0\nLINE\n8\n0\n10\n{i % 70}\n20\n{i % 41}\n11\n{(i + 1) % 70}\n21\n{(i + 1) % 41}\n" for i in range(30_000)]
    knots = "".join(f"40\n{i}\n" for i in range(50))
    spline = f"0\nSPLINE\n8\n0\n70\n8\n71\n3\n72\n2000000000\n73\n2000000000\n{knots}10\n0\n20\n0\n10\n60\n20\n40\n"
    zigzag = " ".join(f"{i % 70},{(i * 7) % 50}" for i in range(300_000))
    return {
        "use.svg": SVG.format(f"<defs>{use}</defs><use x:href=\"#a8\"/>").encode(),
        "points.svg": SVG.format(f'<polygon points="{zigzag}"/>').encode(),
        "arcs.svg": SVG.format('<path d="M0 0 A 1e300 1e300 0 0 1 60 0 L 60 40 Z"/>').encode(),
        "entities.svg": b'<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]>' + SVG.format("&b;").encode(),
        "segments.dxf": dxf(*lines), "spline.dxf": dxf(spline),
        "far.dxf": dxf("0\nCIRCLE\n8\n0\n10\n1e300\n20\n0\n40\n1e300\n"),
        "dashes.svg": SVG.format(f'<rect width="60" height="40" stroke-dasharray="{"0.000001 " * 200_000}"/>').encode(),
        "lie.stl": b"x" * 80 + (12).to_bytes(4, "little") + bytes(50 * 400_000),
        "half.stl": b"x" * 80 + (2000).to_bytes(4, "little") + bytes(50 * 30),
        "itself.3mf": _components(0, 1), "many.3mf": _components(8, 12), "deep.3mf": _components(200, 1),
        "cubit.3mf": threemf("<resources/><build/>", "cubit"),
        "number.latch": latch(mechanisms=[{**first, "params": {**first["params"], "gap": 10**300}}]),
        "list.latch": latch(mechanisms=[{**first, "params": {**first["params"], "gap": [[0.3]]}}]),
        "file.latch": latch(mechanisms=[{**first, "params": {**first["params"], "outline": "/dev/zero.svg"}}]),
        "many.latch": latch(mechanisms=[{**first, "id": f"m{i}"} for i in range(2000)], selected=None),
        "kind.latch": latch(mechanisms=[{**first, "kind": {"a": 1}}]), "half.latch": latch(name="\ud800"),
        "digits.json": b'{"id": ' + b"7" * 5000 + b"}", "deep.json": b"[" * 200_000, "inf.json": b'{"growth": {"mean": 1e999}}',
        "field.csv": b"when,process,kind,param,value,outcome\n" + b"x" * 250_000 + b"\n", "nul.csv": b"\0" * 500,
        "binary.gcode": bytes(range(256)) * 2000, "cr.gcode": b"G1 X1 E1\r" * 300_000,
        "bomb.png": b"\x89PNG\r\n\x1a\n" + b"\0" * 40,
    }


def damaged(data: bytes, rng: random.Random) -> bytes:
    """Return bytes with something cut off, flipped, put in or taken out."""
    at = rng.randrange(len(data) + 1)
    way = rng.randrange(5)
    if way == 0:
        return data[:at]
    if way == 1:
        return data[:at] + bytes(b ^ rng.randrange(256) for b in data[at:at + 20]) + data[at + 20:]
    if way == 2:
        return data[:at] + rng.randbytes(rng.randrange(1, 60)) + data[at:]
    if way == 3:
        return data[:at] + data[at + rng.randrange(1, 200):]
    return data[:at] + rng.choice([b"1e300", b"-1", b"9" * 400, b"nan", b"\xff\xfe", b"{}", b"[]"]) + data[at + 3:]


def read_one(path: Path) -> tuple[str, float]:
    """Return what became of a file ("read", "refused", or a fault) and the processor time that took here, s.

    The reader process has a limit of its own.
    """
    begun = time.process_time()
    try:
        READERS[path.suffix](path)
        said = "read"
    except UserError as error:
        said = "refused" if error.sentence and "\n" not in error.sentence else f"no one sentence: {error.sentence!r}"
    except Exception as error:
        said = repr(error)
    return said, time.process_time() - begun


def run(seed: int, seconds: float, most: int | None = None) -> tuple[dict, list[str]]:
    """Return counts and the faults found; ``most`` damaged files, besides those made to harm, where that is sooner."""
    rng = random.Random(seed)
    tally: Counter = Counter()
    faults: list[str] = []
    slowest = 0.0
    until = time.monotonic() + seconds
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        good = {path: path.read_bytes() for path in sound_files(folder)}
        waiting = [(f"harm-{path}", data) for path, data in made_to_harm().items()]
        most = None if most is None else most + len(waiting)
        while waiting or (time.monotonic() < until and (most is None or tally.total() < most)):
            if waiting:
                what, data = waiting.pop()
                path = folder / what
            else:
                path = rng.choice(list(good))
                data = damaged(good[path], rng)
            path.write_bytes(data)
            said, took = read_one(path)
            slowest = max(slowest, took)
            tally[said if said in {"read", "refused"} else "fault"] += 1
            kept = path.read_bytes() == data
            if said not in {"read", "refused"} or not kept:
                faults.append(f"seed {seed}, {path.name}: {said}{'' if kept else ', and the file was changed'}")
            if took > MOST_SECONDS:
                faults.append(f"seed {seed}, {path.name}: {took:.1f} s")
    heaviest = reader_process.heaviest()
    if heaviest > MOST_MEGABYTES:
        faults.append(f"a reader took {heaviest:.0f} MB")
    return {**tally, "slowest, s": round(slowest, 1), "largest reader, MB": round(heaviest)}, faults

