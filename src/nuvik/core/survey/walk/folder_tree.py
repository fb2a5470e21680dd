"""A sized tree: its folders down to a kept depth, each with all that lies in and below it."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from operator import add, attrgetter

from nuvik.core.model.extent import Extent, classes_of
from nuvik.core.model.paths import is_within
from nuvik.core.survey.walk.walk_slice import Sums, WalkRules, add_counts


@dataclass(frozen=True, slots=True)
class SymbolicLink:
    """A symbolic link or junction inside a tree."""

    path: str
    """Absolute."""
    goal: str
    """As written in the link."""

    @property
    def goal_path(self) -> str:
        """Where it leads, absolute, by its words alone."""
        return os.path.normpath(os.path.join(os.path.dirname(self.path), self.goal))


@dataclass(frozen=True, slots=True)
class BigFile:
    """A large file."""

    path: str
    bytes: int
    changed_s: float


class Folder:
    """A kept folder of a tree."""

    __slots__ = ("_extensions", "_extent", "above", "below", "name", "own", "path", "total")

    def __init__(self, path: str, name: str, above: Folder | None) -> None:
        self.path, self.name, self.above = path, name, above
        self.own = Sums("")
        """What lies in it directly, with what was not kept on its own."""
        self.below: dict[str, Folder] = {}
        self.total: tuple[_Row, _Linked | None] | None = None
        """With all below; set once the tree is whole."""
        self._extensions: dict[str, int] | None = None
        self._extent: Extent | None = None

    def everything(self) -> Iterator[Folder]:
        """This folder and all kept ones below it."""
        waiting = [self]
        while waiting:
            folder = waiting.pop()
            yield folder
            waiting.extend(folder.below.values())

    @property
    def extent(self) -> Extent:
        """The sums, with all below."""
        if self.total is None:
            return Extent()
        if self._extent is None:
            row, linked = self.total
            self._extent = row.extent(linked)
        return self._extent

    @property
    def held_bytes(self) -> int:
        """What it takes on its disk, with all below."""
        if self.total is None:
            return 0
        row, linked = self.total
        return row.counts[-1] + (linked.on_disk_bytes if linked is not None else 0)

    @property
    def has_files(self) -> bool:
        """Whether any file lies in it or below."""
        return self.total is not None and self.total[0].counts[_FILES] > 0

    @property
    def extensions(self) -> dict[str, int]:
        """Bytes by the ending of the name, with all below."""
        if self._extensions is None:
            total = dict(self.own.extensions)
            for _, _, size, _, name in self.own.linked:
                ending = os.path.splitext(name)[1].lower()
                total[ending] = total.get(ending, 0) + size
            for inner in self.below.values():
                add_counts(total, inner.extensions)
            self._extensions = total
        return self._extensions

    @property
    def histogram(self) -> dict[int, int]:
        """How many files by size class, with all below; each content once."""
        total: dict[int, int] = {}
        linked: dict[int, int] = {}
        for folder in self.everything():
            add_counts(total, folder.own.histogram)
            linked.update((inode, size) for inode, _, size, _, _ in folder.own.linked)
        add_counts(total, classes_of(linked.values()))
        return total

    @property
    def shared(self) -> list[str]:
        """A name of each file here that has another name (hard link) outside this folder."""
        if self.total is not None and self.total[1] is None:
            return []
        seen: dict[int, int] = {}
        first: dict[int, tuple[str, int]] = {}
        for folder in self.everything():
            for inode, names, _, _, name in folder.own.linked:
                seen[inode] = seen.get(inode, 0) + 1
                first.setdefault(inode, (os.path.join(folder.path, name), names))
        return sorted(path for inode, (path, names) in first.items() if seen[inode] < names)

    @property
    def links(self) -> Iterator[SymbolicLink]:
        """The links here and below, as far as they are listed."""
        if self.total is not None and not self.total[0].counts[_LINKS]:
            return
        for folder in self.everything():
            for name, goal in folder.own.link_list:
                yield SymbolicLink(os.path.join(folder.path, name), goal)

    @property
    def big_files(self) -> Iterator[BigFile]:
        for folder in self.everything():
            for size, changed_s, name in folder.own.big:
                yield BigFile(os.path.join(folder.path, name), size, changed_s)

    @property
    def problems(self) -> Iterator[tuple[str, str]]:
        """Full path and the system's error message."""
        root = self.root
        for folder in self.everything():
            for name, what in folder.own.problems:
                yield (os.path.join(root.path, name) if name else root.path), what

    @property
    def root(self) -> Folder:
        folder = self
        while folder.above is not None:
            folder = folder.above
        return folder


