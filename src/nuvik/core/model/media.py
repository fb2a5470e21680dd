"""What drives of each medium commonly do: the figures that stand in until a drive is measured."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Medium:
    """A class of drive. Speeds are bytes per second."""

    id: str
    name: str
    read_bytes_per_s: float
    write_bytes_per_s: float
    small_reads_per_s: float
    slow_below_free_share: float
    """With less of it free than this, it works noticeably slower; 0 where that is not known.

    Chip drives: write amplification rises steeply as spare cells run out (Hu et al., “Write Amplification Analysis in
    Flash-Based Solid State Drives”, SYSTOR 2009; Desnoyers, “Analytic Models of SSD Write Performance”, ACM
    Transactions on Storage 10(2), 2014: with 10 to 15 % spare it is two to four times that of a half-empty drive).
    Platters: the inner tracks are the slow ones (Van Meter, “Observing the Effects of Multi-Zone Disks”, USENIX 1997).
    """
    why_slow: str = ""
    too_warm_c: float | None = None
    """Hotter than drives of this class are specified to work at: JEDEC JESD218 has client chip drives work up to
    70 °C; 60 °C is the usual upper limit in specifications of drives with platters."""


_CHIP_SLOW = "a solid-state drive this full has to clear cells before it can write"
_PLATTER_SLOW = "the inner tracks of a hard disk hold about half as much per turn, and files get fragmented there"

MEDIA: dict[str, Medium] = {
    medium.id: medium
    for medium in (
        # Speeds are assumed: round figures in the middle of what drives of each class are specified at for one
        # reader at a time. They are shown as typical everywhere, and measurement replaces them.
        Medium("nvme", "NVMe solid-state drive", 2_500e6, 1_500e6, 12_000, 0.12, _CHIP_SLOW, 70),
        Medium("ssd", "solid-state drive", 520e6, 450e6, 8_000, 0.12, _CHIP_SLOW, 70),
        Medium("hdd", "hard disk", 150e6, 140e6, 90, 0.05, _PLATTER_SLOW, 60),
        Medium("flash", "flash stick or card", 90e6, 25e6, 900, 0.10, _CHIP_SLOW, 70),
        Medium("network", "network volume", 100e6, 80e6, 300, 0.0),
        Medium("unknown", "drive of unknown type", 200e6, 150e6, 500, 0.0),
    )
}


def medium_of(identifier: str) -> Medium:
    """The class of this id; the unknown one for any other."""
    return MEDIA.get(identifier, MEDIA["unknown"])
