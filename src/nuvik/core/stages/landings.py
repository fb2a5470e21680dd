"""Landings applied: the system is told where new content of a kind goes, told back, and asked whether it goes there."""

from __future__ import annotations

import os
import sys
from collections import Counter
from dataclasses import dataclass

from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings.known_folders import known_folder, set_known_folder
from nuvik.core.settings.line_formats import QUOTED, PlainFormat
from nuvik.core.settings.setting_format import encoded
from nuvik.core.settings.settings_file import Change, put_value
from nuvik.core.settings.spelling import Manner, Spelling
from nuvik.core.settings.standard_folders import KEYS, standard_folders, standard_folders_file
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.landings import Landings
from nuvik.core.store.snapshots import snapshot_before
from nuvik.core.user_files.safe_file import write_bytes

KNOWN_FOLDERS = "Known Folders"
"""In place of a file, on Windows."""
_IN_HOME = Spelling(Manner.HOME_VARIABLE, "")
"""As the specification writes a folder: from `$HOME` on, else in full."""


@dataclass(frozen=True, slots=True)
class LandingStage:
    """The calls for landings that were chosen."""

    computer: Computer
    survey: SurveyStage

    @property
    def _landings(self) -> Landings:
        return Landings(self.computer.database)

    def change(self, kind: Kind) -> Change | None:
        """What telling the system of the chosen landing would change: `before` is empty where nothing is written down.
        None where no landing is chosen, the system has no standard folder for the kind, or it is so already.
        """
        landing = self._landings.all(self.computer.drives()).get(kind)
        return None if landing is None else self.change_to(kind, landing.path)

    def change_to(self, kind: Kind, path: str) -> Change | None:
        """What telling the system that new content of a kind goes to a folder would change; None as above."""
        home = self.computer.host.surroundings().home
        if kind not in KEYS or not home:
            return None
        if sys.platform == "win32":
            known = known_folder(kind)
            same = os.path.normcase(known) == os.path.normcase(path)
            return None if same else Change(KNOWN_FOLDERS, str(kind), known, path)
        if sys.platform == "darwin":
            return None  # there nothing but a link leads elsewhere
        before = self._written(home).get(KEYS[kind], "")
        after = _IN_HOME.of(path, home)
        return None if before == after else Change(standard_folders_file(home), KEYS[kind], before, after)

    def _written(self, home: str) -> dict[str, str]:
        return {key: _IN_HOME.of(path, home) for key, path in standard_folders(home).items()}

    def apply(self, kind: Kind) -> Change | None:
        """Tell the system of the chosen landing; a folder that is missing is made. Gives what was changed. Raises
        Refused.
        """
        change = self.change(kind)
        if change is None:
            return None
        landing = self._landings.all(self.computer.drives())[kind]
        try:
            os.makedirs(landing.path, exist_ok=True)
        except OSError as fault:
            words = (fault.strerror or str(fault)).lower()
            what = f"{shown(landing.path)} cannot be made: {words}."
            raise Refused(what, next_step="Choose another folder.") from None
        self._landings.keep_change(kind, change.before, change.after)  # before the file is touched
        if change.file == KNOWN_FOLDERS:
            set_known_folder(kind, change.after)
        else:
            self._put(change)
        return change

    def _put(self, change: Change) -> None:
        if change.before:
            put_value(_tether(change), change.before, change.after)
            return
        try:
            with open(change.file, "rb") as file:
                data = file.read()
        except FileNotFoundError:
            data = b""
        except OSError as fault:
            raise Refused(f"{shown(change.file)} cannot be read: {fault.strerror}.", next_step="Look at it.") from None
        os.makedirs(os.path.dirname(change.file), exist_ok=True)
        lead = b"" if not data or data.endswith(b"\n") else b"\n"
        line = f"{change.key}={PlainFormat().written(change.after, QUOTED)}\n"
        write_bytes(change.file, data + lead + encoded(line))

    def take_back(self, kind: Kind) -> Change | None:
        """Tell the system what it was told before Nuvik changed it; None where Nuvik changed nothing. Raises Refused
        where somebody else has changed it since, and leaves it.
        """
        before, after = self._landings.change_of(kind)
        if not after:
            return None
        home = self.computer.host.surroundings().home
        if sys.platform == "win32":
            change = Change(KNOWN_FOLDERS, str(kind), after, before)
            if os.path.normcase(known_folder(kind)) != os.path.normcase(after):
                raise Refused(f"The folder for {kind} has been changed since.", next_step="It is left as it is.")
            set_known_folder(kind, before)
            self._landings.keep_change(kind, "", "")
            return change
        change = Change(standard_folders_file(home), KEYS[kind], after, before or f"$HOME/{_USUAL[kind]}")
        if self._written(home).get(change.key) != change.after:
            put_value(_tether(change), change.before, change.after)
        self._landings.keep_change(kind, "", "")
        return change

    def landed(self, kind: Kind) -> dict[str, int]:
        """Where what is new of a kind since its landing was chosen has landed: how many libraries, by drive id."""
        since = self._landings.set_at(kind)
        before = snapshot_before(self.computer.database, since) if since else None
        if before is None:
            return {}
        known = {path for library in before.libraries for path in (library.path, library.tether) if path}
        return Counter(
            library.drive
            for library in self.survey.latest().libraries
            if library.kind is kind and not {library.path, library.tether} & known
        )


_USUAL = {
    Kind.DOCUMENT: "Documents",
    Kind.DOWNLOAD: "Downloads",
    Kind.PHOTO: "Pictures",
    Kind.VIDEO: "Videos",
    Kind.SOUND: "Music",
}
"""Where the specification has a folder of which nothing is written down."""


def _tether(change: Change) -> Tether:
    return Tether(kind=TetherKind.STANDARD_FOLDER, file=change.file, format="plain", key=change.key)
