"""Run every static check and report all failures, not only the first."""

import subprocess
import sys

COMMANDS = [
    ["ruff", "check", "src", "tests", "bench", "tools", "soak"],
    ["mypy"],
    ["importlinter"],
]


def main() -> int:
    failed = []
    for command in COMMANDS:
        if command[0] == "importlinter":
            argv = [sys.executable, "-c", "from importlinter.cli import lint_imports_command as c; c()", "--no-cache"]
        else:
            argv = [sys.executable, "-m", *command]
        print("lint:", command[0], flush=True)
        if subprocess.run(argv, check=False).returncode:
            failed.append(command[0])
    if failed:
        print("lint failed:", ", ".join(failed), file=sys.stderr)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
