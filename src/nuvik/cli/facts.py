"""`nuvik facts`: what to add to a report of a fault."""

from __future__ import annotations

import typer

from nuvik.cli.call import Call, command


def add_to(app: typer.Typer) -> None:
    @command(app, "facts")
    def facts(call: Call) -> None:
        """List what helps to mend a fault: versions, file systems, counts. No name of a file, library or drive."""
        from nuvik.core.stages.facts import facts_of
        from nuvik.core.views.documents.of_calls import FactsDocument

        known = facts_of(call.workspace)
        if call.as_json:
            call.document(FactsDocument(facts=known))
            return
        call.table(known.items())
