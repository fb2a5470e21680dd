"""Hears of every file operation before it happens: this is how worlds enforce their rules."""

from __future__ import annotations


class FileOpHook:
    """Hears of each operation before it happens; may refuse it by raising OSError."""

    listens = False
    """Whether it does anything: only hooks of other kinds do. With very many small files even telling nobody takes its
    time.
    """
    keeps_contents = True
    """False where a file's length stands for its contents: then a test file need not really be written."""

    def __init_subclass__(cls) -> None:
        cls.listens = True

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        """`operation` is one of read, small-read, write, create, mkdir, rename, symlink, link, remove, flush,
        flush-volume, look, mark.
        """

    def read_back(self, path: str, data: bytes | memoryview) -> bytes | memoryview:
        """What the medium gives back when a copy is proven; a world may declare that it lies."""
        return data
