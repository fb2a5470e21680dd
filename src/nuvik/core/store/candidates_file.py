"""Candidates to buy, in a small TOML file: whole drives, or bare drives and cases to be put together.

    format = "nuvik-candidates/1"
    currency = "EUR"
    ports = ["usb-3.2-gen2", "sata-6g"]        # what this computer still has free

    [[drive]]
    label = "Plover 2 TB"
    capacity_bytes = 2_000_398_934_016
    price = 129.0
    medium = "nvme"
    read_bytes_per_s = 3_500_000_000
    write_bytes_per_s = 3_000_000_000
    case = "usb-3.2-gen2"                       # ready-made with this case; without: a bare drive
    port = "usb-3.2-gen2"

    [[case]]
    label = "Brass case"
    price = 24.0
    link = "usb-3.2-gen2"
    takes = ["nvme"]

    [[upgrade]]                                 # a drive that is here, in another case or on another port
    drive = "wren"
    label = "Wren in the brass case"
    price = 24.0
    case = "usb-3.2-gen2x2"
    port = "usb-3.2-gen2x2"
    read_bytes_per_s = 3_500_000_000            # what the drive itself can do
    write_bytes_per_s = 3_000_000_000

Every bare drive without a port of its own is offered in every case that takes it, and by itself where `ports` names
a slot for it.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from nuvik.core.model.drive import Drive, find_drive
from nuvik.core.model.errors import NotNamed, Refused
from nuvik.core.model.links import LINKS, Link, link_of
from nuvik.core.model.names import shown
from nuvik.core.model.purchase import Candidate, usual_small_reads_per_s
from nuvik.core.user_files.toml_file import read_checked

CANDIDATES_FORMAT = "nuvik-candidates/1"

_Price = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
_Speed = Annotated[float, Field(gt=0, allow_inf_nan=False)]
_Label = Annotated[str, Field(min_length=1, max_length=80)]


def _a_link(value: str) -> str:
    if link_of(value) is None:
        raise ValueError(f"unknown link “{value}”; known are {', '.join(LINKS)}")
    return value


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class _DriveEntry(_Strict):
    label: _Label
    capacity_bytes: Annotated[int, Field(gt=0, le=2**62)]
    price: _Price
    medium: Literal["nvme", "ssd", "hdd", "flash"]
    read_bytes_per_s: _Speed
    write_bytes_per_s: _Speed
    small_reads_per_s: _Speed | None = None
    case: str | None = None
    port: str | None = None

    @field_validator("case", "port")
    @classmethod
    def _known(cls, value: str | None) -> str | None:
        return value if value is None else _a_link(value)


class _CaseEntry(_Strict):
    label: _Label
    price: _Price
    link: str
    takes: list[Literal["nvme", "ssd", "hdd"]]
    port: str | None = None

    @field_validator("link", "port")
    @classmethod
    def _known(cls, value: str | None) -> str | None:
        return value if value is None else _a_link(value)


class _UpgradeEntry(_Strict):
    drive: str
    label: _Label
    price: _Price
    case: str | None = None
    port: str | None = None
    read_bytes_per_s: _Speed
    write_bytes_per_s: _Speed

    @field_validator("case", "port")
    @classmethod
    def _known(cls, value: str | None) -> str | None:
        return value if value is None else _a_link(value)


class _CandidatesEntry(_Strict):
    format: str
    currency: Annotated[str, Field(min_length=1, max_length=8)] = "EUR"
    ports: list[str] = []
    drive: list[_DriveEntry] = []
    case: list[_CaseEntry] = []
    upgrade: list[_UpgradeEntry] = []

    @field_validator("ports")
    @classmethod
    def _known(cls, values: list[str]) -> list[str]:
        return [_a_link(value) for value in values]


def read_candidates(path: str, drives: Sequence[Drive] = ()) -> tuple[Candidate, ...]:
    """The candidates in a file, put together from parts where they are to be. Raises Refused with file and field."""
    if not os.path.isfile(path):
        raise NotNamed(f"There is no file {shown(path)}.", next_step="Name a candidates file; see docs/candidates.md.")
    entries = read_checked(path, _CandidatesEntry, CANDIDATES_FORMAT)
    ports = [link for name in entries.ports if (link := link_of(name)) is not None]
    candidates = [
        _whole(entry, entries.currency, ports) for entry in entries.drive if _stands_alone(entry, entries.case, ports)
    ]
    candidates += [
        _put_together(entry, case, entries.currency, ports)
        for entry in entries.drive
        for case in entries.case
        if entry.case is None and entry.port is None and entry.medium in case.takes
    ]
    candidates += [_upgraded(entry, entries.currency, drives, path) for entry in entries.upgrade]
    return tuple(candidates)


def _whole(entry: _DriveEntry, currency: str, ports: list[Link]) -> Candidate:
    case = link_of(entry.case) if entry.case else None
    port = link_of(entry.port) if entry.port else _port_for(case, ports) if case else _slot_for(entry, ports)
    return _candidate(entry, entry.label, entry.price, currency, case, port, ())


def _stands_alone(entry: _DriveEntry, cases: list[_CaseEntry], ports: list[Link]) -> bool:
    """Whether a drive can be used as it is: not a bare one for which there is a case but no slot."""
    bare = entry.case is None and entry.port is None
    return not bare or _slot_for(entry, ports) is not None or not any(entry.medium in case.takes for case in cases)


def _slot_for(entry: _DriveEntry, ports: list[Link]) -> Link | None:
    """The fastest free slot inside the computer that a bare drive fits."""
    family = "pcie" if entry.medium == "nvme" else "sata"
    fitting = [port for port in ports if port.family == family]
    return max(fitting, key=lambda port: port.payload_bytes_per_s, default=None)


def _put_together(entry: _DriveEntry, case: _CaseEntry, currency: str, ports: list[Link]) -> Candidate:
    link = link_of(case.link)
    port = link_of(case.port) if case.port else _port_for(link, ports)
    label = f"{entry.label} in {case.label}"
    return _candidate(entry, label, entry.price + case.price, currency, link, port, (entry.label, case.label))


def _candidate(
    entry: _DriveEntry,
    label: str,
    price: float,
    currency: str,
    case: Link | None,
    port: Link | None,
    parts: tuple[str, ...],
) -> Candidate:
    return Candidate(
        label=label,
        capacity_bytes=entry.capacity_bytes,
        price=price,
        currency=currency,
        medium=entry.medium,
        own_read_bytes_per_s=entry.read_bytes_per_s,
        own_write_bytes_per_s=entry.write_bytes_per_s,
        small_reads_per_s=entry.small_reads_per_s or usual_small_reads_per_s(entry.medium),
        case=case,
        port=port,
        parts=parts,
    )


def _port_for(case: Link | None, ports: list[Link]) -> Link | None:
    """The fastest free port that the case fits; None when the file names none of its family."""
    fitting = [port for port in ports if case is not None and port.family == case.family]
    return max(fitting, key=lambda port: port.payload_bytes_per_s, default=None)


def _upgraded(entry: _UpgradeEntry, currency: str, drives: Sequence[Drive], path: str) -> Candidate:
    drive = find_drive(tuple(drives), entry.drive)
    if drive is None:
        raise Refused(
            f"{shown(path)}: the upgrade “{shown(entry.label)}” is of an unknown drive, {shown(entry.drive)}.",
            next_step="“nuvik drives” lists the drives.",
        )
    return Candidate(
        label=entry.label,
        capacity_bytes=drive.capacity_bytes,
        price=entry.price,
        currency=currency,
        medium=drive.medium,
        own_read_bytes_per_s=entry.read_bytes_per_s,
        own_write_bytes_per_s=entry.write_bytes_per_s,
        small_reads_per_s=drive.small_reads_per_s,
        case=link_of(entry.case) if entry.case else None,
        port=link_of(entry.port) if entry.port else None,
        upgrade_of=drive.id,
    )
