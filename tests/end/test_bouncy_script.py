"""The shell entry point, with the machine around it played by small stand-ins on the PATH."""

from __future__ import annotations

import os
import re
import subprocess
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from bouncy_latch.cli import main as cli

SCRIPT = Path(__file__).parents[2] / "bouncy"


@pytest.fixture
def machine(tmp_path):
    """A PATH of stand-ins; ``run`` calls ./bouncy in a copy of the repository's top level."""
    root, tools = tmp_path / "repo", tmp_path / "bin"
    (root / "requirements").mkdir(parents=True)
    tools.mkdir()
    for name in ("bouncy", "pyproject.toml", "requirements/runtime.txt", "requirements/tools.txt",
                 "requirements/system-packages.txt"):
        (root / name).write_bytes((SCRIPT.parent / name).read_bytes())
    (root / "bouncy").chmod(0o755)

    def stand_in(name, body):
        path = tools / name
        path.write_text(f"#!/bin/sh\n{body}\n")
        path.chmod(0o755)

    def run(*argv, **environment):
        env = {"PATH": f"{tools}:/usr/bin:/bin", "HOME": str(tmp_path), **environment}
        return subprocess.run([str(root / "bouncy"), *argv], env=env, capture_output=True, text=True, check=False)

    stand_in("dpkg-query", "echo 'install ok installed'")
    stand_in("python3", f'''
        case "$*" in
            *version_info*) exit 0 ;;
            *venv*) mkdir -p "$3/bin"; cp "$0" "$3/bin/python" ;;
            *pip*) echo "pip $*" >> {tmp_path}/pip.log ;;
            *) echo "ran $*" ;;
        esac''')
    return run, stand_in, tmp_path


def test_it_sets_up_once_and_then_only_runs(machine):
    run, _, folder = machine
    first, second = run("cli", "kinds"), run("cli", "kinds")

    assert first.stdout == second.stdout == "ran -P -m bouncy_latch.shell kinds\n"
    calls = (folder / "pip.log").read_text().splitlines()
    assert len(calls) == 2, "the second start must not install anything"
    assert "--require-hashes --requirement" in calls[0]
    assert second.stderr == ""
    run("lint")
    assert "tools.txt" in (folder / "pip.log").read_text().splitlines()[2], "test tools are for those who test"


def test_every_locked_package_is_locked_by_hash_and_help_lists_every_command():
    for name in ("runtime", "tools"):
        text = (SCRIPT.parent / "requirements" / f"{name}.txt").read_text()
        locked = re.findall(r"^[A-Za-z0-9_.-]+==\S+ \\\n    --hash=sha256:[0-9a-f]{64}", text, re.MULTILINE)
        assert len(locked) == len(re.findall(r"^[A-Za-z0-9]", text, re.MULTILINE)) > 15
    usage = SCRIPT.read_text().split("TEXT")[1]
    for command in re.findall(r"\n    (demo\|\S+)\) ;;", SCRIPT.read_text())[0].split("|"):
        assert f"\n  {command} " in usage
    for command in cli.app.registered_commands:
        assert (command.name or command.callback.__name__).replace("_", "-") in usage
    for group in cli.with_groups().registered_groups:
        assert group.name in usage


def test_two_at_once_on_a_fresh_clone_install_once(machine):
    run, stand_in, folder = machine
    gate, at_pip, waits = folder / "gate", folder / "at_pip", folder / "waits"
    stand_in("flock", f'[ "$*" = "-x 8" ] && touch {waits}\nexec /usr/bin/flock "$@"')
    body = (folder / "bin" / "python3").read_text().split("\n", 1)[1]
    stand_in("python3", body.replace("*pip*) echo", f"*pip*) touch {at_pip}; while [ ! -e {gate} ]; do sleep 0.01; done; echo"))
    with ThreadPoolExecutor(2) as both:
        first = both.submit(run, "cli", "kinds")
        while not at_pip.exists():
            assert not first.done()
        second = both.submit(run, "cli", "kinds")
        while not waits.exists():
            assert not second.done()
        gate.touch()
        assert first.result().stdout == second.result().stdout == "ran -P -m bouncy_latch.shell kinds\n"
    assert len((folder / "pip.log").read_text().splitlines()) == 2


