"""`nuvik eject` and `nuvik away`: drives that come and go."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command, stoppable
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop

if TYPE_CHECKING:
    from nuvik.core.model.ejecting import Hindrance


def add_to(app: typer.Typer) -> None:
    @command(app, "eject")
    def eject(
        call: Call,
        drive: Annotated[str, typer.Argument(metavar="DRIVE", help="Its name, id or path.")],
        wait: Annotated[
            float, typer.Option("--wait", metavar="SECONDS", min=0, help="How long to wait for what is in the way.")
        ] = 0.0,
        again: Annotated[
            bool, typer.Option("--attach", help="Attach a drive of a world again; a real one is attached by its cable.")
        ] = False,
    ) -> None:
        """Make sure that nothing uses a drive, flush it, and eject it: then the cable may be pulled."""
        from nuvik.core.views.documents.of_watching import EjectDocument
        from nuvik.core.views.ejecting_sentences import ejected_sentence, waiting_words

        known, stop, line = call.workspace.drives.find(drive), Stop(), call.progress()
        if again:
            call.workspace.ejecting.attach(known)
            call.say(f"{shown(known.label)} is attached.")
            return

        def report(ways: Sequence[Hindrance]) -> None:
            line.show(waiting_words(ways))

        with stoppable(call, stop, line, "stopped; the drive is still attached."):
            ejected = call.workspace.ejecting.eject(known, wait, report, stop)
        if call.as_json:
            call.document(EjectDocument.of(ejected))
            return
        call.say(ejected_sentence(ejected))
