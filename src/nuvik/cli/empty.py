"""`nuvik empty`: what programs can rebuild is emptied instead of being moved."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes


def add_to(app: typer.Typer) -> None:
    @command(app, "empty")
    def empty(
        call: Call,
        library: Annotated[
            str | None, typer.Argument(metavar="LIBRARY", help="Its path, or its name.", show_default=False)
        ] = None,
        yes: Annotated[bool, typer.Option("--yes", help="Really set aside what it holds.")] = False,
        release: Annotated[
            str | None, typer.Option("--release", metavar="N", help="Release what was set aside as N, or “all”.")
        ] = None,
        put_back: Annotated[
            int | None, typer.Option("--put-back", metavar="N", min=1, help="Put back what was set aside as N.")
        ] = None,
        even_if_filled: Annotated[
            bool, typer.Option("--even-if-filled", help="With --put-back: remove what came in its place since.")
        ] = False,
    ) -> None:
        """Empty a cache, or another folder that programs can rebuild: set it aside, then let it go, or put it back.

        Without a library it lists what can be emptied, and what is set aside.
        """
        from nuvik.core.views.documents.of_surveys import EmptyDocument
        from nuvik.core.views.emptying_sentences import aside_line, done_words, emptying_question

        stage = call.workspace.emptying
        if sum(chosen is not None for chosen in (library, release, put_back)) > 1:
            raise BadInput(
                "Give a library, --release or --put-back, only one of them.", next_step="Call once for each."
            )
        if even_if_filled and put_back is None:
            raise BadInput("--even-if-filled goes with --put-back.", next_step="Say which to put back.")
        done = []
        if release is not None:
            done = stage.release(_number(release))
        elif put_back is not None:
            done = [stage.put_back(put_back, even_if_filled)]
        elif library is not None:
            wanted = stage.find(library)
            if yes:
                done = [stage.set_aside(wanted)]
            else:
                call.say(emptying_question(wanted))
                call.notice("Nothing was changed. Add --yes to set it aside.")
        for emptied in done:
            call.say(done_words(emptied))
        if library is not None and yes:
            call.say(f"Once your programs work, release it: nuvik empty --release {done[0].id}")
        able = stage.able() if library is None and not done else []
        kept = stage.kept()
        if call.as_json:
            call.document(EmptyDocument.of(able, kept, done))
            return
        call.table(
            ((format_bytes(each.bytes), shown(each.name), shown(each.path)) for each in able), right=(0,), indent=2
        )
        for emptied in kept if library is None else ():
            call.say(f"  {aside_line(emptied)}")
        if not able and not kept and not done and library is None:
            call.say("No library is known that programs can rebuild. Survey first, or give a library the kind cache.")


def _number(text: str) -> int | None:
    """Of one that is set aside; None for all. Raises BadInput."""
    if text.strip().casefold() == "all":
        return None
    if not text.isascii() or not text.isdigit():
        raise BadInput(f"“{shown(text)}” is not a number.", next_step="“nuvik empty” lists what is set aside.")
    return int(text)
