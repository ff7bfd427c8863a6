"""Write the reference part of docs/command-line.md from the parsers; what stands above its mark is written by hand."""

from pathlib import Path
from typing import Any

import typer.main

from bouncy_latch.cli import main

PAGE = Path(__file__).parents[1] / "docs" / "command-line.md"
MARK = "<!-- From here on made by tools/command_line.py -->"


def reference() -> str:
    """Return every command with what it takes, in the order of their names."""
    lines: list[str] = []

    def add(name: str, command: Any) -> None:
        if hasattr(command, "commands"):
            for inner, each in sorted(command.commands.items()):
                add(f"{name} {inner}".strip(), each)
            return
        arguments = [p for p in command.params if p.param_type_name == "argument"]
        options = [p for p in command.params if p.param_type_name == "option" and p.name != "help"]
        usage = " ".join([name, *((p.metavar or p.name.upper()) for p in arguments), *(["[OPTION…]"] if options else [])])
        lines.extend([f"### `{usage}`", "", " ".join((command.help or "").split()), ""])
        rows = [(f"`{p.metavar or p.name.upper()}`", getattr(p, "help", "") or "") for p in arguments if getattr(p, "help", "")]
        rows += [(" ".join(f"`{opt}`" for opt in [*p.opts, *p.secondary_opts]), p.help or "") for p in options]
        if rows:
            lines.extend(["| | |", "|---|---|"])
            lines.extend(f"| {names} | {' '.join(text.split()).replace('|', '/')} |" for names, text in rows)
            lines.append("")

    add("", typer.main.get_command(main.with_groups()))
    return "\n".join(lines)


def whole(page: str) -> str:
    """Return the page with the reference as the parsers have it now."""
    return page.partition(MARK)[0] + MARK + "\n\n" + reference()


if __name__ == "__main__":
    PAGE.write_text(whole(PAGE.read_text()))
