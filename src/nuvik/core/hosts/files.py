"""Every file operation that Nuvik performs on libraries, in one place.

Surveying and carrying touch files only through `Files`, so that one and the same code moves the files of this
computer and of a world. A `FileOpHook` hears of each operation before it happens; a world's hook enforces its
declared capacity, file system limits, speeds and faults, and the plain one does nothing.

All methods raise OSError as the system does.
"""

from __future__ import annotations

import errno
import mmap
import os
import stat
import sys
from collections.abc import Iterator

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.anchors import Anchor, Anchored, OpenFolders, named
from nuvik.core.hosts.attributes import has_attributes, mark_attribute, read_attributes, remove_attribute
from nuvik.core.hosts.descent import Handle, extended, open_folder, plain_link
from nuvik.core.hosts.file_contents import (
    BLOCK_BYTES,
    HOLE_BYTES,
    Block,
    Writer,
    is_sparse,
    next_content,
    open_for_reading,
    read_at,
)
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.long_paths import Reachable
from nuvik.core.hosts.many_files import LOOKS_IN_ONE_CALL, FolderEntries, Inside, list_entries, look_many
from nuvik.core.hosts.remove_tree import OWNER_MAY_ALL, Known, change_mode, empty_folder, is_known
from nuvik.core.hosts.small_files import SmallFiles

_READ = _READ_FOLDER = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0)


