"""Whether programs can be led to a library's new place: the settings with its path are there and can be changed."""

from __future__ import annotations

import os

from nuvik.core.checks.findings import Findings
from nuvik.core.hosts.base import Host
from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Role, Step
from nuvik.core.model.tether import Tether
from nuvik.core.settings import registry
from nuvik.core.settings.settings_file import Change, change_for


def check_tethers(findings: Findings, host: Host) -> None:
    """Look at each settings file; one that lies in the library itself goes along, and cannot be changed there."""
    step = findings.step
    if step.role is Role.FROM_STAGING:
        return  # by then the step before has changed them
    for tether in step.tethers:
        if not tether.kind.changes_a_file:
            continue
        if tether.format != registry.FORMAT and is_within(os.path.realpath(tether.file), step.path):
            findings.refuse(
                f"{shown(tether.file)} lies in {shown(step.library)} itself and would move with it.",
                f"Remove that tether: “nuvik tether {shown(step.library)} --remove N”.",
            )
            continue
        if users := host.used_by(tether.file):
            findings.refuse(f"{shown(tether.file)} is in use by {users[0]}.", "Close it, so that it takes the change.")
        try:
            change_of(host, step, tether)
        except Refused as refusal:
            findings.refuse(refusal.what, refusal.next_step)


def change_of(host: Host, step: Step, tether: Tether) -> Change:
    """What a step would change in a settings file. Raises Refused where that is not certain."""
    return change_for(tether, step.path, step.target_path, host.surroundings().home)
