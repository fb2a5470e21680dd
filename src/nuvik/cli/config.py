"""`nuvik config`: what holds for every call unless the call says otherwise."""

from __future__ import annotations

from typing import Annotated, Literal

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown

Name = Literal["units", "theme", "state"]


def add_to(app: typer.Typer) -> None:
    @command(app, "config")
    def config(
        call: Call,
        name: Annotated[
            Name | None, typer.Argument(case_sensitive=False, help="What to show or set.", show_default=False)
        ] = None,
        value: Annotated[str | None, typer.Argument(metavar="VALUE", show_default=False)] = None,
        forget: Annotated[bool, typer.Option("--forget", help="Forget what NAME was set to.")] = False,
    ) -> None:
        """Show the configuration, or set one value: units (decimal, binary), theme (night, day, contrast), state."""
        from nuvik.core.stages.config import NAMES, config_path, read_config, set_in_config
        from nuvik.core.views.documents.of_calls import ConfigDocument

        if name is None and forget:
            raise BadInput("Which setting should be forgotten?", next_step=f"Name one of: {', '.join(NAMES)}.")
        if name is not None and (value is not None or forget):
            if value is not None and forget:
                raise BadInput("--forget takes no value.", next_step="Say one of the two.")
            set_in_config(name, value)
        now = {known: getattr(read_config(), known) for known in NAMES}
        chosen = {known: text for known, text in now.items() if name in (None, known)}
        if call.as_json:
            call.document(ConfigDocument(path=config_path(), **{known: text or None for known, text in chosen.items()}))
            return
        for known, text in chosen.items():
            call.say(f"  {known:<6} {shown(text) or 'not set'}")
        call.say(f"Kept in {shown(config_path())}.")
