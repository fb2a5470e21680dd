"""`nuvik status` and `nuvik watch`: how things stand, and a timer that looks once a day."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.core.model.names import shown


class Act(StrEnum):
    """What to do with the timer."""

    SHOW = "show"
    INSTALL = "install"
    REMOVE = "remove"


def add_to(app: typer.Typer) -> None:
    @command(app, "status")
    def status(
        call: Call,
        notice: Annotated[
            bool, typer.Option("--notice", help="Also show a notice on the desktop, when something needs a decision.")
        ] = False,
        look: Annotated[bool, typer.Option("--look", help="Survey quickly before.")] = False,
    ) -> None:
        """Show how things stand: what needs a decision, and what is good to know. Nothing is surveyed for it, unless
        you ask for that.
        """
        from nuvik.core.views.documents.of_watching import StatusDocument
        from nuvik.core.views.status_sentences import matters, status_headline

        if look:
            with call.working("Looking what changed"):
                call.workspace.survey.take_quickly()
        every = matters(call.workspace.watching.status())
        asks = [matter for matter in every if matter.asks]
        if call.as_json:
            call.document(StatusDocument.of(every))
        elif asks:
            call.say(status_headline(every))
        else:
            call.notice(status_headline(every))
        if not call.as_json:
            for matter in every:
                tell = call.say if matter.asks else call.notice
                tell(f"{'!' if matter.asks else ' '} {matter.words} {matter.next_step}".rstrip())
        if notice and asks:
            call.workspace.watching.show_notice(f"{status_headline(every)} {asks[0].words}")
        if asks:
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "watch")
    def watch(
        call: Call,
        act: Annotated[Act, typer.Argument(help="What to do with the timer.")] = Act.SHOW,
        yes: Annotated[
            bool, typer.Option("--yes", help="Do it. Without --yes, Nuvik only shows what would be done.")
        ] = False,
    ) -> None:
        """Let this computer look once a day how things stand, by a timer of your own; a notice is shown only when
        something needs a decision.
        """
        stage = call.workspace.watching
        timer = stage.timer()
        if act is Act.SHOW:
            call.say("The timer is installed." if timer.installed else "No timer is installed: “nuvik watch install”.")
            return
        ends = [f"calls {' '.join(words)}" for words in timer.ends]
        for line in [] if act is Act.INSTALL else ends:
            call.say(line)
        for path, text in timer.files:
            call.say(f"{'writes' if act is Act.INSTALL else 'removes'} {shown(path)}")
            for line in text.splitlines() if act is Act.INSTALL else ():
                call.say(f"    {line}".rstrip())
        for words in timer.starts if act is Act.INSTALL else ():
            call.say(f"calls {' '.join(words)}")
        if not yes:
            call.notice(f"Nothing was changed. “nuvik watch {act} --yes” does it.")
            return
        troubles = stage.install_timer(timer) if act is Act.INSTALL else stage.remove_timer(timer)
        for trouble in troubles:
            call.problem(trouble)
        if act is Act.REMOVE:
            call.say("The timer is removed.")
        elif not troubles:
            call.say("The timer is installed.")
        else:
            call.say("Its files are written, but the system did not start it: log in again, or start it by hand.")
            raise typer.Exit(EXIT_FINDINGS)
