"""The demo project: written down whole in ``demo.json``, which is made of what is not default of it in ``demo_kit.json``.

Opening it loads no kind: parameters are taken as they stand, and a test holds them against the kinds' own defaults.
"""

from __future__ import annotations

import json
from collections import Counter
from importlib import resources
from typing import Any

from bouncy_latch.core.process import population
from bouncy_latch.core.project.document import Mechanism, PrintRecord, Project


def _read(name: str) -> Any:
    return json.loads(resources.files(__package__).joinpath(name).read_text("utf-8"))


def demo_project() -> Project:
    """Return the demo; its first mechanism has one verdict to look at, which a remedy mends."""
    raw, processes = _read("demo.json"), population.built_in()
    numbers: Counter[str] = Counter()
    mechanisms = []
    for item in raw["mechanisms"]:
        numbers[item["kind"]] += 1
        prints = tuple(PrintRecord(id=f"print-{i}", **record, process=processes[0])
                       for i, record in enumerate(item.get("prints", ()), 1))
        mechanisms.append(Mechanism(id=f"{item['kind']}-{numbers[item['kind']]}", name=item["name"], kind=item["kind"],
                                    params=item["params"], prints=prints, sits=item.get("sits", ())))
    return Project(name=raw["name"], mechanisms=tuple(mechanisms), processes=processes, process_id=processes[0].id,
                   selected=mechanisms[0].id)


def whole() -> str:
    """Return the kit with every parameter, defaults too, as ``demo.json`` holds it; loads all kinds in it."""
    from bouncy_latch.core import fields
    from bouncy_latch.core.mechanisms import registry

    raw = _read("demo_kit.json")
    for item in raw["mechanisms"]:
        model = registry.kind(item["kind"]).params
        for part in (item, *item.get("prints", ())):
            part["params"] = fields.parse(model, part["params"]).model_dump()
    return json.dumps(raw, ensure_ascii=False, indent=1) + "\n"
