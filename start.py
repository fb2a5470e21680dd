#!/usr/bin/env python3
"""One command for everything: makes what Nuvik needs, then runs it. Standard library only.

python3 start.py demo [WORDS…]    open the demo household (or its tour: demo --tour)
python3 start.py run [WORDS…]     run Nuvik on this computer; the words go to it as they are
python3 start.py test [WORDS…]    lint, types, import contracts and tests; the words go to pytest
python3 start.py mutants [WORDS…] do the tests notice when a guard is gone?
python3 start.py torture [WORDS…] moves on real small drives while everything fails that can; needs root, for hours
python3 start.py bench            Nuvik beside the plain system tools, with the targets
python3 start.py shots            take the pictures in docs/screenshots again
python3 start.py rooms            draw docs/rooms.svg again: the rooms of the code, and which uses which
python3 start.py lock             write requirements.lock again from pyproject.toml
python3 start.py schemas          write docs/schema again from the models
python3 start.py man              write docs/nuvik.1 again from the commands

`demo` and `run` install what running needs; everything else also installs what the checks need.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent
HOME = HERE / ".venv"
LOCK, RUN_LOCK = HERE / "requirements.lock", HERE / "requirements-run.lock"
CORE = HERE / "src" / "nuvik" / "core"
BUILT_FROM = (CORE / "survey" / "walk" / "_scan_folder.c", *sorted((CORE / "hosts" / "many_files_c").glob("*.[ch]")))
STAMP = HOME / "made-from"
NEEDED = (3, 11)


def main(words: list[str]) -> int:
    if sys.version_info < NEEDED:
        return fail(
            f"Nuvik needs Python {NEEDED[0]}.{NEEDED[1]} or newer; this is {sys.version.split()[0]}.",
            "Install a newer Python and call start.py with it.",
        )
    verbs = {
        "demo": demo,
        "run": run,
        "test": test,
        "bench": bench,
        "mutants": mutants,
        "torture": torture,
        "shots": shots,
        "rooms": rooms,
        "lock": lock,
        "schemas": schemas,
        "man": man,
    }
    if not words or words[0] not in verbs:
        print(__doc__)
        return 0 if words and words[0] in ("-h", "--help") else 2
    problem = make_ready(whole=words[0] not in ("demo", "run"))
    return problem or verbs[words[0]](words[1:])


# -- what the words do -------------------------------------------------------------------------------------


def demo(words: list[str]) -> int:
    return call("-m", "nuvik", "demo", *words)


def run(words: list[str]) -> int:
    return call("-m", "nuvik", *words)


def test(words: list[str]) -> int:
    """Every check, in the order of how quickly it fails; stops at the first that does."""
    os.environ["PYTHONDONTWRITEBYTECODE"] = "1"
    steps = {
        "lint": [tool("ruff"), "check", "."],
        "format": [tool("ruff"), "format", "--check", "."],
        "types": [tool("mypy")],
        "import contracts": [tool("lint-imports")],
        "tests": [str(python()), "-m", "pytest", *words],
    }
    for name, command in steps.items():
        say(f"{name} …")
        code = subprocess.call(command, cwd=HERE)
        if code:
            return fail(f"The {name} found something (exit code {code}).", "See above.", code)
    say("All checks passed.")
    return 0


def bench(words: list[str]) -> int:
    return call("bench", *words)


def mutants(words: list[str]) -> int:
    return call("mutants", *words)


def torture(words: list[str]) -> int:
    return call("tests/torture.py", *words)


def shots(words: list[str]) -> int:
    return call("docs/take_screenshots.py", *words)


def rooms(words: list[str]) -> int:
    return call("docs/draw_rooms.py", *words)


def schemas(words: list[str]) -> int:
    return call("docs/write_schemas.py", *words)


def man(words: list[str]) -> int:
    return call("docs/write_man.py", *words)


def lock(words: list[str]) -> int:
    """Pin every dependency with its hashes, for all systems at once: of what the checks need, and of what running does,
    in the same versions.
    """
    return _lock(LOCK, ["--group", "dev", *words]) or _lock(
        RUN_LOCK, ["--group", "build", "--constraint", str(LOCK), *words]
    )


def _lock(output: Path, words: list[str]) -> int:
    command = [
        tool("uv"),
        "pip",
        "compile",
        "pyproject.toml",
        "--universal",
        "--generate-hashes",
        "--no-strip-extras",
        "--no-emit-index-url",
        "--no-emit-find-links",
        "--no-header",
        "--no-annotate",
        "--python-version",
        "3.11",
        "--output-file",
        str(output),
        "--quiet",
        *words,
    ]
    return subprocess.call(command, cwd=HERE)


# -- making ready ------------------------------------------------------------------------------------------


def make_ready(whole: bool) -> int:
    """Make `.venv` from the lock if it is missing or stale; with `whole`, with what the checks need. 0, or an exit code
    after a plain message.
    """
    made_from = STAMP.read_text(encoding="utf-8") if STAMP.exists() and python().exists() else ""
    if made_from in (fingerprint(LOCK), "" if whole else fingerprint(RUN_LOCK)) and made_from:
        return 0
    lock_file = LOCK if whole else RUN_LOCK
    wanted = fingerprint(lock_file)
    say(f"Making ready (.venv from {lock_file.name}): one to three minutes the first time, and needs a network.")
    try:
        import venv  # noqa: F401
    except ImportError:
        return fail("This Python has no venv module.", "On Debian and its kin: install the package python3-venv.")
    if HOME.exists():
        shutil.rmtree(HOME, ignore_errors=True)
    # Called by the Python of the environment itself, that one is gone by now.
    maker = getattr(sys, "_base_executable", None) or sys.executable
    if subprocess.call([maker, "-m", "venv", str(HOME)]):
        return fail(
            f"The environment could not be made in {HOME}.",
            "See above; on Debian and its kin the package python3-venv may be missing, or the disk is full.",
        )
    pip = [str(python()), "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    if subprocess.call([*pip, "--require-hashes", "-r", str(lock_file)], cwd=HERE):
        return fail("The libraries that Nuvik needs could not be fetched.", "Check the network and call this again.")
    if subprocess.call([*pip, "--no-deps", "--no-build-isolation", "--editable", "."], cwd=HERE):
        return fail("Nuvik itself could not be installed into .venv.", "See the message above.")
    # Compiled once here, so that the first start is as quick as the later ones.
    subprocess.call([str(python()), "-m", "compileall", "-q", str(HERE / "src")])
    STAMP.write_text(wanted, encoding="utf-8")
    say("Ready.")
    return 0


def fingerprint(lock_file: Path) -> str:
    """What `.venv` depends on: the lock, the project file, where it lies, and this Python."""
    digest = hashlib.sha256(f"{HERE}\n{sys.version}\n".encode())
    for file in (lock_file, HERE / "pyproject.toml", HERE / "hatch_build.py", *BUILT_FROM):
        digest.update(file.read_bytes())
    return digest.hexdigest()


def python() -> Path:
    return HOME / ("Scripts/python.exe" if os.name == "nt" else "bin/python")


def tool(name: str) -> str:
    return str(python().with_name(name + (".exe" if os.name == "nt" else "")))


def call(*words: str) -> int:
    try:
        return subprocess.call([str(python()), *words], cwd=None if words[0] == "-m" else HERE)
    except KeyboardInterrupt:
        return 130


def say(text: str) -> None:
    print(f"start.py: {text}", file=sys.stderr, flush=True)


def fail(what: str, next_step: str, code: int = 1) -> int:
    say(f"{what}\n          {next_step}")
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
