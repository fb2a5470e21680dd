"""A drive that could be bought: whole, or put together from a bare drive and a case, on a port of this computer."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import DEFAULT_HEADROOM_SHARE, Drive, Tier, felt_load_s, tier_of
from nuvik.core.model.links import Link
from nuvik.core.model.media import medium_of

TB = 1_000_000_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """A way to spend money. Speeds are bytes per second."""

    label: str
    capacity_bytes: int
    price: float
    currency: str
    medium: str
    own_read_bytes_per_s: float
    """What the drive itself does, by its maker's word."""
    own_write_bytes_per_s: float
    small_reads_per_s: float
    case: Link | None = None
    """What the case or cable lets through; None for a drive that goes straight into its slot."""
    port: Link | None = None
    """The port or slot of this computer that it would hang on."""
    parts: tuple[str, ...] = ()
    """What it is put together from, if it is."""
    upgrade_of: str | None = None
    """The id of a drive that is here already, of which this changes the case or port only."""

    @property
    def price_per_tb(self) -> float | None:
        """What each TB of it costs; None for a faster port or case, which brings none."""
        return None if self.upgrade_of is not None else self.price / (self.capacity_bytes / TB)

    @property
    def read_bytes_per_s(self) -> float:
        """What really arrives: the slowest of drive, case and port."""
        return min([self.own_read_bytes_per_s, *(link.payload_bytes_per_s for link in self._links)])

    @property
    def write_bytes_per_s(self) -> float:
        return min([self.own_write_bytes_per_s, *(link.payload_bytes_per_s for link in self._links)])

    @property
    def _links(self) -> list[Link]:
        return [link for link in (self.case, self.port) if link is not None]

    @property
    def held_back_by(self) -> str:
        """The slowest part: `the drive itself`, `its case (USB …)`, `the port (USB …)`."""
        slowest, name = self.own_read_bytes_per_s, "the drive itself"
        for link, what in ((self.case, "its case"), (self.port, "the port")):
            if link is not None and link.payload_bytes_per_s < slowest:
                slowest, name = link.payload_bytes_per_s, f"{what} ({link.name})"
        return name

    @property
    def is_held_back(self) -> bool:
        """Whether its case or port lets less through than the drive could do."""
        return self.read_bytes_per_s < self.own_read_bytes_per_s

    @property
    def felt_load_s(self) -> float:
        return felt_load_s(self.read_bytes_per_s, self.small_reads_per_s)

    @property
    def tier(self) -> Tier:
        return tier_of(self.felt_load_s)

    def as_drive(self) -> Drive:
        """The drive it would be, empty: so that everything asked of a drive can be asked of it."""
        link = min(self._links, key=lambda link: link.payload_bytes_per_s, default=None)
        return Drive(
            id=f"candidate:{self.label}",
            label=self.label,
            path="",
            medium=self.medium,
            link=link.id if link else "unknown",
            filesystem="ext4",
            cluster_bytes=4096,
            portable=self.case is not None,
            attached=True,
            system=False,
            capacity_bytes=self.capacity_bytes,
            usable_bytes=self.capacity_bytes,
            used_bytes=0,
            headroom_bytes=int(self.capacity_bytes * DEFAULT_HEADROOM_SHARE),
            read_bytes_per_s=self.read_bytes_per_s,
            write_bytes_per_s=self.write_bytes_per_s,
            small_reads_per_s=self.small_reads_per_s,
            speed_source="declared",
            write_source="declared",
        )


def usual_small_reads_per_s(medium: str) -> float:
    """What stands in where a candidate's small reads are not known: those typical of its class."""
    return medium_of(medium).small_reads_per_s
