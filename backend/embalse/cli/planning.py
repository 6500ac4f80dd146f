"""The plan and the sets on the command line."""

import sys
from datetime import datetime

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.acting.tonight import tonight_content
from embalse.services.planning.approving import ApproveIn, PlaceIn, approve
from embalse.services.planning.calendar import calendar_text
from embalse.services.planning.plan import PlanContent, PlannedSetOut, plan_content
from embalse.services.reader import say


@click.command("plan")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--days", type=click.IntRange(1, 10), default=3, show_default=True, help="Days ahead.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.option("--ics", is_flag=True, help="Print approved sets as a calendar.")
@click.option("--approve", "approving", is_flag=True, help="Approve every set of tonight, then print the plan.")
@click.pass_obj
@complains
def plan_command(settings: Settings, as_of: str | None, days: int, **how: bool) -> None:
    """Lay the sets the blocks ask for on the farm's supplies: least stress first, then least cost.

    It proposes; a person approves, and arms what may open by itself.
    """
    opened(settings)
    if how["ics"]:
        sys.stdout.buffer.write(calendar_text())
        return
    if how["approving"] and as_of:
        raise click.UsageError("--approve is for now: leave --as-of out")
    content = plan_content(as_of, days)
    if how["approving"]:
        tonight = [s for s in content.sets if s.state == "proposed" and s.tonight]
        places = [PlaceIn(key=s.key, start=datetime.fromisoformat(s.start)) for s in tonight]
        content = approve(ApproveIn(plan=content.id, sets=places, days=days))
    if how["as_json"]:
        click.echo(content.model_dump_json(indent=2))
        return
    _print(content)


def _print(content: PlanContent) -> None:
    click.echo(content.words if content.proven else f"{content.words} Other plans may stress the crops a little less.")
    for one in content.sets:
        click.echo(_line(one))
    for left in content.unfit:
        which = left.name if left.parts == 1 else f"{left.name}, {left.left} of {left.parts} parts"
        click.echo(f"does not fit: {which}: {left.lacks}")
    for held in content.held:
        click.echo(f"held: {held.name}: {held.why}")
    for way in content.ways_out:
        click.echo(f"way out: {way.words}")


def _line(one: PlannedSetOut) -> str:
    late = f", {one.late_h:.0f} h late" if one.late else ""
    flow = say(Notice("cli.flow", flow_m3_h=one.flow_m3_h))
    name = one.name if one.parts == 1 else f"{one.name} {one.part}/{one.parts}"
    name = f"{one.name}, {one.shift}" if one.shift else name
    state = "" if one.state == "proposed" else f", {one.state}"
    return f"{one.start}  {one.supply:<10} {name:<16} {one.hours:5.1f} h  {flow}{late}{state}"


@click.command("sets")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def sets_command(settings: Settings, as_of: str | None, as_json: bool) -> None:
    """Last night's sets as they ran, and tonight's as they are approved."""
    opened(settings)
    content = tonight_content(as_of)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    click.echo(content.last_night or "Nothing was planned last night.")
    for one in content.done:
        ran = "" if one.ran_hours is None else f"  ran {one.ran_hours:.1f} h"
        click.echo(f"{one.start}  {one.name:<16} {one.hours:5.1f} h  {one.state}{ran}  {one.note}".rstrip())
    click.echo(content.tonight)
    for one in content.sets:
        by = "by hand" if one.by_hand else f"valve {one.valve}"
        click.echo(f"{one.start}  {one.name:<16} {one.hours:5.1f} h  {one.state}, {by}")
