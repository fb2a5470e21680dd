"""`nuvik demo --tour`: the whole job on a household of its own, without screens, in short lines."""

from __future__ import annotations

import os
import shutil
import tempfile

from nuvik.cli.call import Call
from nuvik.core.model.journal import State
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_duration, format_speed

DRAWING = "hollin-before-and-after.svg"


def take_tour(call: Call, at: str | None, out: str) -> None:
    """Survey, plan, rehearse, carry, undo one move, and draw. Raises Refused as the stages do.

    Without `at` the household stands in a temporary folder that is removed at the end.
    """
    from nuvik.demo.build import household_at

    place = at or tempfile.mkdtemp(prefix="nuvik-tour-")
    try:
        _tour(call, household_at(place, fresh=True), os.path.join(out, DRAWING))
    finally:
        if at is None:
            shutil.rmtree(place, ignore_errors=True)


def _tour(call: Call, folder: str, drawing: str) -> None:
    from nuvik.core.model.library import Kind
    from nuvik.core.model.wishes import Wishes
    from nuvik.core.stages.workspace import open_workspace
    from nuvik.core.views.draft_sentences import totals
    from nuvik.core.views.first_step import first_step
    from nuvik.core.views.recommendation_sentences import recommendation_sentences
    from nuvik.core.views.rehearsal_sentences import rehearsal_headline
    from nuvik.core.views.speeds_headline import speeds_headline
    from nuvik.core.views.survey_headline import survey_headline
    from nuvik.demo.title_box import TitleBox
    from nuvik.drawing.plan import plan_page
    from nuvik.drawing.render import save

    workspace = open_workspace(folder, call.state, waits=False)
    snapshot = workspace.survey.take()
    call.say("1 Survey")
    call.say(f"  {len(snapshot.libraries)} libraries on {len(snapshot.drives)} drives. {survey_headline(snapshot)}")
    call.say(f"  {first_step(snapshot)}")
    call.say("2 Speeds")
    budgets = [workspace.drives.budget(drive, quick=True) for drive in snapshot.drives if drive.attached]
    for gauged in workspace.drives.gauge(budgets):
        drive = workspace.drives.find(gauged.drive)
        call.say(
            f"  {drive.label:<8} reads {format_speed(drive.read_bytes_per_s):>9}, feels like "
            f"{format_duration(drive.felt_load_s):>6}: {drive.tier}"
        )
    snapshot = workspace.survey.latest()
    call.say(f"  {speeds_headline(snapshot.drives, workspace.drives.gauge_histories(snapshot.drives))}")
    call.say("3 Plan")
    proposed = workspace.plan.recommend(Wishes(), snapshot)
    draft = proposed.draft
    call.say(f"  {recommendation_sentences(proposed)}")
    plan = workspace.plan.make(draft, proposed)
    labels = workspace.drives.labels()
    for step in plan.steps:
        call.say(f"  {shown(step.library)}, {labels[step.from_drive]} → {labels[step.to_drive]}: {step.reason}")
    call.say(f"  {totals(draft)}")
    call.say("4 Rehearse")
    timeline = workspace.rehearse.rehearse(plan)
    call.say(f"  {rehearsal_headline(timeline, labels)}")
    call.say("5 Carry")
    outcome = workspace.carry.carry(plan)
    for move in outcome.moves:
        call.say(
            f"  {shown(move.library)}: {move.state.in_words}; expected {format_duration(move.expected_s)}, "
            f"took {format_duration(move.actual_s)}"
        )
    for drive_id, freed in outcome.freed_bytes.items():
        expected = outcome.expected_freed_bytes[drive_id]
        call.say(f"  {labels[drive_id]}: {format_bytes(freed)} freed, {format_bytes(expected)} expected")
    old_path = outcome.moves[0].source
    call.say(f"  Its old path still opens {len(os.listdir(old_path))} entries; it leads to {outcome.moves[0].target}")
    box = TitleBox(folder)
    for title in box.titles():
        opened = box.open(title)
        call.say(f"  The Title Box opens {title} in {format_duration(opened.seconds)} from {opened.place}")
    (shelf,) = [row for row in workspace.landings.rows(workspace.survey.latest()) if row.kind is Kind.GAME]
    for setting in workspace.landings.find(shelf):
        workspace.landings.teach(Kind.GAME, setting.file, setting.key)
    workspace.landings.choose(Kind.GAME, "wren")
    for change in workspace.landings.apply(Kind.GAME):
        call.say(f"  New games go to {change.after} from now on: {change.key} is set in {change.file}")
    call.say(f"  The Title Box puts a new title at {box.add('Kelp Lantern')}")
    call.say("6 Logbook")
    taken_back = workspace.logbook.undo("last")
    call.say(f"  Taken back: {shown(taken_back.moves[0].library)}, proven and released again.")
    standing = [move for move in workspace.logbook.moves() if move.state is State.RELEASED and move.undoes is None]
    free = workspace.drives.find("kestrel").free_bytes
    call.say(f"  {len(standing)} moves stand. Kestrel now: {format_bytes(free)} free.")
    save([plan_page(draft, plan)], drawing)
    call.say(f"Drawing: {shown(drawing)}")