def test_nothing_is_installed_under_a_program_that_runs(machine):
    run, _, folder = machine
    run("cli", "kinds")
    gate = folder / "gate"
    os.mkfifo(gate)
    runs, python = folder / "runs", folder / "repo" / ".venv" / "bin" / "python"
    kept = python.read_text()
    python.write_text(kept.replace('*) echo "ran', f'*bouncy_latch.start*) touch {runs}; cat {gate} ;;\n*) echo "ran'))
    lock = folder / "repo" / "requirements" / "runtime.txt"
    with ThreadPoolExecutor(1) as beside:
        window = beside.submit(run, "run", DISPLAY=":7")
        while not runs.exists():
            assert not window.done()
        lock.write_text(lock.read_text() + "one-more==1.0\n")
        refused = run("cli", "kinds")
        gate.write_text("closed\n")
        assert window.result().returncode == 0
    assert refused.returncode == 1
    assert "still runs; close it" in refused.stderr
    assert len((folder / "pip.log").read_text().splitlines()) == 2
    assert run("cli", "kinds").returncode == 0, "once it is closed they are installed"


def test_a_changed_lock_file_sets_up_again(machine):
    run, _, folder = machine
    run("cli", "kinds")
    lock = folder / "repo" / "requirements" / "runtime.txt"
    lock.write_text(lock.read_text() + "one-more==1.0\n")
    run("cli", "kinds")

    assert len((folder / "pip.log").read_text().splitlines()) == 4


def test_without_root_the_one_command_is_printed(machine):
    run, stand_in, folder = machine
    stand_in("dpkg-query", "exit 1")
    stand_in("id", "echo 1000")
    found = run("demo")

    assert found.returncode == 1
    assert "sudo apt-get install --no-install-recommends xvfb" in found.stderr
    assert not (folder / "pip.log").exists()


def test_as_root_the_packages_are_installed(machine):
    run, stand_in, folder = machine
    stand_in("dpkg-query", "exit 1")
    stand_in("id", "echo 0")
    stand_in("apt-get", f'echo "$*" >> {folder}/apt.log')
    run("cli", "kinds")
    calls = (folder / "apt.log").read_text().splitlines()

    assert calls[0].startswith("update")
    assert "libxcb-cursor0" in calls[1]


def test_demo_without_a_display_says_so_and_uses_a_virtual_one(machine):
    run, stand_in, _ = machine
    stand_in("xvfb-run", 'echo "virtual $*"')
    without, with_one = run("demo"), run("demo", DISPLAY=":7")

    assert "no display found" in without.stderr
    assert without.stdout.startswith("virtual")
    assert "bouncy_latch.start --demo" in without.stdout
    assert "no display" not in with_one.stderr
    assert with_one.stdout == "ran -P -m bouncy_latch.start --demo\n"


def test_unknown_commands_and_old_pythons_are_said(machine):
    run, stand_in, folder = machine
    assert run("frobnicate").returncode == 2
    assert "there is no command 'frobnicate'" in run("frobnicate").stderr
    assert "usage" in run().stdout
    stand_in("python3", "exit 1")
    for version in ("3.11", "3.12", "3.13"):
        stand_in(f"python{version}", "exit 1")
    found = run("cli", "kinds")
    assert found.returncode != 0
    assert "Python 3.11 or newer is needed" in found.stderr
    assert not (folder / "repo" / ".venv").exists()


def test_it_is_plain_posix_shell():
    done = subprocess.run(["sh", "-n", str(SCRIPT)], capture_output=True, text=True, check=False)

    assert done.returncode == 0
    assert SCRIPT.read_text().startswith("#!/bin/sh\n")
    assert os.access(SCRIPT, os.X_OK)
