"""What a cable, port or slot lets through: one table of public link standards.

The payload of a link is what files can really get: the signalling rate, less the line code, less what the
protocol spends on its own packets. Sources, each the standard's own published text:

- USB: Universal Serial Bus 2.0 (table 5-10: at most 13 bulk packets of 512 bytes in a microframe, 53 MB/s), USB 3.2
  (8b/10b for Gen 1, 128b/132b for Gen 2), USB4 1.0 and 2.0 (tunnelled PCI Express).
- Serial ATA 3.x: 8b/10b at 1.5, 3 and 6 Gbit/s.
- PCI Express Base 1.0 to 5.0: 2.5 and 5 GT/s with 8b/10b, 8 to 32 GT/s with 128b/130b, per lane.
- Thunderbolt 1 to 5: the PCI Express bandwidth that each generation's technology brief grants to data.
- FireWire: IEEE 1394a (S400 is 49.152 MB/s) and 1394b (S800 is 98.304 MB/s).

The last factor, from coded rate to payload, is assumed from the packet formats: 0.80 for USB 2.0's bulk-only
transport, 0.90 for USB 3.2 and 0.92 for SATA, 0.88 for PCI Express with 256-byte packets (24 to 28 bytes of header,
plus acknowledgements), 0.80 for FireWire.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

MB = 1_000_000
AT_CEILING_SHARE = 0.85
"""Assumed: a drive that reaches this share of a link's payload is held back by the link."""


@dataclass(frozen=True, slots=True)
class Link:
    """A standard of a cable, port or slot."""

    id: str
    """As drives carry it: `usb-3.2-gen2`, `sata-6g`, `pcie-3x4`."""
    name: str
    family: str
    """usb, sata, pcie, thunderbolt or firewire: a faster port is looked for among the same family."""
    payload_bytes_per_s: float

    def holds_back(self, read_bytes_per_s: float) -> bool:
        """Whether this speed is about all that the link can pass on."""
        return read_bytes_per_s >= AT_CEILING_SHARE * self.payload_bytes_per_s


_PCIE_LANE_MB_S = {1: 250, 2: 500, 3: 984.6, 4: 1969.2, 5: 3938.5}
_PCIE_GT_S = {2.5: 1, 5.0: 2, 8.0: 3, 16.0: 4, 32.0: 5}
_PCIE_LANES = (1, 2, 4, 8, 16)

_TABLE = (
    Link("usb-2", "USB 2.0", "usb", 53.2 * 0.80 * MB),
    Link("usb-3.2-gen1", "USB 3.2 Gen 1 (5 Gbit/s)", "usb", 500 * 0.90 * MB),
    Link("usb-3.2-gen2", "USB 3.2 Gen 2 (10 Gbit/s)", "usb", 1212 * 0.90 * MB),
    Link("usb-3.2-gen2x2", "USB 3.2 Gen 2x2 (20 Gbit/s)", "usb", 2424 * 0.90 * MB),
    Link("usb4-40g", "USB4 (40 Gbit/s)", "usb", 3938 * 0.80 * MB),
    Link("usb4-80g", "USB4 (80 Gbit/s)", "usb", 7877 * 0.80 * MB),
    Link("sata-1.5g", "SATA 1.5 Gbit/s", "sata", 150 * 0.92 * MB),
    Link("sata-3g", "SATA 3 Gbit/s", "sata", 300 * 0.92 * MB),
    Link("sata-6g", "SATA 6 Gbit/s", "sata", 600 * 0.92 * MB),
    Link("thunderbolt-1", "Thunderbolt 1 (10 Gbit/s)", "thunderbolt", 1250 * 0.80 * MB),
    Link("thunderbolt-2", "Thunderbolt 2 (20 Gbit/s)", "thunderbolt", 2000 * 0.80 * MB),
    Link("thunderbolt-3", "Thunderbolt 3 (40 Gbit/s)", "thunderbolt", 2750 * MB),
    Link("thunderbolt-4", "Thunderbolt 4 (40 Gbit/s)", "thunderbolt", 3938 * 0.80 * MB),
    Link("thunderbolt-5", "Thunderbolt 5 (80 Gbit/s)", "thunderbolt", 7877 * 0.80 * MB),
    Link("firewire-400", "FireWire 400", "firewire", 49.152 * 0.80 * MB),
    Link("firewire-800", "FireWire 800", "firewire", 98.304 * 0.80 * MB),
    *(
        Link(
            f"pcie-{generation}x{lanes}",
            f"PCI Express {generation}.0 ×{lanes}",
            "pcie",
            lane * lanes * 0.88 * MB,
        )
        for generation, lane in _PCIE_LANE_MB_S.items()
        for lanes in _PCIE_LANES
    ),
)
LINKS: dict[str, Link] = {link.id: link for link in _TABLE}
_SAME = {
    "usb-3": "usb-3.2-gen1",
    "usb-3.0": "usb-3.2-gen1",
    "usb-3.1": "usb-3.2-gen2",
    "usb-2.0": "usb-2",
    "usb4": "usb4-40g",
    "usb-1.1": "usb-1",
}


def link_of(identifier: str) -> Link | None:
    """The standard of this id; None for a link that is unknown or no cable (a network, a virtual disk)."""
    folded = identifier.strip().casefold()
    return LINKS.get(_SAME.get(folded, folded))


def link_name(identifier: str) -> str:
    """The link as people write it; the id itself where it is no known standard."""
    link = link_of(identifier)
    return link.name if link is not None else "an unknown link" if identifier == "unknown" else identifier


def next_faster(link: Link) -> Link | None:
    """The next faster standard of the same family; None at its top."""
    faster = [
        other
        for other in _TABLE
        if other.family == link.family and other.payload_bytes_per_s > link.payload_bytes_per_s
    ]
    return min(faster, key=lambda link: link.payload_bytes_per_s, default=None)


def usb_link(mbit_per_s: float) -> str:
    """The USB standard of a negotiated rate in Mbit/s, as the system tells it; unknown for other rates."""
    rates = {
        480: "usb-2",
        5_000: "usb-3.2-gen1",
        10_000: "usb-3.2-gen2",
        20_000: "usb-3.2-gen2x2",
        40_000: "usb4-40g",
        80_000: "usb4-80g",
    }
    return rates.get(round(mbit_per_s), "unknown")


def sata_link(text: str) -> str:
    """The SATA standard of a text such as `6.0 Gbps` or `6 Gigabit`."""
    match = re.match(r"\s*(1\.5|3|6)(?:\.0)?\b", text)
    return f"sata-{match.group(1)}g" if match else "unknown"


def pcie_link(speed: str, width: str) -> str:
    """The PCI Express standard of texts such as `8.0 GT/s PCIe` and `4` (or `x4`)."""
    rate, lanes = re.match(r"\s*([\d.]+)\s*GT/s", speed), re.search(r"(\d+)", width)
    generation = _PCIE_GT_S.get(float(rate.group(1))) if rate else None
    if generation is None or lanes is None or int(lanes.group(1)) not in _PCIE_LANES:
        return "unknown"
    return f"pcie-{generation}x{int(lanes.group(1))}"
