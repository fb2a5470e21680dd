"""A bounded share of `start.py torture`: the same rounds, always with the same seeds."""

from __future__ import annotations

import pytest

from torture import SYSTEMS, one_round


@pytest.mark.parametrize(
    ("source", "target", "first"),
    [("ext4", "xfs", 1), ("xfs", "btrfs", 101), ("btrfs", "ext4", 201), ("ext4", "ntfs", 301)],
)
def test_whatever_fails_and_whoever_meddles_nothing_is_lost(real_drives, source, target, first):
    for name in (source, target):
        real_drives.up(name, SYSTEMS[name], name)
    rounds = [one_round(real_drives, source, target, seed) for seed in range(first, first + 8)]
    assert sum("the machine dies" in line for each in rounds for line in each.story) >= 3, "it really was torture"
