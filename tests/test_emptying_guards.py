"""What holds up emptying a folder, putting back what it held, and letting that go; one reason after the other."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import pytest

from conftest import World, fill, picture, put
from nuvik.core.carrying.emptying import FRESH, Emptying, own_folder
from nuvik.core.hosts.base import Host
from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.emptied import EmptiedFolders
from refusals import hook

TAG = "Signature: 8a477f597d28d172789f06886806bc55\n"


@pytest.fixture
def cache(world: World) -> Path:
    path = fill(world.path("kestrel", "Vane cache"), files=4)
    put(path / "CACHEDIR.TAG", mode=0o640).write_text(TAG)
    path.chmod(0o2750)
    return path


def emptying_of(workspace: Workspace) -> Emptying:
    computer = workspace.computer
    return Emptying(computer.host, computer.drives(), EmptiedFolders(computer.database), computer.state_folder)


def set_aside(world: World, cache: Path) -> tuple[Emptying, Emptied]:
    workspace = world.surveyed()
    return emptying_of(workspace), workspace.emptying.set_aside(workspace.emptying.find(str(cache)))


def says(host: Host, monkeypatch: pytest.MonkeyPatch, name: str, answer: object) -> None:
    monkeypatch.setattr(type(host), name, lambda self, path: answer)


def test_every_reason_for_which_a_folder_is_not_emptied(world, cache, monkeypatch):
    emptying = emptying_of(world.open())
    assert emptying.why_not(str(cache)) is None
    (cache.parent / "led").symlink_to(cache)
    (cache.parent / "bare").mkdir()
    for name, words in (("led", "no folder"), ("Vane cache/CACHEDIR.TAG", "no folder"), ("bare", "empty already")):
        assert words in (emptying.why_not(str(cache.parent / name)) or "")
    for question, answer, words in (
        ("why_protected", "the system needs it", "the system needs it"),
        ("why_not_yours", "it belongs to another user", "it belongs to another user"),
        ("used_by", ["Painter"], "Painter uses it"),
    ):
        with monkeypatch.context() as patch:
            says(emptying.host, patch, question, answer)
            assert words in (emptying.why_not(str(cache)) or "")


def test_every_reason_for_which_contents_are_neither_put_back_nor_let_go(world, cache, monkeypatch):
    emptying, emptied = set_aside(world, cache)
    for act in (emptying.put_back, emptying.release):
        with monkeypatch.context() as patch, pytest.raises(Refused, match=r"Painter (still )?uses"):
            says(emptying.host, patch, "used_by", ["Painter"])
            act(emptied)
    put(cache / "new.bin")
    with pytest.raises(Refused, match="put-back"):
        emptying.put_back(emptied)
    (cache / "new.bin").unlink()
    content = Path(own_folder(emptied), "content")
    content.rename(cache.parent / "taken away")
    for act in (emptying.put_back, emptying.release):
        with pytest.raises(Refused, match="is no longer at"):
            act(emptied)
    (cache.parent / "taken away").rename(content)
    emptying.put_back(emptied)
    for act in (emptying.put_back, emptying.release):
        with pytest.raises(Refused, match="is not set aside"):
            act(emptying.folders.all(emptying.drives)[0])


def test_the_folder_left_in_its_place_is_like_it(world, cache):
    if os.geteuid() == 0:
        for path in (cache, *cache.rglob("*")):
            os.lchown(path, 4711, 4712)
    before, whole = cache.stat(), picture(cache)
    emptying, emptied = set_aside(world, cache)
    after, tag = cache.stat(), cache / "CACHEDIR.TAG"
    assert (after.st_mode, after.st_uid, after.st_gid) == (before.st_mode, before.st_uid, before.st_gid)
    assert os.listdir(cache) == [tag.name] and tag.read_text() == TAG and tag.stat().st_mode & 0o777 == 0o640
    emptying.put_back(emptied)
    assert picture(cache) == whole


@pytest.mark.parametrize("quicker", [True, False], ids=["its program was quicker", "nobody was"])
def test_a_stop_before_or_after_the_contents_went_aside_goes_on(world, cache, quicker):
    whole = picture(cache)
    emptying, emptied = set_aside(world, cache)
    emptying.put_back(emptied)
    begun = emptying.folders.begin("Vane cache", emptying.drives[0], str(cache), 1, 1)
    ours = Path(own_folder(begun))
    put(ours / FRESH / "half made")
    if quicker:
        cache.rename(ours / "content")
        put(cache / "mine.bin")
    done = emptying.go_on(begun)
    assert done.state is EmptiedState.ASIDE and picture(ours / "content") == whole
    assert not (ours / FRESH).exists()
    assert os.listdir(cache) == ["mine.bin" if quicker else "CACHEDIR.TAG"]


def test_a_fault_after_the_contents_went_aside_changes_nothing_of_them(world, cache, monkeypatch):
    emptying, emptied = set_aside(world, cache)
    begun = emptying.folders.begin("Vane cache", emptying.drives[0], str(cache), 1, 1)
    shutil.rmtree(cache)
    assert not emptying._undone(emptying._files(begun.drive, "x"), begun), "there is nothing to go back to"
    with pytest.raises(Stopped, match="is kept at"):
        emptying.go_on(begun)
    assert Path(own_folder(emptied), "content").is_dir()


def test_what_says_whose_the_contents_are_goes_after_them(world, cache):
    set_aside(world, cache)
    workspace = world.open()
    recorder = hook(workspace)
    workspace.emptying.release(1)
    removed = [os.path.basename(path) for operation, path in recorder.done if operation == "remove"]
    assert removed[-2:] == ["about.json", os.path.basename(own_folder(emptying_of(workspace).folders.all(())[0]))]
    assert removed[-3] == "content"