class Files:
    """The operations. Paths are text as `os.fsdecode` gives it, so any name is carried exactly."""

    def __init__(self, hook: FileOpHook | None = None, anchors: tuple[Anchor, ...] | None = None) -> None:
        self.hook = hook or FileOpHook()
        self._anchors = None if anchors is None else tuple(sorted(anchors, key=lambda anchor: -len(anchor.point)))
        self._folders = OpenFolders()
        self.small = SmallFiles(self.hook, self._anchors, self._folders)
        """Files that are read and written whole, many in one call."""
        # Page-aligned memory, as direct reading demands; kept, since fresh pages cost more than a small file.
        self._buffers: list[mmap.mmap] = []

    def anchored(self, anchors: tuple[Anchor, ...]) -> Files:
        """The same operations, on nothing but what lies below these anchors; `let_go` ends that."""
        return Files(self.hook, anchors)

    def let_go(self) -> None:
        """Close the roots of the anchors, and the folders below them."""
        self.small.let_go()
        self._folders.let_go()
        for anchor in self._anchors or ():
            anchor.close()

    def _reach(self, path: str) -> Reachable | Anchored:
        return Reachable(path) if self._anchors is None else Anchored(self._anchors, path, self._folders)

    def open_folder(self, path: str) -> Handle:
        """Open a folder, to go down from it; not a link to one. The caller closes it."""
        self.hook.before("look", path)
        with self._reach(extended(path)) as near:
            return open_folder(near, None)

    # -- looking -------------------------------------------------------------------------------------------

    def facts(self, path: str) -> os.stat_result:
        """What the system knows of a path, without following a link."""
        self.hook.before("look", path)
        with self._reach(path) as near:
            return os.lstat(near)

    def exists(self, path: str) -> bool:
        """Whether anything, even a broken link, has this name. Only "not there" is False: other faults raise."""
        try:
            self.facts(path)
        except (FileNotFoundError, NotADirectoryError):
            return False
        return True

    def is_folder(self, path: str) -> bool:
        """Whether a real folder (not a link to one) has this name."""
        return self.exists(path) and stat.S_ISDIR(self.facts(path).st_mode)

    def is_link(self, path: str) -> bool:
        return self.exists(path) and stat.S_ISLNK(self.facts(path).st_mode)

    def read_link(self, path: str) -> str:
        self.hook.before("look", path)
        with self._reach(path) as near:
            return plain_link(os.readlink(near))

    def entries_in(self, folder: Handle, path: str, above: str) -> FolderEntries:
        """What lies directly in an open folder at `path`; the paths of its files begin with `above`."""
        self.hook.before("look", path)
        return list_entries(folder, above)

    def names_at(self, path: str) -> list[str]:
        """The names in a folder, in the order of their bytes."""
        self.hook.before("look", path)
        with self._reach(path) as near, os.scandir(near) as entries:
            return sorted((entry.name for entry in entries), key=os.fsencode)

    def read_text(self, path: str) -> str:
        self.hook.before("look", path)
        with self._reach(path) as near, open(near, encoding="utf-8") as file:
            return file.read()

    def look_inside(self, folder: str, names: list[str], only_written: bool = False) -> dict[str, Inside | OSError]:
        """By their names, those files and folders in a folder of which opening tells anything out of the ordinary, or
        which cannot be opened. With `only_written` some may be left out that nobody has open for writing. Raises
        OSError when the folder itself cannot be opened.
        """
        self.hook.before("look", folder)
        if not LOOKS_IN_ONE_CALL:
            seen = {name: self._look_inside(os.path.join(folder, name)) for name in names}
            return {name: each for name, each in seen.items() if isinstance(each, OSError) or not each.is_usual}
        handle = self.open_folder(folder)
        assert isinstance(handle, int)
        try:
            unusual = look_many(handle, names, only_written)
        finally:
            os.close(handle)
        for name, each in unusual.items():
            named(each, os.path.join(folder, name))
        return unusual

    def _look_inside(self, path: str) -> Inside | OSError:
        try:
            with self._reach(path) as near:
                descriptor = os.open(near, _READ | getattr(os, "O_NONBLOCK", 0))
        except OSError as fault:
            return fault
        try:
            is_file = stat.S_ISREG(os.fstat(descriptor).st_mode)
            written = syscalls.is_written_elsewhere(descriptor) if is_file else None
            return Inside(syscalls.fixed_by_flag(descriptor), written, has_attributes(descriptor))
        finally:
            os.close(descriptor)

    # -- contents ------------------------------------------------------------------------------------------

    def blocks(self, path: str, past_cache: bool = False, lent: bool = False) -> Iterator[Block]:
        """The contents of a file, in order, holes as holes. What is `lent` is true until the next block is asked for:
        that spares a copy of it.

        With `past_cache` the system's cache is passed over where it allows, so that the medium itself answers.
        """
        self.hook.before("read", path)
        with self._reach(path) as near:
            descriptor, direct = open_for_reading(near, past_cache)
        buffer = self._buffers.pop() if self._buffers else mmap.mmap(-1, BLOCK_BYTES)
        try:
            facts = os.fstat(descriptor)
            sparse, offset = is_sparse(facts), 0
            while offset < facts.st_size:
                content_at = next_content(descriptor, offset, facts.st_size) if sparse else offset
                content_at = content_at // BLOCK_BYTES * BLOCK_BYTES if content_at < facts.st_size else facts.st_size
                while offset < content_at:
                    length = min(HOLE_BYTES, content_at - offset)
                    self.hook.before("read", path, length)
                    yield Block(offset, length, None, sparse)
                    offset += length
                if offset >= facts.st_size:
                    break
                wanted = min(BLOCK_BYTES, facts.st_size - offset)
                self.hook.before("read", path, wanted)
                got = read_at(descriptor, buffer, offset, wanted, direct)
                if got < wanted and direct:  # a short direct read in the middle of a file cannot be continued
                    os.close(descriptor)
                    with self._reach(path) as near:
                        descriptor, direct = open_for_reading(near, False)
                    got = read_at(descriptor, buffer, offset, wanted, False)
                if got == 0:
                    break  # the file became shorter meanwhile: the second look at the source will tell
                # A view is compared with zeros item by item, so that a file with holes is better copied.
                data = memoryview(buffer)[:got] if lent and not sparse else buffer[:got]
                yield Block(offset, got, self.hook.read_back(path, data) if past_cache else data, sparse)
                offset += got
        finally:
            self._buffers.append(buffer)
            os.close(descriptor)

    def create(self, path: str) -> Writer:
        """A new file; fails when the name is taken."""
        self.hook.before("create", path)
        with self._reach(path) as near:
            return Writer(path, near, self.hook)

    def write_small(self, path: str, text: str) -> None:
        """A small text file, written durably under its name or not at all."""
        encoded = text.encode("utf-8")
        part = path + ".new"
        if self.exists(part):
            self.remove(part)
        writer = self.create(part)
        try:
            writer.put(Block(0, len(encoded), encoded))
            writer.set_length(len(encoded))
            writer.flush()
        finally:
            writer.close()
        self.rename(part, path)
        self.sync_folder(os.path.dirname(path))

    # -- names ---------------------------------------------------------------------------------------------

    def make_folder(self, path: str, mode: int = 0o700) -> None:
        self.hook.before("mkdir", path)
        with self._reach(path) as near:
            os.mkdir(near, mode)

    def rename(self, source: str, target: str) -> None:
        """Rename within a volume; replaces a file of the target's name."""
        self._folders.let_go()
        self.hook.before("rename", source)
        self.hook.before("rename", target)
        with self._reach(source) as old, self._reach(target) as new:
            os.replace(old, new)

    def rename_to_free_name(self, source: str, target: str) -> None:
        """Rename within a volume; raises FileExistsError when the target's name is taken."""
        self._folders.let_go()
        self.hook.before("rename", source)
        self.hook.before("rename", target)
        with self._reach(source) as old, self._reach(target) as new:
            if syscalls.rename_without_replacing(old, new):
                return
            if self.exists(target):
                raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), target)
            os.rename(old, new)

    def exchange(self, first: str, second: str) -> bool:
        """Let two names change places at once; False where the system cannot, with nothing changed."""
        self._folders.let_go()
        self.hook.before("rename", first)
        self.hook.before("rename", second)
        with self._reach(first) as near, self._reach(second) as other:
            return syscalls.exchange(near, other)

    def make_link(self, path: str, leads_to: str, to_folder: bool) -> None:
        """A symbolic link. On Windows a folder is linked by a junction where links need a privilege."""
        self.hook.before("symlink", path)
        try:
            with self._reach(path) as near:
                os.symlink(leads_to, near, target_is_directory=to_folder)
        except OSError:
            if sys.platform != "win32" or not to_folder or not os.path.isabs(leads_to):
                raise
            import _winapi

            _winapi.CreateJunction(leads_to, path)

    def make_hard_link(self, existing: str, path: str) -> None:
        self.hook.before("link", path)
        with self._reach(existing) as old, self._reach(path) as new:
            os.link(old, new, follow_symlinks=False)

    def remove(self, path: str) -> None:
        self.hook.before("remove", path)
        with self._reach(path) as near:
            os.unlink(near)

    def remove_folder(self, path: str) -> None:
        self._folders.let_go()
        self.hook.before("remove", path)
        with self._reach(path) as near:
            os.rmdir(near)

    def remove_tree(self, path: str, known: Known | None = None) -> None:
        """Remove a file, a link or a whole folder. Links are removed, never followed. Going on after a stop is fine.

        With `known` (by relative paths) only that goes which is still as it was looked at; raises OSError (ENOTEMPTY)
        when anything else is there, which stays.
        """
        self._folders.let_go()
        if not self.exists(path):
            return
        if self.is_folder(path):
            try:
                handle = self.open_folder(path)
            except PermissionError:  # a folder that may not be read would not let go of what it holds
                self.mark_mode(path, OWNER_MAY_ALL)
                handle = self.open_folder(path)
            empty_folder(handle, path, self.hook, known)
            self.remove_folder(path)
        elif is_known(known, "", self.facts(path)):
            self.remove(path)
        else:
            raise OSError(errno.ENOTEMPTY, os.strerror(errno.ENOTEMPTY), path)

    # -- marks ---------------------------------------------------------------------------------------------

    def mark_times(self, path: str, accessed_ns: int, changed_ns: int) -> None:
        self.hook.before("mark", path)
        with self._reach(path) as near:
            if os.utime in os.supports_follow_symlinks:
                os.utime(near, ns=(accessed_ns, changed_ns), follow_symlinks=False)
            elif not os.path.islink(near):
                os.utime(near, ns=(accessed_ns, changed_ns))

    def mark_mode(self, path: str, mode: int) -> None:
        self.hook.before("mark", path)
        with self._reach(path) as near:
            change_mode(near, mode)

    def mark_owner(self, path: str, user: int, group: int) -> None:
        self.hook.before("mark", path)
        with self._reach(path) as near:
            os.chown(near, user, group, follow_symlinks=False)

    def read_xattrs(self, path: str) -> dict[str, bytes]:
        """Extended attributes, those of the link itself for a link; and the flags that go along, as one more by the
        name of `attributes.FLAGS`. Empty where the system has none.
        """
        self.hook.before("look", path)
        with self._reach(path) as near:
            return read_attributes(near, path)

    def mark_xattr(self, path: str, name: str, value: bytes) -> None:
        self.hook.before("mark", path)
        with self._reach(path) as near:
            mark_attribute(near, path, name, value)

    def remove_xattr(self, path: str, name: str) -> None:
        self.hook.before("mark", path)
        with self._reach(path) as near:
            remove_attribute(near, path, name)

    # -- durability ----------------------------------------------------------------------------------------

    def sync_folder(self, path: str) -> None:
        """Make the names in a folder durable. Systems that cannot open a folder order names by themselves."""
        self.hook.before("flush", path)
        if sys.platform == "win32":
            return
        with self._reach(path) as near:
            descriptor = os.open(near, _READ_FOLDER)
        try:
            os.fsync(descriptor)
        except OSError as fault:
            if fault.errno not in (errno.EINVAL, errno.ENOTSUP):
                raise
        finally:
            os.close(descriptor)

    def sync_volume(self, path: str) -> bool:
        """Write everything on the volume of this folder to its medium; False where there is no such call."""
        self.hook.before("flush-volume", path)
        if sys.platform == "win32":
            return False
        with self._reach(path) as near:
            descriptor = os.open(near, _READ_FOLDER)
        try:
            return syscalls.sync_volume(descriptor)
        finally:
            os.close(descriptor)
