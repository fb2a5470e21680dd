"""A bounded share of `start.py torture`: the same rounds, always with the same seeds."""

from __future__ import annotations

import pytest

from torture import ERRORS, SYSTEMS, failing_round, one_round


@pytest.mark.parametrize(
    ("source", "target", "first"),
    [("ext4", "xfs", 1), ("xfs", "btrfs", 101), ("btrfs", "ext4", 201), ("ext4", "ntfs", 301)],
)
def test_whatever_fails_and_whoever_meddles_nothing_is_lost(real_drives, source, target, first):
    for name in (source, target):
        real_drives.up(name, SYSTEMS[name], name)
    rounds = [one_round(real_drives, source, target, seed) for seed in range(first, first + 8)]
    assert sum(line.startswith("  ") for each in rounds for line in each.story) >= 8, "it really was torture"


def test_every_so_often_one_operation_fails_and_nothing_is_lost(real_drives):
    """Each number of operation once in a while, each error in turn, on the way there and on the way back."""
    for name in ("ext4", "xfs"):
        real_drives.up(name, SYSTEMS[name], name)
    for number, at in enumerate(range(3, 400, 31)):
        fault = ERRORS[number % len(ERRORS)]
        failing_round(real_drives, "ext4", "xfs", [at, at // 2 + 5][: 1 + number % 2], fault)
