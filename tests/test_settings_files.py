"""Settings files: one value is changed and nothing else, in every format and every spelling of a path."""

from __future__ import annotations

import contextlib
import json
import os
import plistlib
import threading

import pytest
import tomlkit
import yaml
from hypothesis import example, given
from hypothesis import strategies as st

from conftest import count_descriptors
from nuvik.core.model.errors import Refused
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings import settings_file
from nuvik.core.settings.command_line import respelled_command
from nuvik.core.settings.formats import FORMATS, format_of
from nuvik.core.settings.known_folders import FOLDERS
from nuvik.core.settings.registry import hive_and_key
from nuvik.core.settings.setting_format import NotReadable
from nuvik.core.settings.settings_file import change_for, put_value, value_of
from nuvik.core.settings.spelling import spelling_of
from nuvik.core.settings.standard_folders import KEYS as KEYS_OF_FOLDERS

HOME, OLD, NEW = "/home/ann", "/home/ann/Games/Kite Two", "/mnt/großer Platz/Kite's"
FILES = {
    "json": b'// titles\n{\n\t"shelves": [{"path": "~/x", "n": 1}, {"path" : "OLD", /* here */ "a.b": true,},],\n}\n',
    "toml": b'# titles\n[shelves]\nother="x"\n[[shelves.list]]\npath   =  "OLD"  # here\nn = 0x10\n',
    "ini": b"; titles\r\n[shelves]\r\npath = OLD\r\nodd line\r\nn: 1\r\n",
    "desktop": b"[Desktop Entry]\nName=Kite\nName[de]=Drachen\nPath=OLD\nExec=kite %U\n",
    "plain": b'# titles\nexport N=1\n  PLACE="OLD"\n',
    "yaml": b"# titles\nshelves:\n- {path: x}\n-   path:   OLD   # here\n    n: 1\nlast: |\n  two\n  lines\n",
    "plist": b'<?xml version="1.0" encoding="UTF-8"?>\n<plist version="1.0"><dict><key>n</key><integer>1</integer>\n'
    b"<key>shelves</key><array><string>x</string><dict><key>path</key><string>OLD</string></dict></array></dict></plist>",
}
KEYS = {
    "json": "shelves.1.path",
    "toml": "shelves.list.0.path",
    "ini": "shelves.path",
    "desktop": "Desktop Entry.Path",
    "plain": "PLACE",
    "yaml": "shelves.1.path",
    "plist": "shelves.1.path",
}
PARSERS = {
    "toml": lambda data: tomlkit.parse(data.decode()).unwrap()["shelves"]["list"][0]["path"],
    "yaml": lambda data: yaml.safe_load(data)["shelves"][1]["path"],
    "plist": lambda data: plistlib.loads(data)["shelves"][1]["path"],
}
PATHS = st.text(st.characters(exclude_categories=("Cs", "Cc", "Zl", "Zp")), min_size=1, max_size=30).map(
    lambda text: "/" + text.strip().strip("\"'")
)


@pytest.mark.parametrize("name", FILES)
@given(path=PATHS)
@example(path="/a\\/b")
def test_one_value_changes_and_every_other_byte_stays(name, path):
    form, key, before = FORMATS[name], KEYS[name], FILES[name].replace(b"OLD", OLD.encode())
    assert form.value(before, key) == OLD
    after = form.replaced(before, key, path)
    assert form.value(after, key) == path and form.replaced(after, key, OLD).replace(b'"', b"") == before.replace(
        b'"', b""
    )
    head, _, tail = FILES[name].partition(b"OLD")
    assert after.startswith(head.rstrip(b"\"'")) and after.endswith(tail.lstrip(b"\"'"))
    if name in PARSERS:
        assert PARSERS[name](after) == path, "as another reader of the format has it"


def test_a_backslash_in_a_value_says_nothing_of_how_letters_are_written():
    assert FORMATS["json"].replaced(rb'{"at": "C:\\users"}', "at", "/ß/x") == '{"at": "/ß/x"}'.encode()


