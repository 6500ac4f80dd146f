"""Wettings, demand and skill of a block on the command line."""

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.ledger import ledger_content
from embalse.services.advice.profile_page import WettingOut, profile_content
from embalse.services.advice.skill import skill_content
from embalse.services.load.clock import the_farm
from embalse.services.reader import say


@click.command("wettings")
@click.argument("block")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.option("--as-of", default=None, help="Farm-local moment, like 2026-07-14T06:00; now if absent.")
@click.option("--days", type=click.IntRange(2, 400), default=28, show_default=True, help="Days looked back.")
@click.pass_obj
@complains
def wettings_command(settings: Settings, block: str, as_json: bool, as_of: str | None, days: int) -> None:
    """Say how far every wetting of BLOCK went, what from, where its roots drink, and what that means."""
    opened(settings)
    content = profile_content(block, as_of, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    if content.why_not:
        click.echo(content.why_not)
    zone = the_farm().time_zone
    for one in content.wettings:
        click.echo(_line(one, zone))
    for station in content.stations:
        shares = ", ".join(
            say(Notice("cli.uptake", depth_cm=y.depth_cm, share_fraction=y.share)) for y in station.uptake
        )
        click.echo(f"{station.name}: roots drink {shares or station.why_not}")
    for found in content.diagnoses:
        click.echo(f"{found.station}, {found.kind}: {found.words} {'; '.join(found.evidence)}")


def _line(one: WettingOut, zone: str) -> str:
    what = (
        " and ".join(say(Notice("cli.water", kind=w.kind, depth_mm=w.depth_mm)) for w in one.from_what) or one.suspect
    )
    least = "at least" if one.between else None
    went = say(Notice("cli.wetting", least=least, gain_mm=one.gain_mm, reach_cm=one.reach_cm, below_mm=one.below_mm))
    moments = (one.between.from_at, one.between.to_at) if one.between else (one.start_at,)
    when = " to ".join(times.iso(at, zone) or "" for at in moments)
    return f"{when}  {one.station:<4} {went}: {what}"


@click.command("ledger")
@click.argument("block")
@click.option("--as-of", default=None, help="Farm-local moment, like 2026-07-14T06:00; now if absent.")
@click.pass_obj
@complains
def ledger_command(settings: Settings, block: str, as_of: str | None) -> None:
    """Print the demand of BLOCK day by day as JSON: reference ET, Kc, crop use, rain, behind and ahead."""
    opened(settings)
    click.echo(ledger_content(block, as_of).model_dump_json(indent=2))


@click.command("skill")
@click.argument("block")
@click.option("--as-of", default=None, help="Farm-local moment, like 2026-07-14T06:00; now if absent.")
@click.pass_obj
@complains
def skill_command(settings: Settings, block: str, as_of: str | None) -> None:
    """Print the refill dates of BLOCK as they were called, and what came of them, as JSON."""
    opened(settings)
    click.echo(skill_content(block, as_of).model_dump_json(indent=2))
