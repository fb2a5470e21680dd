"""Documents about drives: measured speeds, file systems weighed, drives to buy."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive, Tier
from nuvik.core.model.gauging import GaugeOutcome
from nuvik.core.planning.buying.filesystem_advice import Advice
from nuvik.core.planning.buying.purchases import PurchaseVerdict
from nuvik.core.views.filesystem_view import FileSystemView


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeDocument:
    """How measuring drives ended."""

    drives: tuple[GaugeOutcome, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class AdviceDocument:
    """Which file system a drive should have."""

    drive: str
    says: str
    filesystems: tuple[Advice, ...]
    """Every file system that can be offered, the best first."""
    steps: tuple[str, ...]
    """How to change it with the system's own tool; empty when it is fine as it is."""

    @classmethod
    def of(cls, drive: Drive, view: FileSystemView) -> AdviceDocument:
        return cls(drive=drive.id, says=view.sentence, filesystems=view.weighed, steps=view.steps)


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidateDocument:
    """A way to spend money, and what it would do here."""

    label: str
    price: float
    currency: str
    price_per_tb: float | None
    read_bytes_per_s: float
    """What really arrives: the slowest of drive, case and port."""
    write_bytes_per_s: float
    held_back_by: str
    """The slowest part, in words."""
    felt_load_s: float
    tier: Tier
    parts: tuple[str, ...]
    """What it is put together from."""
    upgrade_of: str | None
    """The id of a drive that is here already, of which this changes the case or port only."""
    saves_s_per_week: float
    """Waiting saved beyond what the best placement without it would save."""
    libraries: tuple[str, ...]
    """The names of what would be placed on it, most waiting saved first."""

    @classmethod
    def of(cls, verdict: PurchaseVerdict) -> CandidateDocument:
        candidate = verdict.candidate
        return cls(
            label=candidate.label,
            price=candidate.price,
            currency=candidate.currency,
            price_per_tb=candidate.price_per_tb,
            read_bytes_per_s=candidate.read_bytes_per_s,
            write_bytes_per_s=candidate.write_bytes_per_s,
            held_back_by=candidate.held_back_by,
            felt_load_s=candidate.felt_load_s,
            tier=candidate.tier,
            parts=candidate.parts,
            upgrade_of=candidate.upgrade_of,
            saves_s_per_week=verdict.saves_s_per_week,
            libraries=verdict.libraries,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareDocument:
    """Drives to buy, those that save most for their price first."""

    candidates: tuple[CandidateDocument, ...]