@dataclass(slots=True)
class Tree:
    """A tree being sized, and then whole."""

    root: Folder
    lengths: bool = False
    """Lengths count as sizes on disk, and folders take nothing, as in a world."""
    complete: bool = True
    silent: bool = False
    """Its drive stopped answering, so that nothing is known of it."""
    entries: int = 0
    """Names looked at so far."""
    bytes: int = 0
    """Held on the disk by what was looked at so far."""
    folders: dict[str, Folder] = field(default_factory=dict)
    """By path relative to the root."""
    rules: WalkRules | None = None
    """How it was walked."""
    began_s: float = 0.0
    """When that began, in seconds since 1970."""

    @classmethod
    def at(cls, path: str, lengths: bool) -> Tree:
        root = Folder(path, os.path.basename(path), None)
        return cls(root, lengths, folders={"": root})

    def add(self, sums: Sums) -> None:
        """Count what a slice found of one folder."""
        folder = self._folder(sums.path)
        if folder.own.folders or folder.own.problems:
            _add(folder.own, sums)
        else:
            folder.own = sums
        self.bytes += sums.bytes if self.lengths else sums.blocks_bytes

    def _folder(self, path: str) -> Folder:
        folder = self.folders.get(path)
        if folder is None:
            above, _, name = path.rpartition(os.sep)
            upper = self._folder(above)
            folder = self.folders[path] = Folder(f"{upper.path.rstrip(os.sep)}{os.sep}{name}", name, upper)
            upper.below[name] = folder
        return folder

    def at_path(self, path: str) -> Folder | None:
        """The kept folder of this absolute path."""
        relative = os.path.relpath(path, self.root.path)
        return self.folders.get("" if relative == "." else relative)

    def finish(self) -> None:
        """Sum up from the leaves to the root. May be called again once more was added."""
        order = list(self.root.everything())
        linked = self._linked()
        plain: dict[int, _Row] = {}
        for folder in reversed(order):
            if len(folder.below) > 1:
                folder.below = dict(sorted(folder.below.items()))
            row = _Row.of(folder.own, self.lengths)
            for inner in folder.below.values():
                row.add(plain[id(inner)], inner.name)
            plain[id(folder)] = row
            folder.total, folder._extensions, folder._extent = (row, linked.get(id(folder))), None, None

    def _linked(self) -> dict[int, _Linked]:
        """For each folder, what the files of several names add: a file once in every folder above any of its names."""
        above: dict[int, set[int]] = {}
        by_inode: dict[int, _Linked] = {}
        for folder in self.folders.values():
            for inode, _, size, on_disk, name in folder.own.linked:
                counted = above.setdefault(inode, set())
                upper: Folder | None = folder
                while upper is not None and id(upper) not in counted:
                    counted.add(id(upper))
                    if (linked := by_inode.get(id(upper))) is None:
                        linked = by_inode[id(upper)] = _Linked()
                    if linked.add(size, size if self.lengths else on_disk):
                        linked.largest = os.path.relpath(os.path.join(folder.path, name), upper.path)
                    upper = upper.above
        return by_inode


def folder_in(trees: Iterable[Tree], path: str) -> Folder | None:
    """The kept folder of this absolute path, in whichever tree it stands."""
    for tree in trees:
        if is_within(path, tree.root.path) and (folder := tree.at_path(path)) is not None:
            return folder
    return None


@dataclass(slots=True)
class _Linked:
    bytes: int = 0
    on_disk_bytes: int = 0
    hole_bytes: int = 0
    largest_bytes: int = 0
    largest: str = ""

    def add(self, size: int, on_disk: int) -> bool:
        """Count a file; True when it is the largest so far."""
        self.bytes += size
        self.on_disk_bytes += on_disk
        self.hole_bytes += max(0, size - on_disk)
        if size <= self.largest_bytes:
            return False
        self.largest_bytes = size
        return True


@dataclass(slots=True)
class _Row:
    """Sums on their way up, without files of several names."""

    counts: list[int]
    """In the order of `_COUNTED`, then bytes on disk."""
    largest_bytes: int
    largest: str
    content_s: float
    access_s: float

    @classmethod
    def of(cls, own: Sums, lengths: bool) -> _Row:
        counts = [*_counts(own), own.bytes if lengths else own.blocks_bytes]
        return cls(counts, own.largest_bytes, own.largest_name, own.newest_content_s, own.newest_access_s)

    def add(self, inner: _Row, name: str) -> None:
        self.counts = list(map(add, self.counts, inner.counts))
        if inner.largest_bytes > self.largest_bytes:
            self.largest_bytes, self.largest = inner.largest_bytes, os.path.join(name, inner.largest)
        if inner.content_s > self.content_s:
            self.content_s = inner.content_s
        if inner.access_s > self.access_s:
            self.access_s = inner.access_s

    def extent(self, linked: _Linked | None) -> Extent:
        counts = dict(zip(_COUNTED, self.counts, strict=False))
        on_disk, more = self.counts[-1], linked or _Linked()
        largest = max((self.largest_bytes, self.largest), (more.largest_bytes, more.largest))
        counts["bytes"] += more.bytes
        counts["hole_bytes"] += more.hole_bytes
        return Extent(
            **counts,
            on_disk_bytes=on_disk + more.on_disk_bytes,
            largest_file_bytes=largest[0],
            largest_file=largest[1],
            newest_content_s=self.content_s or None,
            newest_access_s=self.access_s or None,
        )


_COUNTED = (
    "bytes",
    "files",
    "folders",
    "cold_bytes",
    "programs",
    "not_here_files",
    "not_here_bytes",
    "links",
    "special",
    "hole_bytes",
    "sub_volumes",
)
_FILES, _LINKS = _COUNTED.index("files"), _COUNTED.index("links")
_counts = attrgetter(*_COUNTED)
_ADDED = (*_COUNTED, "blocks_bytes")


def _add(to: Sums, more: Sums) -> None:
    """Sums of one folder from several slices become one."""
    for name in _ADDED:
        setattr(to, name, getattr(to, name) + getattr(more, name))
    if more.largest_bytes > to.largest_bytes:
        to.largest_bytes, to.largest_name = more.largest_bytes, more.largest_name
    to.newest_content_s = max(to.newest_content_s, more.newest_content_s)
    to.newest_access_s = max(to.newest_access_s, more.newest_access_s)
    add_counts(to.histogram, more.histogram)
    add_counts(to.extensions, more.extensions)
    for name in ("linked", "link_list", "big", "problems", "stamps"):
        getattr(to, name).extend(getattr(more, name))
