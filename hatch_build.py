"""Builds the parts of Nuvik that are written in C, where a compiler is at hand (Nuvik works without them, slower), and
puts the address of the project's home into the package, where that is given.
"""

from __future__ import annotations

import glob
import os
import re
import shlex
import subprocess
import sys
import sysconfig
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface
from hatchling.metadata.plugin.interface import MetadataHookInterface

_LEAST_GLIBC = (2, 17)
_CORE = os.path.join("src", "nuvik", "core")
_PARTS = {
    os.path.join(_CORE, "survey", "walk", "_scan_folder"): os.path.join(_CORE, "survey", "walk", "_scan_folder.c"),
    os.path.join(_CORE, "hosts", "_many_files"): os.path.join(_CORE, "hosts", "many_files_c", "*.c"),
}
"""Each part, without its ending, and what it is made from."""


_HOME_URL = "NUVIK_HOME_URL"
"""The environment variable in which whoever hosts the project says where; the sources do not know."""


class CustomMetadataHook(MetadataHookInterface):
    """Names the home of the project, and where to report a fault, in what a package says of itself."""

    def update(self, metadata: dict[str, Any]) -> None:
        home = os.environ.get(_HOME_URL, "").strip().rstrip("/")
        if not home:
            return
        if not home.startswith("https://"):
            raise ValueError(f"{_HOME_URL} is “{home}”, which is not an address that begins with https://. Correct it.")
        metadata["urls"] = {"Homepage": home, "Issues": f"{home}/issues"}


class CustomBuildHook(BuildHookInterface):
    """Compiles each part beside the modules that use it before a wheel or an editable install is made."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        if sys.platform == "win32":
            return
        made: list[str] = []
        for part, pattern in _PARTS.items():
            built = os.path.join(self.root, f"{part}.abi3.so")
            if problem := _compile(sorted(glob.glob(os.path.join(self.root, pattern))), built):
                # A library from an older source must not be used with the code of today.
                for leftover in (built, built + ".new"):
                    if os.path.exists(leftover):
                        os.remove(leftover)
                name = os.path.basename(part)
                self.app.display_warning(f"Nuvik is installed without {name}, so it is slower: {problem}")
                continue
            build_data["pure_python"] = False
            build_data["artifacts"].append(f"{part}.abi3.so")
            made.append(built)
        if made:
            # The stable interface of CPython 3.11: one wheel serves this and every later version.
            build_data["tag"] = f"cp311-abi3-{_platform_of(made)}"


def _platform_of(libraries: list[str]) -> str:
    """The tag of the systems on which these libraries run: for glibc, those of the newest version that they ask for
    (PEP 600), and never older than what the oldest supported Python needs.
    """
    from packaging.tags import platform_tags

    newest = (0, 0)
    for library in libraries:
        with open(library, "rb") as file:
            asked = re.findall(rb"GLIBC_(\d+)\.(\d+)", file.read())
        newest = max([newest, *((int(major), int(minor)) for major, minor in asked)])
    tags = list(platform_tags())
    if newest == (0, 0):
        return tags[0]
    machine = sysconfig.get_platform().removeprefix("linux-").replace("-", "_")
    return f"manylinux_{max(newest, _LEAST_GLIBC)[0]}_{max(newest, _LEAST_GLIBC)[1]}_{machine}"


def _compile(sources: list[str], built: str) -> str | None:
    """Build a shared library of these sources; None, or why it could not be built."""
    compiler = shlex.split(os.environ.get("CC") or sysconfig.get_config_var("CC") or "cc")
    headers = sysconfig.get_path("include")
    words = [*compiler, "-O2", "-shared", "-fPIC", "-fvisibility=hidden", f"-I{headers}"]
    words += [*sources, "-o", built + ".new"]
    if sys.platform == "darwin":
        words += ["-undefined", "dynamic_lookup"]
    try:
        subprocess.run(words, check=True, capture_output=True, text=True)
        os.replace(built + ".new", built)
    except subprocess.CalledProcessError as failed:
        errors = [line for line in failed.stderr.splitlines() if "error" in line] or failed.stderr.splitlines()
        return f"{' '.join(compiler)} failed: {errors[0].strip() if errors else f'exit code {failed.returncode}'}"
    except OSError as failed:
        return f"{compiler[0] if compiler else 'the compiler'}: {failed.strerror}"
    return None
