"""The plan on the command line."""

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.planning.plan import plan_content
from embalse.services.reader import say


@click.command("plan")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--days", type=click.IntRange(1, 10), default=3, show_default=True, help="Days ahead.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def plan_command(settings: Settings, as_of: str | None, days: int, as_json: bool) -> None:
    """Lay the sets the blocks ask for on the farm's supplies: least stress first, then least cost.

    It proposes; a person opens the valve.
    """
    opened(settings)
    content = plan_content(as_of, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    click.echo(content.words if content.proven else f"{content.words} Other plans may stress the crops a little less.")
    for one in content.sets:
        late = f", {one.late_h:.0f} h late" if one.late else ""
        flow = say(Notice("cli.flow", flow_m3_h=one.flow_m3_h))
        name = one.name if one.parts == 1 else f"{one.name} {one.part}/{one.parts}"
        click.echo(f"{one.start}  {one.supply:<10} {name:<16} {one.hours:5.1f} h  {flow}{late}")
    for left in content.unfit:
        which = left.name if left.parts == 1 else f"{left.name}, {left.left} of {left.parts} parts"
        click.echo(f"does not fit: {which}: {left.lacks}")
    for held in content.held:
        click.echo(f"held: {held.name}: {held.why}")
    for way in content.ways_out:
        click.echo(f"way out: {way.words}")
