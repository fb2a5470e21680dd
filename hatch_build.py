"""Builds the one part of Nuvik that is written in C, where a compiler is at hand; Nuvik works without it, slower."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import sysconfig
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_FOLDER = os.path.join("src", "nuvik", "core", "survey", "walk")


class CustomBuildHook(BuildHookInterface):
    """Compiles `_scan_folder.c` beside itself before a wheel or an editable install is made."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        source = os.path.join(self.root, _FOLDER, "_scan_folder.c")
        built = os.path.join(self.root, _FOLDER, "_scan_folder.abi3.so")
        if sys.platform == "win32" or not _compile(source, built):
            return
        build_data["pure_python"] = False
        build_data["infer_tag"] = True
        build_data["artifacts"].append(os.path.join(_FOLDER, "_scan_folder.abi3.so"))


def _compile(source: str, built: str) -> bool:
    compiler = shlex.split(os.environ.get("CC") or sysconfig.get_config_var("CC") or "cc")[0]
    words = [compiler, "-O2", "-shared", "-fPIC", f"-I{sysconfig.get_path('include')}", source, "-o", built + ".new"]
    if sys.platform == "darwin":
        words += ["-undefined", "dynamic_lookup"]
    try:
        subprocess.run(words, check=True, capture_output=True)
        os.replace(built + ".new", built)
    except (OSError, subprocess.CalledProcessError):
        return False
    return True