def test_names_with_dots_numbers_and_quotes_have_keys_of_their_own():
    texts = {"a.b": {"c": "1"}, "a": {"b.c": "2", "b": {"c": "3"}, "0": "4"}, 'q"': "5", "": "6"}
    for name in ("json", "yaml"):
        values = FORMATS[name].values(json.dumps(texts).encode())
        assert len({value.key for value in values}) == 6 and [value.text for value in values] == list("123456")
    deep = b"[" * 100_000 + b'"x"' + b"]" * 100_000
    assert FORMATS["json"].values(deep)[0].text == "x"
    for name in ("ini", "plain"):
        with pytest.raises(NotReadable, match="without changing something else"):
            FORMATS[name].replaced(FILES[name], KEYS[name], "/a\nNEXT=line")
    binary = plistlib.dumps({"a": ["x", OLD]}, fmt=plistlib.FMT_BINARY)
    assert plistlib.loads(FORMATS["plist"].replaced(binary, "a.1", NEW)) == {"a": ["x", NEW]}
    spelled = b"<plist><dict><key>a</key><string>&quot;Kite&#39;s&quot; &amp; B</string></dict></plist>"
    assert [value.text for value in FORMATS["plist"].values(spelled)] == ['"Kite\'s" & B']


@pytest.mark.parametrize("name", FORMATS)
@given(data=st.binary(max_size=60) | st.text("{}[]:,\"'\\/*#=-|>&<>! \n\tab1", max_size=60).map(str.encode))
def test_broken_files_are_refused_in_words(name, data):
    try:
        values = FORMATS[name].values(data)
        for value in values[:3]:
            FORMATS[name].replaced(data, value.key, "/new")
    except NotReadable as fault:
        assert str(fault)


@pytest.mark.parametrize("name", ["json", "toml", "yaml", "plist"])
def test_what_goes_too_deep_or_holds_bombs_is_refused_or_read(name):
    deep = {"json": b'{"a":' * 9000, "toml": b"a=" + b"[" * 9000, "yaml": b"- " * 9000, "plist": b"<array>" * 9000}
    bombs = (
        b"a: &a [x, x]\nb: &b [*a, *a]\nc: &c [*b, *b]\n"
        if name == "yaml"
        else b"<!DOCTYPE a [<!ENTITY b 'c'>]><plist/>"
    )
    for data in (deep[name], bombs):
        try:
            assert len(FORMATS[name].values(data)) < 10
        except NotReadable as fault:
            assert len(str(fault)) < 300


@pytest.mark.parametrize(
    ("value", "after"),
    [
        (OLD, NEW),
        (f"{OLD}/", f"{NEW}/"),
        (f"{OLD}/bin/kite", f"{NEW}/bin/kite"),
        ("~/Games/Kite Two", NEW),
        ("$HOME/Games/Kite Two/a", f"{NEW}/a"),
        ("${HOME}/Games/Kite Two", NEW),
        ("file:///home/ann/Games/Kite%20Two/a%20b", "file:///mnt/gro%C3%9Fer%20Platz/Kite%27s/a%20b"),
        ("file://localhost/home/ann/Games/Kite Two", "file://localhost/mnt/gro%C3%9Fer%20Platz/Kite%27s"),
        (f"{OLD}2", None),
        (f"{OLD}2/a", None),
        ("/home/ann/Games", None),
        ("Games/Kite Two", None),
        (f"open {OLD} now", None),
        (f"/a:{OLD}:/b", None),
        (f"{OLD}:/b", None),
        ("~bob/Games/Kite Two", None),
        (OLD.upper(), None),
        ("", None),
        ("file:", None),
    ],
)
def test_a_path_is_replaced_only_where_that_is_certain(value, after):
    spelling = spelling_of(value, OLD, HOME)
    certain = spelling is not None and spelling.certain
    assert (spelling.of(NEW, HOME) if certain else None) == after
    if certain:
        assert spelling.of(OLD, HOME) == value or value.endswith("Kite Two") or "%20" in value


