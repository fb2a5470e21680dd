"""Sizes, times and names: what is typed is understood, what is shown is harmless."""

from __future__ import annotations

import os

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.file_contents import BLOCK_BYTES, Block
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import felt_load_s, tier_of
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import cells_of, column, fitted, shorten, shown
from nuvik.core.model.units import (
    Base,
    format_bytes,
    format_bytes_apart,
    format_duration,
    free_from_to,
    parse_bytes,
    prefer,
)


@given(st.integers(0, 2**62), st.sampled_from(list(Base)))
def test_a_written_size_is_read_back_within_its_three_digits(size, base):
    assert abs(parse_bytes(format_bytes(size, base)) - size) <= size * 0.0051


@given(st.integers(0, 2**62), st.integers(-20, 20) | st.integers(-(10**9), 10**9), st.sampled_from(list(Base)))
def test_two_sizes_that_are_compared_are_never_written_alike(size, more, base):
    other = max(0, size + more)
    try:
        prefer(base)
        first, second = format_bytes_apart(size, other)
    finally:
        prefer(Base.DECIMAL)
    assert (first == second) is (size == other)
    if format_bytes(size, base) != format_bytes(other, base):
        assert (first, second) == (format_bytes(size, base), format_bytes(other, base))


@pytest.mark.parametrize(
    ("text", "size"),
    [
        ("100G", 100 * 10**9),
        ("1.5TB", 15 * 10**11),
        ("93.1 GB", 93_100_000_000),
        ("512MiB", 512 * 2**20),
        ("4096", 4096),
        ("1,5 kB", 1500),
        ("2,000,000", 2_000_000),
        ("0.5k", 500),
    ],
)
def test_sizes_as_people_type_them(text, size):
    assert parse_bytes(text) == size


@pytest.mark.parametrize("text", ["", "G", "-5G", "5 apples", "1.2.3G", "nan", "1e9", "5GG", "١٢.٣.٤"])
def test_what_is_no_size_is_refused_in_words(text):
    with pytest.raises(BadInput):
        parse_bytes(text)


def test_figures_change_unit_where_a_reader_expects():
    assert [format_bytes(n) for n in (0, 999, 1000, 999_499, 999_999, 93_100_000_000)] == [
        "0 B",
        "999 B",
        "1.00 kB",
        "999 kB",
        "1.00 MB",
        "93.1 GB",
    ]
    assert format_bytes(2**30, Base.BINARY) == "1.00 GiB"
    assert free_from_to(36_600_000_000, 65_900_000_000) == "36.6 GB → 65.9 GB free"
    assert free_from_to(18_100_000_000, 18_109_000_000) == "18.10 GB → 18.11 GB free"
    assert free_from_to(5_000_000, -2_000_000) == "5.00 MB → 2.00 MB short"
    assert [format_duration(s) for s in (0, 9, 59.7, 125, 5040, 3e5)] == [
        "0 s",
        "9.0 s",
        "1 min 00 s",
        "2 min 05 s",
        "1 h 24 min",
        "3 d 11 h",
    ]


@given(st.binary(min_size=1, max_size=60).filter(lambda name: b"\0" not in name), st.integers(5, 40))
@example("no\u00a0break, \u3000wide".encode(), 40)
def test_any_name_is_shown_on_one_line_and_without_control(name, width):
    for text in (shown(os.fsdecode(name)), shorten(os.fsdecode(name), width)):
        assert text.isprintable()
        text.encode("utf-8")
    assert cells_of(shorten(os.fsdecode(name), width)) <= width


def test_tiers_follow_the_felt_load():
    assert felt_load_s(1e9, 1000) == 2.0
    assert [tier_of(seconds) for seconds in (0.9, 1, 4.9, 5, 25, 25.1)] == [
        "rapid",
        "brisk",
        "brisk",
        "steady",
        "steady",
        "slow",
    ]


@given(
    st.lists(st.tuples(st.integers(0, 3 * BLOCK_BYTES), st.binary(min_size=1, max_size=400)), max_size=5),
    st.integers(0, BLOCK_BYTES),
)
def test_the_checksum_sees_contents_and_length_but_not_holes(tmp_path_factory, writes, tail):
    folder, files = tmp_path_factory.mktemp("sums"), Files()
    content = bytearray(max([at + len(data) for at, data in writes], default=0) + tail)
    with open(folder / "holes", "wb") as file:
        for at, data in writes:
            file.seek(at)
            file.write(data)
            content[at : at + len(data)] = data
        file.truncate(len(content))
    (folder / "solid").write_bytes(content)

    def checksum(name: str, past_cache: bool) -> str:
        total = Checksum()
        for block in files.blocks(str(folder / name), past_cache):
            total.add(block)
        return total.hex()

    assert checksum("holes", True) == checksum("holes", False) == checksum("solid", True)
    if content:
        content[-1] ^= 1
        (folder / "solid").write_bytes(content)
        assert checksum("holes", False) != checksum("solid", False)
    longer = Checksum()
    longer.add(Block(0, len(content) + 1, None))
    assert longer.hex() != Checksum().hex()


@given(st.text(max_size=60), st.integers(0, 40))
def test_names_take_as_many_cells_as_there_are(text, cells):
    assert cells_of(shorten(text, cells)) <= cells
    for fit in (column, fitted):
        assert cells_of(fit(text if fit is column else shown(text), cells)) == cells


def test_wide_characters_take_two_cells_and_marks_none():
    assert cells_of("漢字") == 4 and cells_of("Ka\u0301rlo") == 5 and cells_of("a") == 1
    assert cells_of(shorten("漢字漢字漢字漢字", 9)) in (8, 9) and "…" in shorten("漢字漢字漢字漢字", 9)
    assert shown("☀\ufe0f") == "☀", "how it is drawn differs between terminals"
