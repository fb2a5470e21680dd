"""`nuvik gauge` and `nuvik compare`: how fast the drives really are, and what another one would buy."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, stopping
from nuvik.core.model.errors import Refused, Stopped, StopRequested
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes, format_duration, format_speed

if TYPE_CHECKING:
    from nuvik.core.model.gauging import GaugeBudget, GaugeOutcome, GaugeProgress


def add_to(app: typer.Typer) -> None:
    @command(app, "gauge")
    def gauge(
        call: Call,
        names: Annotated[
            list[str] | None,
            typer.Argument(
                metavar="DRIVE", show_default=False, help="The drives to measure. Default: all that are attached."
            ),
        ] = None,
        quick: Annotated[
            bool, typer.Option("--quick", help="Take only a few seconds per drive, with less certainty.")
        ] = False,
        sustained: Annotated[
            bool, typer.Option("--sustained", help="Keep writing for some minutes, to see whether writing slows down.")
        ] = False,
    ) -> None:
        """Measure how fast drives read, write and find small things; the result is kept."""
        budgets, problems = _budgets(call, names, quick, sustained)
        for budget in budgets:
            call.notice(f"{_label(call, budget.drive)}: {budget.in_words()}.")
        stop, line = Stop(), call.progress()
        try:
            with stopping(stop, call):
                outcomes = (
                    problems
                    + call.workspace.drives.gauge(budgets, lambda progress: line.show(_progress_words(progress)), stop)
                    if budgets
                    else problems
                )
        except StopRequested:
            raise Stopped(
                "Stopped as asked; the test file is removed.", next_step="Earlier measurements are kept."
            ) from None
        finally:
            line.clear()
        if call.as_json:
            from nuvik.core.views.documents.of_drives import GaugeDocument

            call.document(GaugeDocument(drives=tuple(outcomes)))
        for outcome in outcomes:
            _tell(call, outcome)
        if all(outcome.result is None for outcome in outcomes):
            raise Refused("Nothing was measured.", next_step="See above.")
        if any(outcome.problem for outcome in outcomes):
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "compare")
    def compare(
        call: Call,
        candidates: Annotated[
            str | None, typer.Argument(metavar="CANDIDATES", show_default=False, help="A candidates file (TOML).")
        ] = None,
    ) -> None:
        """What a drive to buy would change: price beside what really arrives, and the waiting it saves."""
        from nuvik.core.views.documents.of_drives import CandidateDocument, CompareDocument
        from nuvik.core.views.purchase_sentences import verdict_sentence

        with call.working("Weighing each candidate"):
            verdicts = call.workspace.drives.verdicts(candidates)
        if not verdicts:
            raise Refused(
                f"There are no candidates in {shown(call.workspace.drives.candidates_path)}.",
                next_step="Add some there or name a file; docs/candidates.md shows how.",
            )
        if call.as_json:
            call.document(CompareDocument(candidates=tuple(CandidateDocument.of(verdict) for verdict in verdicts)))
            return
        rows = [
            (
                shown(candidate.label),
                f"{candidate.price:,.2f} {candidate.currency}",
                "–" if candidate.price_per_tb is None else f"{candidate.price_per_tb:,.2f} {candidate.currency}",
                format_speed(candidate.read_bytes_per_s),
                format_duration(candidate.felt_load_s),
                format_duration(verdict.saves_s_per_week),
            )
            for verdict in verdicts
            for candidate in (verdict.candidate,)
        ]
        head = ("candidate", "price", "per TB", "reads", "feels like", "saves a week")
        call.table(rows, head, right=range(1, len(head)))
        for verdict in verdicts:
            call.say(verdict_sentence(verdict))


def _budgets(
    call: Call, names: list[str] | None, quick: bool, sustained: bool
) -> tuple[list[GaugeBudget], list[GaugeOutcome]]:
    """What each drive would cost; drives that cannot be measured become problems and the others go on."""
    from nuvik.core.model.gauging import GaugeOutcome

    workspace = call.workspace
    drives = [workspace.drives.find(name) for name in names or []]
    if not names:
        drives = [drive for drive in workspace.drives.all() if drive.attached]
    budgets, problems = [], []
    for drive in drives:
        try:
            budgets.append(workspace.drives.budget(drive, quick, sustained))
        except Refused as refusal:
            problems.append(GaugeOutcome(drive=drive.id, problem=f"{refusal.what} {refusal.next_step}"))
    return budgets, problems


def _label(call: Call, drive_id: str) -> str:
    return shown(call.workspace.drives.labels().get(drive_id, drive_id))


def _progress_words(progress: GaugeProgress) -> str:
    speed = f"{progress.per_s:,.0f} a second" if progress.phase == "small reads" else format_speed(progress.per_s)
    return f"{shorten(progress.drive, 20)}: {progress.phase} {100 * progress.share:3.0f} %  {speed}"


def _tell(call: Call, outcome: GaugeOutcome) -> None:
    label, result = _label(call, outcome.drive), outcome.result
    if result is None:
        call.problem(f"{label}: {outcome.problem}")
        return
    write = f"writes {format_speed(result.write.bytes_per_s)}" if result.write else "writing was not measured"
    call.say(
        f"{label}: reads {format_speed(result.read.bytes_per_s)}, {write}, "
        f"{result.small_reads.reads_per_s:,.0f} small reads a second; passes within {100 * result.spread:.0f} %"
        + (", through the cache" if result.through_cache else "")
    )
    if result.sustained_write_bytes_per_s:
        call.say(
            f"  after the first {format_bytes(result.burst_bytes or 0)} it writes "
            f"{format_speed(result.sustained_write_bytes_per_s)}"
        )
    elif result.tried_bytes:
        call.say(f"  writing did not slow down within {format_bytes(result.tried_bytes)}")
    for finding in call.workspace.drives.findings().get(outcome.drive, []):
        call.say(f"  {finding}")
