"""The demo project, from ``demo.json``: what is not default of every mechanism, and what became of earlier prints."""

from __future__ import annotations

import json
from collections import Counter
from importlib import resources

from bouncy_latch.core import fields
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.project.document import Mechanism, PrintRecord, Project


def demo_project() -> Project:
    """Return the demo; its first mechanism has one verdict to look at, which a remedy mends."""
    raw = json.loads(resources.files(__package__).joinpath("demo.json").read_text("utf-8"))
    processes = population.built_in()
    numbers: Counter[str] = Counter()
    mechanisms = []
    for item in raw["mechanisms"]:
        model = registry.kind(item["kind"]).params
        numbers[item["kind"]] += 1
        prints = tuple(
            PrintRecord(id=f"print-{i}", **{**record, "params": fields.parse(model, record["params"]).model_dump()},
                        process=processes[0])
            for i, record in enumerate(item.get("prints", ()), 1))
        mechanisms.append(Mechanism(id=f"{item['kind']}-{numbers[item['kind']]}", name=item["name"], kind=item["kind"],
                                    params=fields.parse(model, item["params"]).model_dump(), prints=prints))
    return Project(name=raw["name"], mechanisms=tuple(mechanisms), processes=processes, process_id=processes[0].id,
                   selected=mechanisms[0].id)