def test_paths_of_windows_in_both_separators_any_case_and_doubled():
    old, new, home = r"D:\Games\Kite", r"E:\Big Drive\Kite", r"C:\Users\Ann"
    for value, after in (
        (old, new),
        (r"d:\games\KITE\run.exe", r"E:\Big Drive\Kite\run.exe"),
        ("D:/Games/Kite/data", "E:/Big Drive/Kite/data"),
        (r"D:\\Games\\Kite\\data", r"E:\\Big Drive\\Kite\\data"),
        ("file:///D:/Games/Kite", "file:///E:/Big%20Drive/Kite"),
        (r"D:\Games\Kite Two", None),
    ):
        spelling = spelling_of(value, old, home)
        assert (spelling.of(new, home) if spelling and spelling.certain else None) == after
    spelling = spelling_of(r"C:\Users\Ann\x", r"C:\Users\Ann\x", home)
    assert spelling is not None and spelling.of(new, home) == new


@given(rest=st.sampled_from(["", "/a", "/a b/ß"]), new=PATHS)
def test_any_spelling_there_and_back_is_the_same(rest, new):
    for value in (OLD + rest, f"~/Games/Kite Two{rest}", f"$HOME/Games/Kite Two{rest}"):
        spelling = spelling_of(value, OLD, HOME)
        assert spelling is not None and spelling.certain and spelling.of(OLD, HOME) == value
        assert spelling.of(new, HOME) == new + rest or new.startswith(HOME)


def test_command_lines_of_menu_entries_keep_their_quotes():
    old, new = "/opt/kite", "/mnt/my games/kite"
    assert respelled_command("/opt/kite/run %U", old, "/b/kite") == "/b/kite/run %U"
    assert respelled_command('env A=1 "/opt/kite/run" --x', old, new) == 'env A=1 "/mnt/my games/kite/run" --x'
    assert respelled_command("/opt/kite/run %U", old, new) == '"/mnt/my games/kite/run" %U'
    assert respelled_command("/opt/kite2/run", old, new) is None


def tether(file, key="path", form="json"):
    return Tether(kind=TetherKind.SETTING, file=str(file), format=form, key=key)


def test_a_file_is_replaced_whole_with_its_marks_and_the_old_one_is_kept(tmp_path):
    real, link = tmp_path / "real.json", tmp_path / "link.json"
    real.write_text(json.dumps({"path": OLD, "other": "\N{SNOWMAN}"}))
    real.chmod(0o640)
    link.symlink_to(real)
    link_tether = tether(link)
    change = change_for(link_tether, OLD, NEW, HOME)
    (tmp_path / "full").write_text("no folder")
    with pytest.raises(Refused, match="cannot be copied to"):
        put_value(link_tether, change.before, change.after, str(tmp_path / "full" / "old.json"))
    assert json.loads(real.read_text())["path"] == OLD
    put_value(link_tether, change.before, change.after, str(tmp_path / "kept" / "old.json"))
    assert json.loads(real.read_text())["path"] == NEW and link.is_symlink() and real.stat().st_mode & 0o777 == 0o640
    assert json.loads((tmp_path / "kept" / "old.json").read_text())["path"] == OLD
    put_value(link_tether, change.before, change.after)  # once more, after a stop
    assert change_for(link_tether, OLD, NEW, HOME).before == NEW, "it says so already"
    put_value(link_tether, NEW, OLD, str(tmp_path / "kept" / "old.json"))
    assert json.loads((tmp_path / "kept" / "old.json").read_text())["path"] == OLD, "the first one is kept"
    opened = count_descriptors()
    put_value(link_tether, OLD, NEW)
    assert count_descriptors() == opened
    real.write_text(json.dumps({"path": "/elsewhere"}))
    with pytest.raises(Refused, match="has been changed: it is “/elsewhere” now"):
        put_value(link_tether, change.after, change.before)
    with pytest.raises(Refused, match="not certain to mean"):
        change_for(link_tether, OLD, NEW, HOME)
    assert not [name for name in os.listdir(tmp_path) if "nuvik-new" in name]


