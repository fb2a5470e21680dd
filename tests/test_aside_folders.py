"""The two hidden folders of a move, and the folders above its target."""

from __future__ import annotations

import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from nuvik.core.carrying.aside_folders import (
    held_folder,
    incoming_folder,
    make_way,
    missing_folders,
    note_state,
    unmake_way,
)
from nuvik.core.carrying.run import undo
from nuvik.core.hosts.local import LocalHost
from refusals import move_of, shift

FILES = LocalHost().files


def test_hidden_folders_are_named_by_the_number_that_their_move_had_first(world, ferry):
    """A journal that was lost and found again may give the move another number."""
    shift(world.open(), ferry, on_trial=True)
    move = move_of(world)
    assert os.path.basename(incoming_folder(move)) == f".nuvik-incoming-1-{move.token}"
    again = replace(move, id=9, first_id=1)
    assert (incoming_folder(again), held_folder(again)) == (incoming_folder(move), held_folder(move))
    shutil.rmtree(held_folder(move))
    note_state(world.open().carry.work(), move, "held")
    assert not os.path.exists(held_folder(move)), "there is nothing left to write a note about"


@pytest.mark.parametrize(
    ("comes", "goes", "stays"),
    [(None, None, ""), ("a/mine", None, "a"), ("a/b/mine", None, "a/b"), (None, "a/b", ""), (None, "a", "")],
)
def test_folders_made_for_a_library_go_again_but_for_what_came_to_lie_in_them(tmp_path, comes, goes, stays):
    made = missing_folders(FILES, str(tmp_path / "a" / "b" / "Library"))
    assert made == (str(tmp_path / "a"), str(tmp_path / "a" / "b"))
    make_way(FILES, made)
    make_way(FILES, made)
    if comes:
        (tmp_path / comes).write_text("mine")
    if goes:
        shutil.rmtree(tmp_path / goes)
    unmake_way(FILES, made)
    left = [path for path in sorted(tmp_path.rglob("*")) if path.is_dir()]
    assert left == [tmp_path / part for part in ("a", "a/b") if stays.startswith(part)]
    assert Path(tmp_path / (comes or "")).exists()


def test_folders_made_for_a_library_go_when_it_was_copied_back(world, ferry):
    shift(world.open(), ferry)
    assert os.path.isdir(world.path("heron", "Games"))
    undo(world.open().carry.work(), "last")
    assert ferry.is_dir() and not os.path.exists(world.path("heron", "Games"))
