"""Small files of the drives that a piece of work may touch, read and written whole, many in one call.

What is begun here goes on by itself: while one batch is written or read, the caller prepares the next. Each batch holds
its own descriptors of the folders that its files lie in, so that nobody else can take them away from under it.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Generic, TypeVar

from nuvik.core.hosts.anchors import Anchor, OpenFolders, folder_and_name, goes_by_descriptors, named
from nuvik.core.hosts.checksum import checksum_of_whole
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.many_files import (
    IN_ONE_CALL,
    SMALL_BYTES,
    Place,
    SmallCopy,
    SmallFile,
    ToCopy,
    read_many,
    write_many,
)

MOST_IN_BATCH = 128
MOST_BYTES_IN_BATCH = 16 * SMALL_BYTES

_AT_WORK = 2
"""While one batch is written, the next is read."""

Results = TypeVar("Results")


class Batch(Generic[Results]):
    """Something that was begun."""

    def __init__(self, results: Callable[[], Results]) -> None:
        self._results = results

    def results(self) -> Results:
        """Waits for its end; to be called once."""
        return self._results()


class SmallFiles:
    """The operations. A batch holds at most `MOST_IN_BATCH` files and, but for a single one, `MOST_BYTES_IN_BATCH`."""

    def __init__(self, hook: FileOpHook, anchors: tuple[Anchor, ...] | None, folders: OpenFolders) -> None:
        self._hook, self._anchors, self._folders = hook, anchors, folders
        self._helper: ThreadPoolExecutor | None = None

    @property
    def most_bytes(self) -> int:
        """The length up to which files are read and written whole, below these anchors; negative where none is."""
        works = IN_ONE_CALL and self._anchors is not None and goes_by_descriptors()
        return SMALL_BYTES if works else -1

    def let_go(self) -> None:
        """Wait for what was begun."""
        if self._helper is not None:
            self._helper.shutdown()
        self._helper = None

    def read(self, files: Sequence[tuple[str, int]], past_cache: bool, width: int) -> Batch[list[SmallFile | OSError]]:
        """Begin to read files whole, `width` at a time; each is a path and a length."""
        self._hear_of_reading(files)
        read = self._begin(lambda places: read_many(places, past_cache, width), [path for path, _ in files])

        def finished() -> list[SmallFile | OSError]:
            results = read.results()
            for (path, _), each in zip(files, results, strict=True):
                if isinstance(each, OSError):
                    named(each, path)
            return results

        return Batch(finished)

    def write(
        self, copies: Sequence[ToCopy], reads: Sequence[SmallFile | OSError], owned: bool, flush: bool, width: int
    ) -> Batch[list[SmallCopy | OSError | None]]:
        """Begin to write what was read of each source under the name of its copy, with its marks, `width` at a time;
        `owned` says whether the file system keeps owners and permission bits. Gives None, with nothing done, for what
        has to go in blocks: a file that is not small, has holes or extended attributes.
        """
        results: list[SmallCopy | OSError | None] = [None] * len(copies)
        ready: list[tuple[int, bytes]] = []
        for number, (copy, read) in enumerate(zip(copies, reads, strict=True)):
            if isinstance(read, OSError):
                results[number] = read
            elif read.contents is not None and not read.has_attributes:
                if self._hook.listens:
                    self._hear_of_writing(copy.target, len(read.contents))
                ready.append((number, read.contents))
        marks = [copies[number].marks for number, _ in ready]
        contents = [each for _, each in ready]

        def write(places: list[Place]) -> list[bool | OSError]:
            return write_many(zip(places, contents, marks, strict=True), owned, flush, width)

        writing = self._begin(write, [copies[number].target for number, _ in ready])

        def finished() -> list[SmallCopy | OSError | None]:
            for (number, data), written in zip(ready, writing.results(), strict=True):
                if isinstance(written, OSError):
                    results[number] = named(written, copies[number].target)
                else:
                    results[number] = SmallCopy(checksum_of_whole(data), len(data), written)
            return results

        return Batch(finished)

    def _hear_of_writing(self, path: str, size: int) -> None:
        self._hook.before("create", path)
        if size:
            self._hook.before("write", path, size)
        self._hook.before("mark", path)

    def _hear_of_reading(self, files: Iterable[tuple[str, int]]) -> None:
        for path, size in files if self._hook.listens else ():
            self._hook.before("read", path)
            if size:
                self._hook.before("read", path, size)

    def _begin(self, act: Callable[[list[Place]], Results], paths: Sequence[str]) -> Batch[Results]:
        """Begin an act on files, in another thread."""
        if self._helper is None:
            self._helper = ThreadPoolExecutor(_AT_WORK, "small-files")
        places = _Places(self._anchors, self._folders, paths)

        def done() -> Results:
            with places:
                return act(places.all)

        return Batch(self._helper.submit(done).result)


class _Places:
    """Where files lie, as open folders and names in them; the folders are closed at the end of the `with`."""

    def __init__(self, anchors: tuple[Anchor, ...] | None, folders: OpenFolders, paths: Sequence[str]) -> None:
        assert anchors is not None
        self.all: list[Place] = []
        self._opened: list[int] = []
        above, opened = None, -1
        try:
            for path in paths:
                folder, _, name = path.rpartition(os.sep)
                if folder != above:
                    above, opened = folder, os.dup(folder_and_name(anchors, folders, path)[0])
                    self._opened.append(opened)
                self.all.append((opened, name))
        except BaseException:
            self._close()
            raise

    def __enter__(self) -> _Places:
        return self

    def __exit__(self, *fault: object) -> None:
        self._close()

    def _close(self) -> None:
        for descriptor in self._opened:
            os.close(descriptor)
        self._opened = []
