"""Plan files (`*.nuvik-plan.json`): written for the user, read with distrust."""

from __future__ import annotations

import json
import os
import posixpath

from nuvik.core.model.errors import NotNamed, Refused, system_words
from nuvik.core.model.formats import PLAN_ENDING, check_format
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan, Role, Step
from nuvik.core.store.json_codec import from_json, plan_to_json
from nuvik.core.user_files.safe_file import write_text

PLAN_FORMAT = "nuvik-plan/1"


def write_plan(plan: Plan, path: str) -> None:
    """Write a plan, replacing an older one of that name only when the new one is whole. Raises Refused."""
    write_text(path, json.dumps(plan_to_json(plan), indent=2) + "\n")


def read_plan(path: str) -> Plan:
    """Read and check a plan file. Raises Refused when it is missing, broken, or names unclean paths."""
    where = shown(path)
    try:
        with open(path, encoding="utf-8") as file:
            data = json.load(file)
    except OSError as fault:
        words = system_words(fault)
        raise NotNamed(f"The plan {where} cannot be read: {words}.", next_step="Check the name.") from None
    except (ValueError, RecursionError) as fault:
        raise Refused(f"The plan {where} is not valid JSON: {fault}.", next_step="Make a new plan.") from None
    if not isinstance(data, dict):
        raise Refused(f"{where} is not a plan.", next_step="Make a new plan.")
    check_format(data.pop("format", None), PLAN_FORMAT, where)
    plan = from_json(Plan, data, f"The plan {where}")
    for number, step in enumerate(plan.steps, start=1):
        if step.n != number:
            raise Refused(f"The plan {where}: its steps are not numbered 1, 2, 3 ….", next_step="Make a new plan.")
        for text in (step.path, step.target_path):
            if not os.path.isabs(text) or os.path.normpath(text) != text or text == posixpath.sep:
                raise Refused(
                    f"The plan {where}, step {number}: {shown(text)} is not a clean absolute path.",
                    next_step="Make a new plan.",
                )
        if step.role is not Role.DIRECT and not _staged(plan, step):
            raise Refused(
                f"The plan {where}, step {number} waits on a staging drive, but no other step takes it on.",
                next_step="Make a new plan.",
            )
        leads = any(tether.kind.leads for tether in step.tethers)
        if not step.tether.keeps_old_path and step.role is not Role.FROM_STAGING and not leads:
            raise Refused(
                f"The plan {where}, step {number} would leave nothing where programs look for the library.",
                next_step="Set its tether to “link”.",
            )
        for tether in step.tethers:
            in_file = tether.kind.changes_a_file and tether.format != "registry"
            if "\0" in tether.file or (in_file and not os.path.isabs(tether.file)):
                raise Refused(
                    f"The plan {where}, step {number}: {shown(tether.file)} is not an absolute path.",
                    next_step="Make a new plan.",
                )
        if min(step.bytes, step.files, step.frees_bytes, step.takes_bytes) < 0:
            raise Refused(f"The plan {where}, step {number} has a size below zero.", next_step="Make a new plan.")
    for landing in plan.landings:
        if not os.path.isabs(landing.path) or os.path.normpath(landing.path) != landing.path:
            raise Refused(
                f"The plan {where}: the landing {shown(landing.path)} is not a clean absolute path.",
                next_step="Make a new plan.",
            )
    if min(plan.headroom_bytes.values(), default=0) < 0:
        raise Refused(f"The plan {where} asks for headroom below zero.", next_step="Make a new plan.")
    return plan


def plans_in(folder: str) -> list[str]:
    """The names of the plan files in a folder, the newest first; none when it cannot be read."""
    try:
        with os.scandir(folder) as entries:
            dated = [(-entry.stat().st_mtime, entry.name) for entry in entries if entry.name.endswith(PLAN_ENDING)]
    except OSError:
        return []
    return [name for _, name in sorted(dated)]


def free_plan_path(folder: str) -> str:
    """Where a plan without a name can be written in a folder, replacing none."""
    names = ("moves", *(f"moves-{number}" for number in range(2, 1000)))
    paths = [os.path.join(folder, f"{name}{PLAN_ENDING}") for name in names]
    return next((path for path in paths if not os.path.lexists(path)), paths[0])


def _staged(plan: Plan, step: Step) -> bool:
    """Whether a step by way of a drive has its other half, the one that goes there before the one that goes on."""
    for other in plan.steps:
        first, second = (step, other) if step.role is Role.TO_STAGING else (other, step)
        halves = first.n < second.n and first.to_drive == step.via == second.from_drive
        if other.via == step.via and halves and first.target_path == second.path:
            return not second.tether.keeps_old_path
    return False