def test_bad_files_are_refused_before_anything(tmp_path):
    for name, make, words in (
        ("none", lambda path: None, "no such file"),
        ("folder", lambda path: path.mkdir(), "is a directory|not a file"),
        ("pipe", lambda path: os.mkfifo(path), "is not a file"),
        ("huge", lambda path: path.open("wb").truncate(9_000_000), "too large"),
        ("broken", lambda path: path.write_text("{"), "not whole JSON"),
        ("loop", lambda path: path.symlink_to(path), "symbolic link"),
        ("twice", lambda path: path.write_text('{"path": "/a", "path": "/b"}'), "2 times"),
        ("binary", lambda path: path.write_bytes(b"\xff\xfe{\0"), "not UTF-8"),
    ):
        path = tmp_path / name
        make(path)
        with pytest.raises(Refused, match=words):
            change_for(tether(path), OLD, NEW, HOME)


def test_a_file_that_may_not_be_written_is_refused_before(tmp_path, monkeypatch):
    file = tmp_path / "mine.json"
    file.write_text(json.dumps({"path": OLD}))
    for closed in (str(file), str(tmp_path)):
        monkeypatch.setattr(settings_file.os, "access", lambda path, mode, closed=closed: path != closed)
        with pytest.raises(Refused, match=f"You may not change {closed}"):
            change_for(tether(file), OLD, NEW, HOME)
        with pytest.raises(Refused, match="You may not change"):
            put_value(tether(file), OLD, NEW)
    assert json.loads(file.read_text()) == {"path": OLD} and os.listdir(tmp_path) == ["mine.json"]


def test_what_a_program_writes_at_the_same_moment_is_kept(tmp_path, monkeypatch):
    file, times = tmp_path / "busy.json", [1]
    file.write_text(json.dumps({"path": OLD, "count": 0}))
    copymode = settings_file.shutil.copymode

    def meanwhile(source: str, target: str) -> None:
        if times:
            file.write_text(json.dumps({"path": OLD, "count": times.pop()}))
        copymode(source, target)

    monkeypatch.setattr(settings_file.shutil, "copymode", meanwhile)
    put_value(tether(file), OLD, NEW)
    assert json.loads(file.read_text()) == {"path": NEW, "count": 1}
    monkeypatch.setattr(settings_file, "_replaced", lambda seen, data: True)
    with pytest.raises(Refused, match="after it was set"):
        put_value(tether(file), NEW, OLD)


@pytest.mark.parametrize("changed", [True, False])
def test_nothing_is_left_beside_a_file_that_could_not_be_replaced(tmp_path, monkeypatch, changed):
    file, plain = tmp_path / "titles.json", os.replace
    file.write_text(json.dumps({"path": OLD}))

    def fail(*words: str) -> None:
        raise OSError(5, "Input/output error") if not changed else plain(*words)

    monkeypatch.setattr(os, "replace", fail)
    if changed:
        monkeypatch.setattr(settings_file, "_mark", lambda facts: object())
    with pytest.raises(Refused, match="keeps changing" if changed else "cannot be changed"):
        put_value(tether(file), OLD, NEW)
    assert os.listdir(tmp_path) == [file.name] and value_of(tether(file)) == OLD


def test_a_file_that_keeps_changing_is_not_overwritten(tmp_path):
    file = tmp_path / "busy.json"
    file.write_text(json.dumps({"path": OLD, "count": 0}))
    stop, counted = threading.Event(), [0]

    def program() -> None:
        while not stop.is_set():
            counted[0] += 1
            part = tmp_path / "busy.part"
            part.write_text(json.dumps({"path": OLD, "count": counted[0]}))
            part.rename(file)

    thread = threading.Thread(target=program)
    thread.start()
    try:
        put_value(tether(file), OLD, NEW)
    except Refused as refusal:
        assert "keeps changing" in refusal.what or "after it was set" in refusal.what
    finally:
        stop.set()
        thread.join()
    assert json.loads(file.read_text())["count"] >= counted[0] - 1, "what the program wrote last is there"
    assert value_of(tether(file)) in (OLD, NEW)


