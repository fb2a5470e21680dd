"""What the checks of one step find."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from nuvik.core.model.plan import Step
from nuvik.core.model.timeline import Violation


@dataclass(slots=True)
class Findings:
    """What the checks of one step found."""

    step: Step
    violations: list[Violation] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    room_bytes: int = 0
    """What the library will take on the target."""

    def refuse(self, problem: str, mend: str, drive: str | None = None) -> None:
        self.violations.append(
            Violation(n=self.step.n, library=self.step.library, problem=problem, mend=mend, drive=drive)
        )


def and_more(of_kind: Sequence[object]) -> str:
    return f" (and {len(of_kind) - 1} more like it)" if len(of_kind) > 1 else ""
