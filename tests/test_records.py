"""Records compared thing by thing: which difference counts between an original, its copy, and what is kept."""

from __future__ import annotations

import errno
import os
import stat
from dataclasses import dataclass, field, replace
from types import SimpleNamespace
from typing import Any

import pytest

from nuvik.core.carrying import marks
from nuvik.core.carrying.guards import Loss, _as_written, _missing, _unchanged, remove_emptied
from nuvik.core.carrying.marks import MarkRefused, checksum_of_attributes, difference, mark
from nuvik.core.carrying.proof import _is_as_recorded
from nuvik.core.hosts.attributes import FLAGS
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.filesystems import rules_of
from nuvik.core.model.inventory import NOTHING_WITHHELD, EntryRecord, Withheld

EXT4, EXFAT = rules_of("ext4"), rules_of("exfat")
NOON = 1_500_000_000_987_654_321
FILE = EntryRecord("a", "file", 10, 0o640, 7, 8, NOON, NOON, NOON, "1:1")
FOLDER = FILE._replace(kind="folder", size=0, mode=0o750)
LINK = FILE._replace(kind="link", size=0, link="goal")
SETGID = FOLDER._replace(mode=0o2750)


@pytest.mark.parametrize(
    ("now", "entry", "rules", "word"),
    [
        (FILE, FILE, EXT4, None),
        (FILE._replace(changed_ns=NOON + 1_000), FILE, EXT4, "time"),
        (FILE._replace(changed_ns=NOON // 10**9 * 10**9), FILE, EXT4, None),  # whole seconds are kept there
        (FILE._replace(user=9), FILE, EXT4, "owner"),
        (FILE._replace(group=9), FILE, EXT4, "group"),
        (FILE._replace(mode=0o600), FILE, EXT4, "mode"),
        (LINK._replace(mode=0o777), LINK, EXT4, None),
        (FILE._replace(user=9, group=9, mode=0o777), FILE, EXFAT, None),
        (FILE._replace(changed_ns=NOON + 10**10), FILE, EXFAT, "time"),
        (SETGID._replace(mode=0o750), SETGID, EXT4, "mode"),
    ],
)
def test_each_mark_counts_where_the_file_system_keeps_it(now, entry, rules, word, monkeypatch):
    monkeypatch.setattr(marks, "_may_give_group", lambda group: True)
    assert difference(now, entry, rules) == word


def test_a_group_out_of_reach_and_what_was_withheld_are_no_difference(monkeypatch):
    monkeypatch.setattr(marks, "_may_give_group", lambda group: False)
    assert difference(SETGID._replace(group=9, mode=0o750), SETGID, EXT4) is None, "the bit goes with the group"
    assert difference(SETGID._replace(group=9, mode=0o700), SETGID, EXT4) == "mode"
    assert difference(SETGID._replace(mode=0o750), SETGID, EXT4) == "mode", "it has its group"
    monkeypatch.setattr(marks, "_may_give_group", lambda group: True)
    assert difference(FILE._replace(group=9), FILE, EXT4, Withheld({}, ("group",))) is None
    later = FILE._replace(changed_ns=NOON + 10**9)
    assert difference(later, FILE, EXT4, Withheld({}, ("time",), NOON + 10**9)) is None
    assert difference(FILE, FILE, EXT4, Withheld({}, ("time",), NOON + 10**9)) == "time"


def test_attributes_are_told_apart_by_names_and_values():
    assert checksum_of_attributes({}) is None
    sums = [checksum_of_attributes(each) for each in ({"a": b"1"}, {"a": b"2"}, {"b": b"1"}, {"a": b"1", "b": b""})]
    assert len(set(sums)) == 4
    assert checksum_of_attributes({"a": b"1", "b": b"2"}) == checksum_of_attributes({"b": b"2", "a": b"1"})


# -- giving marks ------------------------------------------------------------------------------------------


@dataclass
class Kept:
    """A file on a drive that keeps what it is given, but for what it `refuses`, each with an error number; what it
    `forgets` it takes without a word.
    """

    user: int = 7
    group: int = 8
    mode: int = 0o600
    changed_ns: int = 0
    attributes: dict[str, bytes] = field(default_factory=dict)
    refuses: dict[str, int] = field(default_factory=dict)
    forgets: frozenset[str] = frozenset()

    def _asked(self, what: str) -> bool:
        if what in self.refuses:
            raise OSError(self.refuses[what], os.strerror(self.refuses[what]))
        return what not in self.forgets

    def facts(self, path: str) -> Any:
        return SimpleNamespace(st_uid=self.user, st_gid=self.group, st_mode=self.mode, st_mtime_ns=self.changed_ns)

    def mark_owner(self, path: str, user: int, group: int) -> None:
        if self._asked("owner"):
            self.user, self.group, self.mode = user, group, self.mode & 0o777

    def mark_mode(self, path: str, mode: int) -> None:
        self.mode = mode

    def mark_times(self, path: str, accessed_ns: int, changed_ns: int) -> None:
        if self._asked("times"):
            self.changed_ns = changed_ns

    def read_xattrs(self, path: str) -> dict[str, bytes]:
        return dict(self.attributes)

    def mark_xattr(self, path: str, name: str, value: bytes) -> None:
        if self._asked(name):
            self.attributes[name] = value

    def remove_xattr(self, path: str, name: str) -> None:
        del self.attributes[name]


def test_a_copy_gets_every_mark_and_none_of_its_folder():
    copy = Kept(
        user=0, group=0, attributes={"system.posix_acl_access": b"of the folder", FLAGS: b"f", "user.seen": b"s"}
    )
    assert mark(copy, "a", FILE._replace(mode=0o4750), {"user.note": b"n"}, EXT4) == NOTHING_WITHHELD
    assert (copy.user, copy.group, copy.mode, copy.changed_ns) == (7, 8, 0o4750, NOON)
    assert copy.attributes == {"user.note": b"n", "user.seen": b"s"}
    owned = Kept(refuses={"owner": errno.EPERM})
    assert mark(owned, "a", FILE, {}, EXT4) == NOTHING_WITHHELD, "nothing is asked for that is there"
    portable = Kept(user=0, group=0, refuses={"owner": errno.EPERM, "user.note": errno.ENOTSUP})
    with pytest.raises(MarkRefused) as refused:
        mark(portable, "a", FILE, {"user.note": b"n"}, EXFAT)
    assert refused.value.mark == "extended attribute user.note" and refused.value.errno == errno.ENOTSUP
    assert mark(portable, "a", FILE, {"user.note": b"n"}, EXFAT, without=True) == Withheld({"user.note": b"n"}, ())
    assert portable.mode == 0o600 and portable.changed_ns == NOON
    link = Kept(mode=0o777)
    mark(link, "a", LINK, {}, EXT4)
    assert link.mode == 0o777


@pytest.mark.parametrize(
    ("copy", "what", "withheld"),
    [
        (Kept(group=0, refuses={"owner": errno.EPERM}), "group", Withheld({}, ("group",))),
        (Kept(refuses={"user.note": errno.ENOSPC}), "extended attribute user.note", Withheld({"user.note": b"n"}, ())),
        (Kept(forgets=frozenset(["user.note"])), "extended attribute user.note", Withheld({"user.note": b"n"}, ())),
        (Kept(forgets=frozenset(["times"]), changed_ns=77), "time", Withheld({}, ("time",), 77)),
    ],
)
def test_a_mark_that_is_not_kept_is_named_or_remembered(copy, what, withheld):
    with pytest.raises(MarkRefused) as refused:
        mark(replace(copy), "a", FILE, {"user.note": b"n"}, EXT4)
    assert refused.value.mark == what and refused.value.errno and refused.value.filename == "a"
    assert not copy.refuses or refused.value.errno in copy.refuses.values(), "as the drive said it"
    assert mark(replace(copy), "a", FILE, {"user.note": b"n"}, EXT4, without=True) == withheld


def test_another_users_file_and_a_drive_that_went_are_no_matter_of_marks():
    for without in (False, True):
        with pytest.raises(PermissionError) as fault:
            mark(Kept(user=0, refuses={"owner": errno.EPERM}), "a", FILE, {}, EXT4, without)
        assert not isinstance(fault.value, MarkRefused)
        with pytest.raises(OSError, match="Input/output error") as gone:
            mark(Kept(refuses={"user.note": errno.EIO}), "a", FILE, {"user.note": b"n"}, EXT4, without)
        assert not isinstance(gone.value, MarkRefused)


def test_whoever_may_give_a_group_is_root_or_in_it(monkeypatch):
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr(os, "getegid", lambda: 1000)
    monkeypatch.setattr(os, "getgroups", lambda: [5, 6])
    assert [marks._may_give_group(group) for group in (1000, 6, 7)] == [True, True, False]
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    assert marks._may_give_group(7)
    monkeypatch.delattr(os, "geteuid")
    assert not marks._may_give_group(7), "where there are none"


# -- what may go -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("now", "then", "with_alteration", "without"),
    [
        (FILE, FILE, True, True),
        (FILE._replace(size=11), FILE, False, False),
        (FILE._replace(changed_ns=NOON + 1), FILE, False, False),
        (FILE._replace(altered_ns=NOON + 1), FILE, False, True),
        (FILE._replace(mode=0, user=0, group=0), FILE, True, True),
        (FILE._replace(kind="hard-link"), FILE, True, True),
        (FOLDER._replace(changed_ns=1, altered_ns=1), FOLDER, True, True),
        (LINK._replace(changed_ns=1, altered_ns=1), LINK, True, True),
        (LINK._replace(link="elsewhere"), LINK, False, False),
        (FILE._replace(size=0), FOLDER, False, False),
        (LINK._replace(kind="folder"), LINK, False, False),
    ],
)
def test_what_tells_that_an_original_was_changed(now, then, with_alteration, without):
    assert (_unchanged(then, now, True), _unchanged(then, now, False)) == (with_alteration, without)


@pytest.mark.parametrize(
    ("now", "then", "same"),
    [
        (FILE, FILE, True),
        (FILE._replace(size=11), FILE, False),
        (FILE._replace(changed_ns=NOON + 10), FILE, False),
        (FILE._replace(changed_ns=NOON + 2), FILE, True),
        (FILE._replace(changed_ns=5), FILE._replace(withheld=Withheld({}, ("time",), 5).to_text()), True),
        (FILE._replace(kind="hard-link", altered_ns=1, mode=0), FILE, True),
        (FILE, FILE._replace(kind="folder"), False),
        (FOLDER._replace(changed_ns=1, size=4), FOLDER, True),
        (LINK, LINK, True),
        (LINK._replace(link="/whole/goal"), LINK._replace(carried_link="/whole/goal"), True),
        (LINK, LINK._replace(carried_link="/whole/goal"), False),
    ],
)
def test_what_tells_that_a_copy_was_changed(now, then, same):
    assert _as_written(then, now, 2) is same


@pytest.mark.parametrize(
    ("now", "then", "problem"),
    [
        (None, FILE, "is missing at /kept"),
        (FILE, FILE, None),
        (LINK, FILE, "is something else at /kept"),
        (FILE._replace(size=9), FILE, "has a different size at /kept, although nobody changed it there"),
        (FILE._replace(size=9, changed_ns=NOON - 5), FILE, "has a different size at /kept, although nobody changed it"),
        (FILE._replace(size=9, changed_ns=NOON + 3), FILE, None),
        (FILE._replace(changed_ns=1), FILE, None),
        (FOLDER._replace(size=1, changed_ns=1), FOLDER, None),
    ],
)
def test_what_is_kept_stands_for_an_original_when_it_has_it_or_is_newer(now, then, problem):
    missing = _missing(then, now, "/kept", 2)
    assert (missing or "").startswith(problem or "") and bool(missing) == bool(problem)


def test_a_loss_says_what_and_how_much():
    written = Loss("a", "is still open for writing in some program")
    assert written.still_written and not replace(written, whole=False).still_written
    assert not Loss("a", "was changed").still_written
    assert str(Loss("", "was changed")) == "it was changed"
    assert str(Loss("a", "was changed", 3)) == "a was changed (and 2 more entries)"


def test_what_an_emptied_folder_held_goes_with_the_folder_in_which_it_lies_once_the_emptied_one_is_there(tmp_path):
    files, ours, emptied = LocalHost().files, tmp_path / "ours", tmp_path / "cache"
    (ours / "content" / "deep").mkdir(parents=True)
    for there in (None, "link"):
        if there:
            emptied.symlink_to(tmp_path)
        with pytest.raises(FileNotFoundError):
            remove_emptied(files, str(ours), str(ours / "content"), str(emptied))
        assert (ours / "content" / "deep").exists()
    emptied.unlink()
    emptied.mkdir()
    remove_emptied(files, str(ours), str(ours / "content"), str(emptied))
    assert not ours.exists() and emptied.exists()
    assert stat.S_ISDIR(emptied.lstat().st_mode)


@pytest.mark.parametrize(
    ("now", "entry", "marks", "same"),
    [
        (FILE, FILE, FILE, True),
        (FILE._replace(accessed_ns=1, altered_ns=1, inode="2:2"), FILE, FILE, True),
        (FILE, FILE, FILE._replace(mode=0o600), False),
        (FILE._replace(mode=0o600), FILE, FILE._replace(mode=0o600), True),
        (FILE, FILE, FILE._replace(changed_ns=NOON + 10**10), False),
        (FILE._replace(size=11), FILE, FILE, False),
        (FOLDER, FILE, FILE, False),
        (FILE._replace(kind="folder"), FILE, FILE, False),
        (FILE, FILE._replace(kind="folder"), FILE._replace(kind="folder"), False),
        (FILE, FILE._replace(kind="hard-link", link="a"), FILE, True),
        (FILE._replace(mode=0o600), FILE._replace(kind="hard-link", link="a"), FILE, True),
        (LINK, LINK, LINK, True),
        (LINK, LINK._replace(carried_link="/whole/goal"), LINK._replace(carried_link="/whole/goal"), False),
        (LINK._replace(link="/whole/goal"), LINK, LINK._replace(carried_link="/whole/goal"), True),
        (LINK._replace(link="other"), LINK, LINK, False),
    ],
)
def test_a_copy_is_as_recorded_when_it_has_the_marks_that_it_should_have(now, entry, marks, same):
    assert _is_as_recorded(entry, entry if marks == entry else marks, now, EXT4) is same


def test_a_time_that_was_withheld_is_the_one_that_counts():
    later = NOON + 10**9
    entry = FILE._replace(withheld=Withheld({}, ("time",), later).to_text())
    assert _is_as_recorded(entry, entry, FILE._replace(changed_ns=later), EXT4)
    assert not _is_as_recorded(entry, entry, FILE, EXT4)