def test_formats_are_known_by_name_or_contents():
    for name, data, form in (
        ("a.JSON", b"", "json"),
        ("settings", b'\xef\xbb\xbf{"a": 1}', "json"),
        ("user-dirs.dirs", b"", "plain"),
        ("conf", b"[a]\nb=c", "ini"),
        ("x", b"bplist00", "plist"),
        ("x.txt", b"hello", None),
    ):
        known_format = format_of(name, data)
        assert (known_format.name if known_format else None) == form


def test_a_changed_file_keeps_its_owner_its_rights_and_its_attributes(tmp_path):
    file = tmp_path / "titles.json"
    file.write_text(json.dumps({"path": OLD}))
    file.chmod(0o640)
    if os.geteuid() == 0:
        os.chown(file, 4711, 4712)
    with contextlib.suppress(OSError):  # not every file system keeps them
        os.setxattr(file, "user.note", b"mine")
    before, noted = file.stat(), os.listxattr(file)
    put_value(tether(file), OLD, NEW)
    after = file.stat()
    assert value_of(tether(file)) == NEW and os.listxattr(file) == noted
    assert (after.st_uid, after.st_gid, after.st_mode) == (before.st_uid, before.st_gid, before.st_mode)


def test_a_changed_file_and_the_one_kept_are_on_their_medium_before_they_have_their_names(tmp_path, monkeypatch):
    file, done = tmp_path / "titles.json", []
    file.write_text(json.dumps({"path": OLD}))
    for name in ("fsync", "replace"):
        plain = getattr(os, name)

        def noted(*words, name=name, plain=plain):
            what = os.readlink(f"/proc/self/fd/{words[0]}") if name == "fsync" else words[1]
            assert name != "fsync" or os.fstat(words[0]).st_size, "there is something to flush"
            done.append((name, os.path.basename(what).split(".")[-1]))
            return plain(*words)

        monkeypatch.setattr(os, name, noted)
    put_value(tether(file), OLD, NEW, str(tmp_path / "kept" / "titles.old"))
    folder = os.path.basename(tmp_path)
    kept, changed = [("replace", "old"), ("fsync", "kept")], [("replace", "json"), ("fsync", folder)]
    assert [each for each in done if each in kept + changed] == kept + changed
    assert done[0][0] == "fsync" and done[done.index(changed[0]) - 1] == ("fsync", "nuvik-new")


def test_a_file_is_changed_where_the_system_has_no_attributes_and_opens_no_folders(tmp_path, monkeypatch):
    file = tmp_path / "titles.json"
    file.write_text(json.dumps({"path": OLD}))
    for name in ("listxattr", "O_DIRECTORY", "chown"):
        monkeypatch.delattr(os, name, raising=False)
    put_value(tether(file), OLD, NEW)
    assert value_of(tether(file)) == NEW and os.listdir(tmp_path) == [file.name]


def test_a_value_of_the_registry_is_written_there(monkeypatch):
    written: list[tuple[str, ...]] = []
    monkeypatch.setattr(settings_file.registry, "write_registry", lambda *words: written.append(words))
    put_value(tether("HKCU\\Software\\Title Box", "Place", "registry"), OLD, NEW)
    assert written == [("HKCU\\Software\\Title Box", "Place", OLD, NEW)]


def test_keys_of_the_registry_and_known_folders_are_spelled_as_documented():
    assert hive_and_key(r"HKCU\Software\Title Box") == ("HKEY_CURRENT_USER", r"Software\Title Box")
    assert hive_and_key("hkey_local_machine/SOFTWARE/x/")[1] == r"SOFTWARE\x"
    for wrong in ("HKCU", r"Software\x", "", r"HKXX\a", "HKCU\\a\0"):
        with pytest.raises(Refused, match="not a key of the registry"):
            hive_and_key(wrong)
    assert FOLDERS.keys() == KEYS_OF_FOLDERS.keys() and len(set(FOLDERS.values())) == 5
    value = tether(r"HKCU\Software\Title Box", "Place", "registry")
    if os.name != "nt":
        with pytest.raises(Refused, match="Only Windows has a registry"):
            value_of(value)
